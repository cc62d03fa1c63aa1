import { Unusable } from '../base/finding.ts';
import { buildBvh, type Bvh } from '../geometry/bvh/build.ts';
import { nearestOnMesh, nowhere } from '../geometry/bvh/nearest.ts';
import { edgesOf, nextCorner } from '../geometry/edges.ts';
import { crossOfTriangle } from '../geometry/triangle.ts';
import type { Mesh } from '../geometry/mesh.ts';
import { weldEqual } from '../geometry/weld.ts';
import type { Placement } from '../geometry/placement.ts';
import type { Vec3 } from '../geometry/vector.ts';
import type { ExactSolid } from './brep-text.ts';
import { Nearest } from './nearest.ts';

/** More triangles than this are not coloured: that takes minutes. */
export const mostColoured = 1_000_000;
/** A point of a surface belongs to the face itself, and not to where its surface goes on, when it lies this near to its facets, in what they lie off it at most. */
const withinFace = 1.05;

/** How far two surfaces lie apart, one figure a triangle of each: what is farthest in it, mm; outside the design it is positive, within it negative. */
export interface Differences {
  /** For each triangle as received: how far it lies off the design. */
  received: Float32Array;
  /** For each facet of the design as it is drawn: how far what was received lies off it. What is missing shows here. */
  designed: Float32Array;
  /** Largest of all, mm, and where, as received. */
  largest: number;
  at: Vec3;
  /** Faces of a solid whose surface can't be evaluated: there distances are those from the facets that are drawn. */
  byFacets: number;
}

/** A design as it is drawn: facets, for a solid face by face with its exact surfaces; a mesh is its own facets. Its own coordinates. */
export interface DrawnDesign {
  positions: ArrayLike<number>;
  triangles: Uint32Array;
  /** First facet of each face, and their number at the end; empty for a mesh. */
  starts: Uint32Array;
  exact: ExactSolid | null;
}

/**
 * How far what was received lies off the design, and the design off it. Of a solid distances are those from its exact surfaces, not from the facets
 * that are drawn; facets only say which face is near. Middles of edges and triangles are asked as well as corners, since corners lie on the surface.
 * @param placed how the design stands in the received coordinates: turned, scaled to mm, moved
 * @throws Unusable for a mesh too heavy
 * @example differencesOf(design, received, placementOf(stance, 1, design.positions)).largest // mm
 */
export function differencesOf(design: DrawnDesign, received: Mesh, placed: Placement): Differences {
  const heavy = Math.max(received.triangles.length, design.triangles.length) / 3;
  if (heavy > mostColoured)
    throw new Unusable(
      'too-heavy-to-colour',
      `The mesh has ${heavy.toLocaleString('en')} triangles; at most ${mostColoured.toLocaleString('en')} are coloured.`,
      'Lay both prints over each other instead, or write it with a larger deviation.',
    );
  if (received.triangles.length === 0 || design.triangles.length === 0)
    throw new Unusable(
      'nothing-to-colour',
      'One of both has no triangles: there is nothing to hold the other against.',
      'Look at the evidence of the file, and write it again.',
    );
  const off = new OffDesign(design);
  const scale = Math.hypot(placed.rows[0], placed.rows[3], placed.rows[6]);
  const back = (p: Vec3): Vec3 => inverse(placed, scale, p);
  const best = { largest: 0, at: [0, 0, 0] as Vec3 };
  const note = (d: number, p: Vec3) => {
    if (Math.abs(d) <= best.largest) return;
    best.largest = Math.abs(d);
    best.at = p;
  };
  const ofReceived = farthestEach(received, (p) => {
    const d = off.signed(back(p)) * scale;
    note(d, p);
    return d;
  });
  const tree = buildBvh(received);
  const own: Mesh = { positions: Float64Array.from(design.positions), triangles: design.triangles };
  const ofDesigned = farthestEach(
    own,
    (p, t) => {
      const q = forward(placed, off.onExact(p, t));
      const d = -signedOff(tree, q);
      note(d, q);
      return d;
    },
    off.face,
  );
  return { received: ofReceived, designed: ofDesigned, ...best, byFacets: design.exact ? off.byFacets : 0 };
}

