import { buildBvh, type Bvh } from '../geometry/bvh/build.ts';
import { edgesOf, manyEdge, nextCorner } from '../geometry/edges.ts';
import type { Mesh } from '../geometry/mesh.ts';
import type { ExactSolid } from './brep-text.ts';
import { periodOf } from './curves.ts';
import type { CreasedFoot } from './creased-foot.ts';
import { SurfaceFoot } from './foot.ts';
import { Nearest, parameterRange } from './nearest.ts';
import { PlacesOver } from './places-over.ts';
import { SurfaceSide } from './surface-side.ts';
import { SweptFoot } from './swept-foot.ts';
import type { Surface } from './surfaces.ts';

type Round = Extract<Surface, { kind: 'cylinder' | 'sphere' }>;

/** Facets of a solid: which face each run of triangles came from. */
export interface FaceRuns {
  /** First triangle of each face's run, and one past the last at the end: faces + 1 numbers. */
  starts: Uint32Array;
}

export interface Deviation {
  /** Largest distance in mm between the facets and the exact surfaces or edges. */
  largest: number;
  /** Where: a point on the facets, mm, and the face it belongs to. */
  at: [number, number, number];
  face: number;
  /** Largest deviation of each face, mm. */
  perFace: Float64Array;
  /** Faces whose surface could not be evaluated; they are not in the figure. */
  unmeasured: number;
}

/**
 * Barycentric weights tried in each triangle: corners, edge middles, quarters of edges, centre, and three between. Quarters, because a facet may cross its surface:
 * what lies to one side of it is farthest near a quarter then, and hardly off in the middle.
 */
const probes = [
  1, 0, 0, 0, 1, 0, 0, 0, 1, 0.5, 0.5, 0, 0, 0.5, 0.5, 0.5, 0, 0.5, 1 / 3, 1 / 3, 1 / 3, 0.75, 0.25, 0, 0.25, 0.75, 0, 0, 0.75, 0.25, 0, 0.25, 0.75, 0.75, 0, 0.25,
  0.25, 0, 0.75, 0.5, 0.25, 0.25, 0.25, 0.5, 0.25, 0.25, 0.25, 0.5,
]; // prettier-ignore

/**
 * Measures how far facets are from the solid they stand for, against the exact surfaces and not against other facets.
 * Cylinders and spheres have a closed form; elsewhere every triangle is probed at sixteen places and those near the
 * largest value are searched further, so that the figure is the maximum and not a sample of it. Splines are also looked at from their side: places in each of
 * their spans against the facets, for a narrow bump may stand between all that is looked at on these. Chords along the edges between two faces are held against both
 * surfaces at once, so that a hole in a flat plate counts although every facet lies in the plane.
 *
 * @param facets in the solid's own coordinates, mm, their triangles face by face as `starts` says.
 * @param enough stops early once the deviation is beyond this (mm); the figure is then a lower bound.
 * @example measureDeviation(readBrepText(brep), await source.facets(0.05, 0.3)).largest
 */
export function measureDeviation(solid: ExactSolid, facets: Mesh & FaceRuns, enough = Infinity): Deviation {
  const nearest = solid.faces.map((face) => new Nearest(face.surface));
  const feet = new Feet(facets);
  const perFace = new Float64Array(solid.faces.length);
  const result: Deviation = { largest: 0, at: [0, 0, 0], face: -1, perFace, unmeasured: 0 };
  for (let f = 0; f < solid.faces.length; f++) {
    if (solid.faces[f].surface.kind === 'other') {
      result.unmeasured++;
      continue;
    }
    new FaceProbe(nearest[f], { surface: solid.faces[f].surface, face: f, feet }, facets, result).all();
    if (result.largest > enough) return result;
  }
  probeSharedEdges({ solid, nearest }, facets, result);
  return result;
}

/** Most triangles of a face that are searched further, and how many come first whatever they gain. */
const mostClimbs = 400;
const sureClimbs = 24;

