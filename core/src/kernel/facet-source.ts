import type { Box } from '../geometry/box.ts';
import { edgesOf } from '../geometry/edges.ts';
import type { Placement } from '../geometry/placement.ts';
import type { Rows } from '../geometry/rows.ts';
import { NotTaken } from '../body/body.ts';
import { Unusable } from '../base/finding.ts';
import { TooMany } from '../mesher/too-many.ts';
import { mesherOf, type Mesher } from '../mesher/mesher.ts';
import { OpenSolid, type EdgeLines, type RawFacets } from './facets.ts';
import { NeedsKernel, type Kernel } from './kernel.ts';

/**
 * A solid that facets are made of again and again: by our own mesher, which needs no kernel; by the kernel's where ours does not take the solid. The kernel is
 * asked for only then.
 * @example const solid = new FacetSource(brep, workingKernel); const { triangles } = await solid.facets(0.05, 0.26); solid.close()
 */
export class FacetSource {
  private mesher: Mesher | null = null;
  private open: OpenSolid | null = null;
  private readonly brep: string;
  private readonly kernel: () => Promise<Kernel>;
  /** Why the kernel's mesher is used; null while ours is. */
  left: string | null = null;

  /** @param brep BREP text; @param kernel gives the working kernel */
  constructor(brep: string, kernel: () => Promise<Kernel>) {
    this.brep = brep;
    this.kernel = kernel;
    this.tried(() => {
      this.mesher = mesherOf(brep);
    });
  }

  /** Whether facets come from our own mesher. */
  get own(): boolean {
    return this.mesher !== null;
  }

  /** Facets, for a linear deviation in mm and an angle in rad; what comes is measured elsewhere. Balanced ones only from our own mesher. @throws Unusable when neither mesher can */
  async facets(deviation: number, angle: number, balanced = false): Promise<RawFacets> {
    const made = this.tried(() => closedFacets(this.mesher!, { deviation, angle, balanced }));
    return made ?? (await this.byKernel()).facets(deviation, angle);
  }

  /** The edges as polylines. */
  async edges(deviation: number, angle: number): Promise<EdgeLines> {
    return this.tried(() => this.mesher!.edgeLines({ deviation, angle })) ?? (await this.byKernel()).edges(deviation, angle);
  }

  /** The exact box after a placement (no facets involved), mm. */
  async box(placement: Placement, scale: number): Promise<Box> {
    return this.tried(() => this.mesher!.box(rigidRows(placement, scale), scale)) ?? (await this.byKernel()).box(placement, scale);
  }

  /** Points of the exact surface all over the solid, by no facets; null where our own mesher does not take it. */
  points(): Float64Array | null {
    return this.tried(() => this.mesher!.points());
  }

  /** Gives the solid to the kernel from now on. @param why in a word, told with the file */
  async byKernel(why = 'asked'): Promise<OpenSolid> {
    this.left ??= why;
    this.mesher = null;
    return (this.open ??= new OpenSolid(await this.kernel(), this.brep));
  }

  /** What our own mesher gives; null, and no more of it, when it does not take the solid. */
  private tried<T>(work: () => T): T | null {
    if (this.left !== null) return null;
    try {
      return work();
    } catch (thrown) {
      if (thrown instanceof TooMany)
        throw new Unusable('too-many-facets', `So small a deviation asks for too many facets: ${thrown.message}`, 'Choose a larger deviation.');
      // What can't be read at all is refused by the kernel, with its own words.
      if (!(thrown instanceof NotTaken || thrown instanceof RangeError)) throw thrown;
      this.left = thrown instanceof NotTaken ? thrown.why : 'unreadable';
      this.mesher = null;
      return null;
    }
  }

  /** Gives the kernel's memory back. */
  close(): void {
    this.open?.close();
    this.open = null;
  }
}

/** Finer by halves until no two faces fall into one. @throws NotTaken when they do all the same */
function closedFacets(mesher: Mesher, choice: { deviation: number; angle: number; balanced?: boolean }): RawFacets {
  for (let k = 0; k < coarsest; k++) {
    const facets = mesher.facets({ ...choice, deviation: choice.deviation / 2 ** k });
    if (isClosed(facets)) return facets;
  }
  throw new NotTaken('open-facets');
}

/**
 * Facets of a solid at once: by our own mesher, else by the kernel's.
 * @param kernel null where none is loaded @throws NeedsKernel
 * @example solidFacets(brep, 0.05, 0.4, kernel).triangles
 */
export function solidFacets(brep: string, deviation: number, angle: number, kernel: Kernel | null): RawFacets {
  const own = ownFacets(brep, deviation, angle);
  if (own) return own;
  if (!kernel) throw new NeedsKernel();
  const open = new OpenSolid(kernel, brep);
  try {
    return open.facets(deviation, angle);
  } finally {
    open.close();
  }
}

/** Facets of a solid by our own mesher alone, at once; null where it does not take the solid, or what came is not closed. */
export function ownFacets(brep: string, deviation: number, angle: number): RawFacets | null {
  try {
    return closedFacets(mesherOf(brep), { deviation, angle });
  } catch (thrown) {
    if (thrown instanceof NotTaken || thrown instanceof RangeError || thrown instanceof TooMany) return null;
    throw thrown;
  }
}

/** Facets of an open surface by our own mesher; null where it does not take it, or neighbours do not look alike. */
export function openFacets(brep: string, deviation: number, angle: number): RawFacets | null {
  try {
    const facets = mesherOf(brep, false).facets({ deviation, angle });
    const { nonManifold, flipped } = edgesOf(facets.triangles, facets.positions.length / 3);
    return nonManifold + flipped === 0 && facets.triangles.length > 0 ? facets : null;
  } catch (thrown) {
    if (thrown instanceof NotTaken || thrown instanceof RangeError || thrown instanceof TooMany) return null;
    throw thrown;
  }
}

/** How often facets are made half as coarse again when those of neighbouring faces fall into one: a lens of two chords, say. */
const coarsest = 6;

/** A placement's rows without its scale. */
const rigidRows = ({ rows: m, shift: s }: Placement, scale: number): Rows =>
  [m[0], m[1], m[2], s[0], m[3], m[4], m[5], s[1], m[6], m[7], m[8], s[2]].map((x) => x / scale);

/** Whether every edge has two triangles that go along it opposite ways. */
function isClosed({ positions, triangles }: RawFacets): boolean {
  const { open, nonManifold, flipped } = edgesOf(triangles, positions.length / 3);
  return open + nonManifold + flipped === 0 && triangles.length > 0;
}