const forward = ({ rows: m, shift }: Placement, [x, y, z]: Vec3): Vec3 => [0, 3, 6].map((r, i) => m[r] * x + m[r + 1] * y + m[r + 2] * z + shift[i]) as Vec3;

/** Back to the design's own coordinates: the turn's transpose, over the square of the scale. */
function inverse({ rows: m, shift }: Placement, scale: number, p: Vec3): Vec3 {
  const [x, y, z] = [p[0] - shift[0], p[1] - shift[1], p[2] - shift[2]];
  return [0, 1, 2].map((c) => (m[c] * x + m[c + 3] * y + m[c + 6] * z) / (scale * scale)) as Vec3;
}

/** Distance from a mesh, signed by the side of its nearest triangle. */
function signedOff(tree: Bvh, [x, y, z]: Vec3): number {
  const near = nearestOnMesh(tree, [x, y, z], nowhere());
  if (near.triangle < 0) return NaN;
  const n = crossOfTriangle(tree.mesh, near.triangle);
  const side = n[0] * (x - near.x) + n[1] * (y - near.y) + n[2] * (z - near.z);
  return Math.sqrt(near.squared) * (side < 0 ? -1 : 1);
}

/** Distances from a design: by its exact surfaces where it has them, by its triangles where not. */
class OffDesign {
  private readonly tree: Bvh;
  private readonly mesh: Mesh;
  /** The face of each triangle; -1: none. */
  readonly face: Int32Array;
  private readonly nearest: Nearest[];
  /** How far the facets of each face lie off it. */
  private readonly slack: Float64Array;

  /** Faces that meet at each vertex. */
  private readonly facesAt: Set<number>[];
  private readonly starts: Uint32Array;
  private readonly trees: Bvh[] = [];
  /** Faces whose surface gives no distances. */
  readonly byFacets: number;

  constructor({ positions, triangles, starts, exact }: DrawnDesign) {
    this.starts = starts;
    // Faces may bring their own points to the edges that they share.
    this.mesh = weldEqual(positions, triangles);
    this.tree = buildBvh(this.mesh);
    this.face = new Int32Array(triangles.length / 3).fill(-1);
    this.nearest = exact && starts.length === exact.faces.length + 1 ? exact.faces.map((f) => new Nearest(f.surface)) : [];
    this.slack = new Float64Array(this.nearest.length);
    for (let f = 0; f < this.nearest.length; f++) {
      this.face.fill(f, starts[f], starts[f + 1]);
      for (let t = starts[f]; t < starts[f + 1]; t++)
        for (const p of probesOf(this.mesh, t)) this.slack[f] = Math.max(this.slack[f], this.nearest[f].find(...p) || 0);
    }
    const probed = this.nearest.map((n, f) => (starts[f] < starts[f + 1] ? n.find(...probesOf(this.mesh, starts[f])[3]) : 0));
    this.byFacets = this.nearest.length > 0 ? probed.filter(Number.isNaN).length : starts.length - 1;
    this.facesAt = Array.from({ length: this.nearest.length > 0 ? this.mesh.positions.length / 3 : 0 }, () => new Set<number>());
    if (this.nearest.length > 0) this.mesh.triangles.forEach((v, c) => this.facesAt[v].add(this.face[(c / 3) | 0]));
  }

  /** The point of the exact face where a point of one of its facets stands; the point itself where there is none. */
  onExact(p: Vec3, triangle: number): Vec3 {
    const f = this.face[triangle];
    if (f < 0 || !(this.nearest[f].find(...p) <= this.slack[f] * 1.01)) return p;
    const { x, y, z } = this.nearest[f];
    return [x, y, z];
  }

  /** The faces that a triangle lies in or touches. */
  private facesNear(triangle: number): number[] {
    if (this.face[triangle] < 0) return [];
    const [a, b, c] = [0, 1, 2].map((i) => this.facesAt[this.mesh.triangles[triangle * 3 + i]]);
    return [...new Set([...a, ...b, ...c])];
  }