/** A search is taken to find at least so much more than the probes did. */
const leastGain = 1.05;

const stepsA = [1, -1, 0, 0, 1, -1];
const stepsB = [0, 0, 1, -1, -1, 1];

/** What finds parameters of places on a surface. */
type Located = SurfaceFoot | CreasedFoot | SweptFoot;

/** What all faces share. Of each face's vertices: parameters of their nearest points, so that a place between them is looked for from between these. */
class Feet {
  private readonly uv: Float64Array;
  private readonly of: Int32Array;

  private readonly facets: Mesh;
  private boxes: Bvh | null = null;

  constructor(facets: Mesh) {
    const vertices = facets.positions.length / 3;
    this.facets = facets;
    this.uv = new Float64Array(2 * vertices);
    this.of = new Int32Array(vertices).fill(-1);
  }

  /** The tree of all facets. */
  readonly tree = (): Bvh => (this.boxes ??= buildBvh(this.facets));

  /** Parameters of a vertex's nearest point into a list. */
  at(foot: Located, { face, vertex, p }: { face: number; vertex: number; p: Float64Array }, out: Float64Array, k: number): void {
    if (this.of[vertex] !== face) {
      if (foot instanceof SweptFoot) foot.locate(p[3 * vertex], p[3 * vertex + 1], p[3 * vertex + 2]);
      else foot.find(p[3 * vertex], p[3 * vertex + 1], p[3 * vertex + 2]);
      this.of[vertex] = face;
      this.uv[2 * vertex] = foot.u;
      this.uv[2 * vertex + 1] = foot.v;
    }
    out[2 * k] = this.uv[2 * vertex];
    out[2 * k + 1] = this.uv[2 * vertex + 1];
  }
}

/** A round trip in u and v; 0 where a surface does not close that way. */
function periodsOf(surface: Surface, foot: Located): [number, number] {
  if (surface.kind === 'revolution') return [2 * Math.PI, periodOf(surface.profile)];
  if (surface.kind === 'extrusion') return [periodOf(surface.profile), 0];
  const { uPeriod, vPeriod } = foot instanceof SurfaceFoot ? foot : new SurfaceFoot(surface, parameterRange(surface));
  return [uPeriod, vPeriod];
}

/** The facets of one face held against its surface. */
class FaceProbe {
  private readonly on: Nearest;
  private readonly surface: Surface;
  private readonly face: number;
  private readonly p: Float64Array;
  private readonly t: Uint32Array;
  private readonly from: number;
  private readonly to: number;
  private readonly result: Deviation;
  /** Weights of the place in a triangle that is looked at. */
  private readonly w = new Float64Array(3);

  private readonly feet: Feet;
  /** Parameters of the corners' nearest points, of surfaces that are searched. */
  private readonly uv = new Float64Array(6);

  constructor(
    on: Nearest,
    { surface, face, feet }: { surface: Surface; face: number; feet: Feet },
    { positions, triangles, starts }: Mesh & FaceRuns,
    result: Deviation,
  ) {
    [this.on, this.surface, this.face, this.result, this.feet] = [on, surface, face, result, feet];
    [this.p, this.t, this.from, this.to] = [positions, triangles, starts[face], starts[face + 1]];
  }

  all(): void {
    const { on, surface, from, to } = this;
    const round = surface.kind === 'cylinder' || surface.kind === 'sphere' ? surface : null;
    const exactly = round !== null || surface.kind === 'plane';
    const last = exactly ? 9 : probes.length;
    const bests = new Float64Array(Math.max(0, to - from));
    const seeds = new Uint8Array(bests.length);
    let high = 0;
    for (let i = from; i < to; i++) {
      let best = 0;
      let seed = 0;
      on.sure = high;
      // What is no farther than the largest so far can't be the largest.
      on.enough = high;
      this.corners(i);
      for (let k = 0; k < last; k += 3) {
        const d = this.distanceAt(i, k);
        if (d > best) {
          best = d;
          seed = k;
        }
      }
      bests[i - from] = best;
      seeds[i - from] = seed;
      if (best > high) high = best;
      this.weigh(probes[seed], probes[seed + 1], probes[seed + 2]);
      this.note(i, best);
      if (round) this.inmost(round, i);
    }
    on.enough = 0;
    if (!exactly && high >= 1e-9) this.climbAll(bests, seeds, high);
    this.fromSurface();
  }

