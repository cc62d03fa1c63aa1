import { asUnusable, type Finding } from '../base/finding.ts';
import { solidFacets } from '../kernel/facet-source.ts';
import { withoutKernel, type Kernel } from '../kernel/kernel.ts';
import type { Mesh } from '../geometry/mesh.ts';
import { together } from '../geometry/shells.ts';
import { identityRows, type Rows } from '../geometry/rows.ts';
import type { Vec3 } from '../geometry/vector.ts';
import type { Geometry, PartSummary } from '../model/design.ts';
import { readBrepText } from '../surfaces/brep-text.ts';
import { pappusOf } from '../tubes/rebuild.ts';
import { nameOfSection } from '../tubes/sections.ts';
import { tubesOf, type Found, type FoundRun } from '../tubes/recognise.ts';
import { addMesh, addSolid, emptySkin, type Skin } from '../tubes/skin.ts';

/** A part as tubes are looked for in it. `scale`: mm for one of its numbers. */
export interface TubePart {
  key: string;
  summary: PartSummary;
  geometry: Geometry;
  scale: number;
}

/** A body: one copy of a part where it stands. */
export interface Body {
  part: number;
  place: Rows;
  /** How many are wanted for this place: more than 1 where a larger quantity was typed than the design places. */
  wanted: number;
}

/** Tubes of a design with all that is needed to prove them. */
export interface TubesFound {
  runs: SkinRun[];
  none: Found['none'];
  gaveUp: boolean;
  parts: readonly TubePart[];
  bodies: Body[];
  /** Parts that are no body that tubes could be found in, with why. */
  leftOut: { key: string; what: string; why: string }[];
}

/** A run with the skin that it was found in: exact solids and meshes are looked through apart, each as exactly as it is known. */
export interface SkinRun extends FoundRun {
  skin: Skin;
}

/** Copies beyond this are not placed one by one. */
const mostBodies = 5000;

const placed =
  (m: Rows, scale: number) =>
  (p: Vec3): Vec3 =>
    [0, 4, 8].map((r) => scale * (m[r] * p[0] + m[r + 1] * p[1] + m[r + 2] * p[2] + m[r + 3])) as Vec3;
const turnedBy =
  (m: Rows) =>
  (v: Vec3): Vec3 =>
    [0, 4, 8].map((r) => m[r] * v[0] + m[r + 1] * v[1] + m[r + 2] * v[2]) as Vec3;

/**
 * Finds tubes in parts where they stand, all copies of each: an elbow between two tubes is one run with them.
 * @param fit free curves are fitted by straights and arcs within this, mm; null: they are left out and told
 * @example findTubes(parts).runs.length
 */
export function findTubes(parts: readonly TubePart[], fit: number | null = null): TubesFound {
  const [solids, meshes] = [emptySkin(), emptySkin()];
  const bodies: Body[] = [];
  const leftOut: TubesFound['leftOut'] = [];
  parts.forEach(({ key, summary, geometry, scale }, part) => {
    if (geometry.kind === 'drawing') {
      leftOut.push({ key, what: summary.name, why: 'it is a drawing' });
      return;
    }
    const places = summary.places && summary.places.length > 0 ? summary.places : [identityRows];
    const wanted = summary.quantity / places.length;
    try {
      const exact = geometry.kind === 'solid' ? readBrepText(geometry.brep) : null;
      for (const place of places) {
        if (bodies.length >= mostBodies) break;
        if (exact) addSolid(solids, exact, { number: bodies.length, place: placed(place, scale), turn: turnedBy(place), scale });
        else if (geometry.kind === 'mesh') addMesh(meshes, placedMesh(geometry.mesh, place, scale), bodies.length);
        bodies.push({ part, place, wanted });
      }
    } catch (thrown) {
      leftOut.push({ key, what: summary.name, why: asUnusable(thrown).message });
    }
  });
  const both = [solids, meshes].map((skin) => ({ skin, ...tubesOf(skin, fit) }));
  const found = {
    runs: both.flatMap(({ skin, runs }) => runs.map((r) => ({ ...r, skin }))),
    none: both.flatMap((b) => b.none),
    gaveUp: both.some((b) => b.gaveUp),
  };
  const used = new Set(found.runs.flatMap((r) => r.bodies.map((b) => bodies[b].part)));
  const told = new Set(found.none.flatMap((n) => n.bodies.map((b) => bodies[b].part)));
  parts.forEach(({ key, summary }, p) => {
    if (!used.has(p) && !told.has(p) && bodies.some((b) => b.part === p))
      leftOut.push({ key, what: summary.name, why: 'it is no tube or bar of straights and bends' });
  });
  return { ...found, parts, bodies, leftOut };
}

/** A mesh where it stands, mm. */
export function placedMesh(mesh: Mesh, place: Rows, scale: number): Mesh {
  const move = placed(place, scale);
  const positions = new Float64Array(mesh.positions.length);
  for (let i = 0; i < positions.length; i += 3) positions.set(move([mesh.positions[i], mesh.positions[i + 1], mesh.positions[i + 2]]), i);
  return { ...mesh, positions };
}

/** Facets that solids are looked at by, mm and rad. */
const deflection = 0.05;
const angle = 0.25;

/** A part's own facets: made once, whatever its copies. */
export class PartFacets {
  private readonly made = new Map<number, { mesh: Mesh; starts: Uint32Array | null }>();
  private readonly kernel: () => Promise<Kernel>;
  private readonly found: TubesFound;

