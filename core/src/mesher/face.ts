import { creasesOf } from '../surfaces/creases.ts';
import type { Surface } from '../surfaces/surfaces.ts';
import { Crossing } from './triangulation.ts';
import type { Bend } from '../surfaces/bend.ts';
import { layCreases } from './creases.ts';
import { Filler } from './fill.ts';
import { Lattice } from './lattice.ts';
import { doubtful, Mender } from './mend.ts';
import { newCorners } from './corner.ts';
import { Off } from './off.ts';
import { FacePlane, type Task } from './plane.ts';

/** A corner of a face's outline: parameters, and the vertex of the whole solid. */
export interface Outline {
  /** u, v of each corner in order. */
  uv: Float64Array;
  vertices: Int32Array;
  /** The edge (of the body) that goes on from each corner; below 0 for a pole. */
  edges: Int32Array;
  /** Which of the edge's chords that is. */
  chords: Int32Array;
}

/** Facets of one face. */
export interface FaceFacets {
  /** Corners: vertices of the solid; from `inner` on the face's own points, numbered on. */
  triangles: number[];
  /** Points of its own: x, y, z. */
  points: number[];
}

/** Edges of the body need shorter chords before a face can be laid out. */
export class Finer extends Error {
  /** Edges whose chords cross others: all of them are halved. */
  readonly edges: number[];
  /** Single chords that lie too far off: edge, number of the chord. */
  readonly chords: [number, number][];
  constructor(edges: number[], chords: [number, number][] = []) {
    super('Edges need shorter chords.');
    this.edges = edges;
    this.chords = chords;
  }
}

/** A chord of an edge may be farther off by this share: numbers are rounded. */
const chordSlack = 1 + 1e-6;

/** A face to be laid out: its surface, its loops (outline first, then holes, the face to the left of each), and whether its outside lies against du x dv. */
export interface OutlinedFace {
  surface: Surface;
  bend: Bend;
  loops: readonly Outline[];
  turned: boolean;
}

/**
 * Lays facets out over a face: its outline in the plane of its parameters, points within where it is bent both ways, then more where a facet still lies too far off.
 * @param vertexAt x, y, z of the solid's vertices
 * @throws Finer where its edges need shorter chords
 */
export function faceFacets(face: OutlinedFace, vertexAt: Float64Array, task: Task): FaceFacets {
  return new FaceMesher(face, vertexAt, task).facets();
}

class FaceMesher {
  private readonly face: OutlinedFace;
  private readonly plane: FacePlane;
  private readonly vertexAt: Float64Array;
  /** Edge of the body of each piece of the outline. */
  private readonly pieces: number[] = [];
  /** Of each loop, its points of the triangulation. */
  private numbers: readonly Int32Array[] = [];

  constructor(face: OutlinedFace, vertexAt: Float64Array, task: Task) {
    this.face = face;
    this.vertexAt = vertexAt;
    this.plane = new FacePlane(
      face.surface,
      face.bend,
      face.loops.map((l) => l.uv),
      task,
    );
  }

  facets(): FaceFacets {
    const { plane } = this;
    this.outline();
    if (plane.kind === 'flat') return this.result();
    this.checkChords();
    const mender = new Mender(plane, this.face.surface);
    if (plane.kind === 'both') {
      plane.settleAll();
      const filler = new Filler(plane);
      this.seed();
      filler.fill();
      mender.soften(filler);
    }
    mender.repair();
    if (plane.kind === 'both') {
      mender.slim();
      mender.repair();
    }
    return this.result();
  }

  /** Points all over the face, in rows. */
  private seed(): void {
    const { plane } = this;
    let near = 0;
    new Lattice(plane, this.numbers).points((u, v, rim) => {
      if (rim >= 0) near = (plane.t.leaving[rim] / 3) | 0;
      near = plane.seed(u, v, near);
    });
  }