  /** Seen from the surface: places of every span of a spline, whether a facet was looked at there or not. */
  private fromSurface(): void {
    const { on, surface, from, to, feet, result, face, p, t } = this;
    const foot = on.foot ?? on.creased ?? on.swept;
    if (!foot) return;
    const periods = periodsOf(surface, foot);
    const places = PlacesOver.of(surface, periods);
    if (!places) return;
    const side = new SurfaceSide(surface, places, { positions: p, triangles: t }, feet.tree);
    for (let i = from; i < to; i++) {
      this.cornersOn(foot, i, { uv: side.uv, periods });
      const most = side.farthestOver(i, result.perFace[face]);
      if (most <= result.perFace[face]) continue;
      result.perFace[face] = most;
      if (most <= result.largest) continue;
      result.largest = most;
      result.face = face;
      result.at = [...side.at];
    }
  }

  /** Where the corners of a triangle lie on a surface that is searched. */
  private corners(i: number): void {
    const { foot } = this.on;
    if (foot) this.cornersOn(foot, i, { uv: this.uv, periods: [foot.uPeriod, foot.vPeriod] });
  }

  private cornersOn(foot: Located, i: number, { uv, periods }: { uv: Float64Array; periods: readonly [number, number] }): void {
    const { p, face, t } = this;
    foot.enough = 0;
    for (let k = 0; k < 3; k++) {
      const vertex = t[i * 3 + k];
      this.feet.at(foot, { face, vertex, p }, uv, k);
      // Over a seam on to the same side as the first.
      for (let c = 0; c < 2; c++) if (periods[c] > 0) uv[2 * k + c] -= Math.round((uv[2 * k + c] - uv[c]) / periods[c]) * periods[c];
    }
  }

  /**
   * For a cylinder or sphere the distance to the axis or centre is convex, so the place in a triangle that lies deepest
   * is where it comes nearest to it: on a cylinder on an edge, on a sphere on an edge or at the foot of the perpendicular.
   */
  private inmost(surface: Round, i: number): void {
    const { p, t, w } = this;
    const c = surface.frame.at;
    const z = surface.frame.z;
    const flat = surface.kind === 'cylinder';
    for (let k = 0; k < 3; k++) {
      const a = t[i * 3 + k] * 3;
      const b = t[i * 3 + ((k + 1) % 3)] * 3;
      let ux = p[b] - p[a];
      let uy = p[b + 1] - p[a + 1];
      let uz = p[b + 2] - p[a + 2];
      if (flat) {
        const h = ux * z[0] + uy * z[1] + uz * z[2];
        ux -= h * z[0];
        uy -= h * z[1];
        uz -= h * z[2];
      }
      const length = ux * ux + uy * uy + uz * uz;
      if (length === 0) continue;
      const s = -((p[a] - c[0]) * ux + (p[a + 1] - c[1]) * uy + (p[a + 2] - c[2]) * uz) / length;
      if (s <= 0 || s >= 1) continue;
      w.fill(0);
      w[k] = 1 - s;
      w[(k + 1) % 3] = s;
      this.note(i, this.distance(i));
    }
    if (!flat) this.foot(c, i);
  }