  /** @param kernel asked for only where our own mesher does not take a solid */
  constructor(found: TubesFound, kernel: () => Promise<Kernel>) {
    this.found = found;
    this.kernel = kernel;
  }

  private async of(part: number): Promise<{ mesh: Mesh; starts: Uint32Array | null }> {
    const known = this.made.get(part);
    if (known) return known;
    const { geometry, scale } = this.found.parts[part];
    let made: { mesh: Mesh; starts: Uint32Array | null };
    if (geometry.kind === 'solid') {
      const { brep } = geometry;
      const { positions, triangles, starts } = await withoutKernel((kernel) => solidFacets(brep, deflection / scale, angle, kernel), this.kernel);
      made = { mesh: { positions: Float64Array.from(positions), triangles: Uint32Array.from(triangles) }, starts: Uint32Array.from(starts) };
    } else if (geometry.kind === 'mesh') made = { mesh: geometry.mesh, starts: null };
    else made = { mesh: { positions: new Float64Array(0), triangles: new Uint32Array(0) }, starts: null };
    this.made.set(part, made);
    return made;
  }

  /** The bodies of a run as one mesh, and the points on the faces that belong to the run. */
  async ofRun(run: SkinRun): Promise<{ mesh: Mesh; points: Float64Array }> {
    const { bodies, parts } = this.found;
    const { skin } = run;
    const meshes: Mesh[] = [];
    const points: number[] = [];
    const faces = new Set(run.faces);
    for (const b of run.bodies) {
      const { part, place } = bodies[b];
      const { mesh, starts } = await this.of(part);
      const whole = placedMesh(mesh, place, parts[part].scale);
      meshes.push(whole);
      const first = skin.faces.findIndex((f) => f.body === b);
      const triangles = starts
        ? [...faces]
            .filter((f) => skin.faces[f].body === b)
            .flatMap((f) => Array.from({ length: starts[f - first + 1] - starts[f - first] }, (_, k) => starts[f - first] + k))
        : Array.from({ length: whole.triangles.length / 3 }, (_, k) => k).filter((t) => faces.has(skin.faceOfTriangle.get(b)?.[t] ?? -1));
      for (const v of new Set(triangles.flatMap((t) => [0, 1, 2].map((k) => whole.triangles[t * 3 + k]))))
        points.push(...whole.positions.subarray(v * 3, v * 3 + 3));
    }
    return { mesh: together(meshes), points: Float64Array.from(points) };
  }

  readonly deviation = deflection;
}

/** Bodies with several tubes that are not all of it: the rest is left out, or is a bend that could not be followed. */
function rests({ runs, bodies, parts }: TubesFound): Finding[] {
  const made = new Map<number, { volume: number; runs: number }>();
  for (const { run, bodies: of } of runs) {
    if (of.length !== 1) continue;
    const known = made.get(of[0]) ?? { volume: 0, runs: 0 };
    made.set(of[0], { volume: known.volume + pappusOf(run).volume, runs: known.runs + 1 });
  }
  return [...made].flatMap(([b, { volume, runs: count }]) => {
    const { summary, scale } = parts[bodies[b].part];
    const share = volume / (summary.volume * scale ** 3);
    if (count < 2 || !(share < wholeShare)) return [];
    const message = `The ${count} tubes in "${summary.name}" are ${Math.round(share * 100)} % of it. The rest is left out: plates, or bends that are no arcs.`;
    return [{ code: 'rest', severity: 'look' as const, count: 1, message, remedy: 'Look at where its tubes end.' }];
  });
}

/** Tubes that are less of their body than this leave something out. */
const wholeShare = 0.97;

/** What stands in the way of a tube, and what was left out, as findings. */
export function tubeFindings(found: TubesFound): Finding[] {
  const { none, gaveUp, leftOut } = found;
  const out: Finding[] = none.map((n) => ({
    code: n.code,
    severity: n.code === 'wall' ? 'look' : 'stop',
    count: 1,
    message: `${n.what} At ${n.at.map((v) => Number(v.toFixed(2))).join(', ')} mm.`,
    remedy: n.remedy,
  }));
  for (const { run, fitted } of found.runs)
    if (fitted !== undefined)
      out.push({
        code: 'fitted',
        severity: 'look',
        count: run.pieces.length,
        message: `A ${nameOfSection(run.section)} along a free curve was fitted by ${run.pieces.length} straights and arcs; its middle is ${fitted.toFixed(4)} mm off at most.`,
        remedy: 'Bend a sample, or design it of straights and arcs.',
      });
  out.push(...rests(found));
  if (gaveUp)
    out.push({
      code: 'too-much',
      severity: 'stop',
      count: 1,
      message: 'There is more than is looked through for tubes: some may be missing.',
      remedy: 'Ask for fewer parts at once.',
    });
  if (leftOut.length > 0)
    out.push({
      code: 'left-out',
      severity: 'look',
      count: leftOut.length,
      message: `Left out: ${leftOut
        .slice(0, 4)
        .map((l) => `${l.what} (${l.why})`)
        .join('; ')}${leftOut.length > 4 ? `; and ${leftOut.length - 4} more` : ''}.`,
      remedy: 'Make them another way, or have a look at what they are.',
    });
  return out;
}