  /** The facets of one face by themselves. */
  private treeOf(f: number): Bvh {
    const [from, to] = [this.starts[f], this.starts[f + 1]];
    return (this.trees[f] ??= buildBvh({ positions: this.mesh.positions, triangles: this.mesh.triangles.slice(from * 3, to * 3) }));
  }

  /** Distance in the design's own units: outside positive, within negative. */
  signed(p: Vec3): number {
    const [x, y, z] = p;
    const near = nearestOnMesh(this.tree, [x, y, z], nowhere());
    const faces = this.facesNear(near.triangle);
    const slack = faces.reduce((most, f) => Math.max(most, this.slack[f]), 0);
    let best: { d: number; side: number } | null = null;
    for (const f of faces) {
      const foot = this.nearest[f];
      const own = foot.find(x, y, z);
      if (!(own < (best?.d ?? Infinity))) continue;
      // Beyond its edges a face's surface goes on where the part does not; edges are chords, too.
      const there = nearestOnMesh(this.treeOf(f), [foot.x, foot.y, foot.z], nowhere(), (slack * withinFace + 1e-9) ** 2);
      if (there.triangle < 0) continue;
      const n = crossOfTriangle(this.treeOf(f).mesh, there.triangle);
      best = { d: own, side: n[0] * (x - foot.x) + n[1] * (y - foot.y) + n[2] * (z - foot.z) };
    }
    if (best) return best.d * (best.side < 0 ? -1 : 1);
    const n = crossOfTriangle(this.mesh, near.triangle);
    const side = n[0] * (x - near.x) + n[1] * (y - near.y) + n[2] * (z - near.z);
    return Math.sqrt(near.squared) * (side < 0 ? -1 : 1);
  }
}

/** Middles of a triangle's edges, and its own. */
function probesOf({ positions: p, triangles: t }: Mesh, triangle: number): Vec3[] {
  const at = (i: number, d: number) => p[t[triangle * 3 + i] * 3 + d];
  const mix = (a: number, b: number, c: number) => [0, 1, 2].map((d) => a * at(0, d) + b * at(1, d) + c * at(2, d)) as Vec3;
  return [mix(0.5, 0.5, 0), mix(0, 0.5, 0.5), mix(0.5, 0, 0.5), mix(1 / 3, 1 / 3, 1 / 3)];
}

/**
 * For each triangle the figure that is farthest from 0 among its corners, the middles of its edges and its own middle; each place is asked once.
 * @param face the face of each triangle, where there are such: the middle of a chord between two faces lies on neither and is not asked
 */
function farthestEach(mesh: Mesh, figure: (p: Vec3, triangle: number) => number, face: Int32Array | null = null): Float32Array {
  const { positions: p, triangles: t } = mesh;
  const { across } = edgesOf(t, p.length / 3);
  const atVertex = new Float64Array(p.length / 3).fill(NaN);
  const atEdge = new Float64Array(t.length).fill(NaN);
  const out = new Float32Array(t.length / 3);
  const place = (v: number): Vec3 => [p[v * 3], p[v * 3 + 1], p[v * 3 + 2]];
  for (let k = 0; k < out.length; k++) {
    let most = 0;
    const take = (d: number) => {
      if (Math.abs(d) > Math.abs(most)) most = d;
    };
    const middle: Vec3 = [0, 0, 0];
    for (let c = k * 3; c < k * 3 + 3; c++) {
      const a = place(t[c]);
      const b = place(t[nextCorner(c)]);
      for (let d = 0; d < 3; d++) middle[d] += a[d] / 3;
      if (Number.isNaN(atVertex[t[c]])) atVertex[t[c]] = figure(a, k);
      take(atVertex[t[c]]);
      const other = across[c];
      if (face && (other < 0 || face[(other / 3) | 0] !== face[k])) continue;
      if (other >= 0 && !Number.isNaN(atEdge[other])) atEdge[c] = atEdge[other];
      else atEdge[c] = figure([(a[0] + b[0]) / 2, (a[1] + b[1]) / 2, (a[2] + b[2]) / 2], k);
      take(atEdge[c]);
    }
    take(figure(middle, k));
    out[k] = most;
  }
  return out;
}