  /** The foot of the perpendicular from the centre, when it lies inside the triangle. Source: Ericson, 3.4 (barycentric coordinates). */
  private foot(c: readonly number[], i: number): void {
    const { p, t } = this;
    const a = t[i * 3] * 3;
    const b = t[i * 3 + 1] * 3;
    const d = t[i * 3 + 2] * 3;
    let uu = 0;
    let uv = 0;
    let vv = 0;
    let wu = 0;
    let wv = 0;
    for (let k = 0; k < 3; k++) {
      const u = p[b + k] - p[a + k];
      const v = p[d + k] - p[a + k];
      const w = c[k] - p[a + k];
      uu += u * u;
      uv += u * v;
      vv += v * v;
      wu += w * u;
      wv += w * v;
    }
    const det = uu * vv - uv * uv;
    if (!(det > 0)) return;
    const s = (vv * wu - uv * wv) / det;
    const r = (uu * wv - uv * wu) / det;
    if (!(s > 0 && r > 0 && s + r < 1)) return;
    this.weigh(1 - s - r, s, r);
    this.note(i, this.distance(i));
  }

  /** Searches the triangles with the largest probes further, until what the rest could still gain is below the largest found. */
  private climbAll(bests: Float64Array, seeds: Uint8Array, high: number): void {
    const order: number[] = [];
    for (let i = 0; i < bests.length; i++) if (bests[i] >= high * 0.75) order.push(i);
    order.sort((a, b) => bests[b] - bests[a]);
    let gain = leastGain;
    let largest = 0;
    for (let k = 0; k < order.length && k < mostClimbs; k++) {
      const i = order[k];
      if (k >= sureClimbs && bests[i] * gain <= largest * 1.0005) return;
      this.corners(this.from + i);
      const found = this.climb(this.from + i, seeds[i], bests[i]);
      gain = Math.max(gain, found / bests[i]);
      largest = Math.max(largest, found);
    }
  }

  /** Pattern search for the largest distance inside one triangle, from its best probe. */
  private climb(i: number, seed: number, least: number): number {
    const { on, result, face } = this;
    let best = least;
    let a = probes[seed];
    let b = probes[seed + 1];
    let step = 0.17;
    while (step > 0.004) {
      let moved = false;
      for (let k = 0; k < 6; k++) {
        const na = a + step * stepsA[k];
        const nb = b + step * stepsB[k];
        if (na < 0 || nb < 0 || na + nb > 1) continue;
        on.sure = Math.max(best, result.perFace[face]);
        on.enough = best;
        this.weigh(na, nb, 1 - na - nb);
        const d = this.distance(i);
        if (d > best) {
          best = d;
          a = na;
          b = nb;
          moved = true;
        }
      }
      if (!moved) step /= 2;
    }
    on.enough = 0;
    this.weigh(a, b, 1 - a - b);
    this.note(i, best);
    return best;
  }

  private weigh(a: number, b: number, c: number): void {
    const { w } = this;
    w[0] = a;
    w[1] = b;
    w[2] = c;
  }

  private distanceAt(i: number, k: number): number {
    this.weigh(probes[k], probes[k + 1], probes[k + 2]);
    return this.distance(i);
  }

  /** How far the place that is looked at in a triangle lies off the surface. */
  private distance(i: number): number {
    const { p, t, w } = this;
    const a = w[0];
    const b = w[1];
    const c = w[2];
    const ia = t[i * 3] * 3;
    const ib = t[i * 3 + 1] * 3;
    const ic = t[i * 3 + 2] * 3;
    const { foot } = this.on;
    if (foot) {
      const { uv } = this;
      foot.u = a * uv[0] + b * uv[2] + c * uv[4];
      foot.v = a * uv[1] + b * uv[3] + c * uv[5];
    }
    return this.on.find(a * p[ia] + b * p[ib] + c * p[ic], a * p[ia + 1] + b * p[ib + 1] + c * p[ic + 1], a * p[ia + 2] + b * p[ib + 2] + c * p[ic + 2]);
  }