  private outline(): void {
    const { t } = this.plane;
    const numbers = this.face.loops.map((loop) => this.corners(loop));
    this.numbers = numbers;
    this.face.loops.forEach((loop, l) => {
      const n = loop.vertices.length;
      for (let i = 0; i < n; i++) {
        const piece = this.pieces.push(loop.edges[i]) - 1;
        try {
          t.keep(numbers[l][i], numbers[l][(i + 1) % n], piece);
        } catch (thrown) {
          throw thrown instanceof Crossing ? this.finer(thrown.edges) : thrown;
        }
      }
    });
    t.carve();
    if (t.triangles === 0) throw this.finer(this.pieces.map((_, i) => i));
    layCreases(this.plane, creasesOf(this.face.surface), numbers);
  }

  private finer(pieces: readonly number[]): Finer {
    return new Finer(pieces.map((p) => this.pieces[p] ?? -1).filter((e) => e >= 0));
  }

  /** Puts the corners of a loop in: each between two that are there, so that each search is short. */
  private corners(loop: Outline): Int32Array {
    const n = loop.vertices.length;
    const numbers = new Int32Array(n).fill(-1);
    let step = 1;
    while (step < n) step *= 2;
    for (; step >= 1; step /= 2) {
      for (let i = 0; i < n; i += step) {
        if (numbers[i] < 0) numbers[i] = this.cornerOf(loop, i, i >= step ? numbers[i - step] : -1);
      }
    }
    return numbers;
  }

  /** Puts a corner in. Loops may touch at a vertex, not at other places. @param near a point to look from, or -1 */
  private cornerOf(loop: Outline, i: number, near: number): number {
    const { t, scale, vertex } = this.plane;
    const before = t.points;
    const p = t.insert(loop.uv[2 * i] * scale[0], loop.uv[2 * i + 1] * scale[1], near < 0 ? undefined : (t.leaving[near] / 3) | 0);
    if (p >= before) this.plane.corner(p, loop.vertices[i], this.vertexAt.subarray(3 * loop.vertices[i], 3 * loop.vertices[i] + 3));
    else if (vertex[p] !== loop.vertices[i]) {
      const n = loop.vertices.length;
      throw new Finer([...new Set([loop.edges[i], loop.edges[(i + n - 1) % n], ...this.edgesAt(p)])].filter((e) => e >= 0));
    }
    return p;
  }

  /** Edges of the body whose corners a point of the triangulation is one of. */
  private edgesAt(p: number): number[] {
    const vertex = this.plane.vertex[p];
    return this.face.loops.flatMap((loop) => [...loop.edges].filter((_, i) => loop.vertices[i] === vertex));
  }

  /** Chords of the outline lie as near to the surface as the rest. */
  private checkChords(): void {
    const { deviation } = this.plane.task.want;
    const off = new Off(this.face.surface, this.face.bend);
    const [a, b] = newCorners();
    const list: [number, number][] = [];
    for (const { uv, vertices, edges, chords } of this.face.loops) {
      const n = vertices.length;
      for (let i = 0; i < n; i++) {
        if (edges[i] < 0) continue;
        [i, (i + 1) % n].forEach((at, k) => {
          const c = k === 0 ? a : b;
          for (let j = 0; j < 3; j++) c.p[j] = this.vertexAt[3 * vertices[at] + j];
          c.u = uv[2 * at];
          c.v = uv[2 * at + 1];
        });
        if (off.of([a, b, b], doubtful * deviation) > deviation * chordSlack) list.push([edges[i], chords[i]]);
      }
    }
    if (list.length > 0) throw new Finer([], list);
  }

  private result(): FaceFacets {
    const { t, vertex, place } = this.plane;
    const own = new Int32Array(t.points).fill(-1);
    const out: FaceFacets = { triangles: [], points: [] };
    const number = (p: number): number => {
      if (vertex[p] >= 0) return vertex[p];
      if (own[p] < 0) {
        own[p] = out.points.length / 3;
        out.points.push(place[3 * p], place[3 * p + 1], place[3 * p + 2]);
      }
      return -1 - own[p];
    };
    for (let k = 0; k < t.triangles; k++) {
      const [a, b, c] = [number(t.corner[3 * k]), number(t.corner[3 * k + 1]), number(t.corner[3 * k + 2])];
      if (a === b || b === c || c === a) continue;
      if (this.face.turned) out.triangles.push(a, c, b);
      else out.triangles.push(a, b, c);
    }
    return out;
  }
}