  /** Keeps a distance of the place that is looked at where it is the largest so far. */
  private note(i: number, d: number): void {
    const { p, t, w, face, result } = this;
    if (d > result.perFace[face]) result.perFace[face] = d;
    if (d <= result.largest) return;
    result.largest = d;
    result.face = face;
    const ia = t[i * 3] * 3;
    const ib = t[i * 3 + 1] * 3;
    const ic = t[i * 3 + 2] * 3;
    for (let k = 0; k < 3; k++) result.at[k] = w[0] * p[ia + k] + w[1] * p[ib + k] + w[2] * p[ic + k];
  }
}

/** The faces of a solid, each with the search for its nearest points. */
interface Searched {
  solid: ExactSolid;
  nearest: readonly Nearest[];
}

/** Chords between two faces: the distance from points of the chord to where both surfaces meet. */
function probeSharedEdges(searched: Searched, { positions: p, triangles: t, starts }: Mesh & FaceRuns, result: Deviation): void {
  const { across } = edgesOf(t, p.length / 3);
  const vertices = p.length / 3;
  /** Where more than two triangles share an edge: the face of the first of each two. */
  const many = new Map<number, number>();
  for (let f = 0; f < searched.solid.faces.length; f++) {
    for (let c = starts[f] * 3; c < starts[f + 1] * 3; c++) {
      const other = across[c] === manyEdge ? -1 : across[c];
      // Each edge once, from the later of its faces.
      if (across[c] !== manyEdge && (other < 0 || other >= starts[f] * 3)) continue;
      const [v, w] = [t[c], t[nextCorner(c)]];
      if (v === w) continue;
      let g = -1;
      if (other >= 0) g = faceOf(starts, (other / 3) | 0);
      else {
        const key = v < w ? v * vertices + w : w * vertices + v;
        const first = many.get(key);
        if (first === undefined) {
          many.set(key, f);
          continue;
        }
        many.delete(key);
        g = first;
      }
      if (g !== f) probeChord(searched, [g, f], [p.subarray(v * 3, v * 3 + 3), p.subarray(w * 3, w * 3 + 3)], result);
    }
  }
}

/** The face that a triangle belongs to. */
function faceOf(starts: Uint32Array, triangle: number): number {
  let low = 0;
  let high = starts.length - 2;
  while (low < high) {
    const middle = (low + high + 1) >> 1;
    if (starts[middle] <= triangle) low = middle;
    else high = middle - 1;
  }
  return low;
}

function probeChord({ solid, nearest }: Searched, [f, g]: readonly [number, number], [a, b]: readonly [Float64Array, Float64Array], result: Deviation): void {
  const one = solid.faces[f].surface.kind;
  const two = solid.faces[g].surface.kind;
  if (one === 'other' || two === 'other' || (one === 'plane' && two === 'plane')) return;
  nearest[f].sure = nearest[g].sure = result.largest;
  for (const s of [0.5, 0.25, 0.75]) {
    const q = [0, 1, 2].map((k) => a[k] + s * (b[k] - a[k])) as [number, number, number];
    const d = toBoth(nearest[f], nearest[g], q);
    for (const face of [f, g]) if (d > result.perFace[face]) result.perFace[face] = d;
    if (d > result.largest) {
      result.largest = d;
      result.at = q;
      result.face = one === 'plane' ? g : f;
    }
  }
}

/**
 * Distance from a point to the curve where two surfaces meet, by projecting to and fro.
 * Where the two touch without crossing the steps stay tiny and the figure is the distance to both, which is what counts.
 */
function toBoth(one: Nearest, two: Nearest, q: [number, number, number]): number {
  let [x, y, z] = q;
  let moved = 0;
  for (let step = 0; step < 24; step++) {
    one.find(x, y, z);
    two.find(one.x, one.y, one.z);
    const change = Math.hypot(two.x - x, two.y - y, two.z - z);
    x = two.x;
    y = two.y;
    z = two.z;
    const now = Math.hypot(x - q[0], y - q[1], z - q[2]);
    if (Number.isNaN(now)) return 0;
    moved = now;
    if (change < 1e-9 + 1e-4 * now) break;
  }
  return moved;
}
