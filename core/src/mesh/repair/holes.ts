import { boxOf } from '../../geometry/box.ts';
import { loopNormal } from '../../geometry/triangle.ts';
import type { Vec3 } from '../../geometry/vector.ts';
import { Crossing, Triangulation } from '../../mesher/triangulation.ts';

/** Loops of more edges than this are triangulated in their plane where they have one, and halved where not; the exact least area takes n^3 steps. */
export const mostExact = 300;

/** What a fill may not use; places are numbers into the loop, in rising order. */
export interface FillLimits {
  /** An edge that is there already. */
  edge(i: number, k: number): boolean;
  triangle(i: number, j: number, k: number): boolean;
}

/**
 * Triangles over a closed loop (vertex numbers in the order in which they shall run), as numbers into the loop.
 * Least total area by dynamic programming. Source: Barequet and Sharir, Filling gaps in the boundary of a polyhedron, 1995.
 */
export function leastArea(points: Float64Array, limits: FillLimits | null = null): number[] {
  const n = points.length / 3;
  if (n < 3) return [];
  if (n === 3) return limits?.triangle(0, 1, 2) ? [] : [0, 1, 2];
  if (n > mostExact) {
    const flat = planar(points) ? inItsPlane(points) : [];
    return flat.length > 0 ? flat : inHalves(points, limits);
  }
  const cost = new Float64Array(n * n);
  const split = new Int32Array(n * n);
  for (let span = 2; span < n; span++)
    for (let i = 0; i + span < n; i++) {
      const k = i + span;
      if (limits !== null && span < n - 1 && limits.edge(i, k)) cost[i * n + k] = Infinity;
      else split[i * n + k] = leastSplit(points, cost, [i, k], limits);
    }
  if (!Number.isFinite(cost[n - 1])) return [];
  return unrolled(split, n);
}

/** Where the part of a loop from i to k is parted so that it costs the least, which goes into the table of costs. */
function leastSplit(points: Float64Array, cost: Float64Array, [i, k]: readonly [number, number], limits: FillLimits | null): number {
  const n = points.length / 3;
  let best = Infinity;
  let at = i + 1;
  for (let j = i + 1; j < k; j++) {
    const c = cost[i * n + j] + cost[j * n + k] + area(points, i, j, k);
    if (c < best && !(limits !== null && limits.triangle(i, j, k))) {
      best = c;
      at = j;
    }
  }
  cost[i * n + k] = best;
  return at;
}

/**
 * Triangles over a closed loop that turn as little as can be from what is beside them: the largest angle between neighbours
 * first, then the area. Slower than the least area, but it does not fold back over the surface around a hole.
 * Source: Liepa, Filling holes in meshes, 2003, section 3.
 *
 * @param beside 3 numbers for each edge i to i + 1 of the loop: the far corner of the triangle that is there, mm.
 * @returns numbers into the loop; none when the limits leave no way, or the loop is too long.
 */
export function leastTurn(points: Float64Array, beside: Float64Array, limits: FillLimits | null = null): number[] {
  const n = points.length / 3;
  if (n < 4 || n > mostExact) return leastArea(points, limits);
  return new LeastTurn(points, beside, limits).triangles();
}

/** The tables of a fill that turns least: for each part of the loop from i to k, the largest turn, the area, where it is parted, and the normal of its triangle at the chord. */
class LeastTurn {
  private readonly n: number;
  private readonly points: Float64Array;
  private readonly limits: FillLimits | null;
  private readonly turn: Float64Array;
  private readonly cost: Float64Array;
  private readonly split: Int32Array;
  private readonly normals: Float64Array;
  /** The normal worked out last. */
  private readonly normal = new Float64Array(3);

  constructor(points: Float64Array, beside: Float64Array, limits: FillLimits | null) {
    const n = points.length / 3;
    this.n = n;
    this.points = points;
    this.limits = limits;
    this.turn = new Float64Array(n * n);
    this.cost = new Float64Array(n * n);
    this.split = new Int32Array(n * n);
    this.normals = new Float64Array(n * n * 3);
    // Across the loop's edges stands what is there: its far corner lies on the other side, so the edge runs backwards for it.
    for (let i = 0; i < n; i++) {
      const k = (i + 1) % n;
      this.normalTo(k, i, beside, i);
      this.normals.set(this.normal, (Math.min(i, k) * n + Math.max(i, k)) * 3);
    }
  }

  triangles(): number[] {
    const { n, limits, cost } = this;
    for (let span = 2; span < n; span++)
      for (let i = 0; i + span < n; i++) {
        const k = i + span;
        if (limits !== null && span < n - 1 && limits.edge(i, k)) cost[i * n + k] = this.turn[i * n + k] = Infinity;
        else this.part(i, k);
      }
    return cost[n - 1] < Infinity ? unrolled(this.split, n) : [];
  }

  private part(i: number, k: number): void {
    const { n, points, limits, turn, cost, split, normals } = this;
    const at = i * n + k;
    // What stands across the last edge has its normal where the whole loop's would be.
    const whole = i === 0 && k === n - 1;
    turn[at] = cost[at] = Infinity;
    split[at] = i + 1;
    for (let j = i + 1; j < k; j++) {
      const [left, right] = [i * n + j, j * n + k];
      if (cost[left] === Infinity || cost[right] === Infinity || turn[left] > turn[at] || turn[right] > turn[at]) continue;
      if (limits !== null && limits.triangle(i, j, k)) continue;
      this.normalTo(i, j, points, k);
      let worst = Math.max(turn[left], turn[right], this.turnFrom(left), this.turnFrom(right));
      if (whole) worst = Math.max(worst, this.turnFrom(at));
      if (worst > turn[at]) continue;
      const c = cost[left] + cost[right] + area(points, i, j, k);
      if (worst < turn[at] || c < cost[at]) {
        turn[at] = worst;
        cost[at] = c;
        split[at] = j;
      }
    }
    if (whole || cost[at] === Infinity) return;
    this.normalTo(i, split[at], points, k);
    normals.set(this.normal, at * 3);
  }

  /** How far the triangle at work turns from the one that is kept there: 1 less the cosine. */
  private turnFrom(at: number): number {
    const { normals, normal } = this;
    return 1 - (normals[at * 3] * normal[0] + normals[at * 3 + 1] * normal[1] + normals[at * 3 + 2] * normal[2]);
  }

  /** The normal of the triangle over points a and b of the loop and point c of p, of unit length; 0 where it has no area. */
  private normalTo(a: number, b: number, p: Float64Array, c: number): void {
    const { points, normal } = this;
    const ux = points[b * 3] - points[a * 3];
    const uy = points[b * 3 + 1] - points[a * 3 + 1];
    const uz = points[b * 3 + 2] - points[a * 3 + 2];
    const vx = p[c * 3] - points[a * 3];
    const vy = p[c * 3 + 1] - points[a * 3 + 1];
    const vz = p[c * 3 + 2] - points[a * 3 + 2];
    const x = uy * vz - uz * vy;
    const y = uz * vx - ux * vz;
    const z = ux * vy - uy * vx;
    const length = Math.sqrt(x * x + y * y + z * z);
    normal[0] = length > 0 ? x / length : 0;
    normal[1] = length > 0 ? y / length : 0;
    normal[2] = length > 0 ? z / length : 0;
  }
}

function unrolled(split: Int32Array, n: number): number[] {
  const out: number[] = [];
  const open: [number, number][] = [[0, n - 1]];
  while (open.length > 0) {
    const [i, k] = open.pop()!;
    if (k - i < 2) continue;
    const j = split[i * n + k];
    out.push(i, j, k);
    open.push([i, j], [j, k]);
  }
  return out;
}

/** Loops within this share of their width of a plane are triangulated in it. */
const planarShare = 1e-3;

function planar(p: Float64Array): boolean {
  const { middle } = planeOf(p);
  let wide = 0;
  for (let i = 0; i < p.length; i += 3) wide = Math.max(wide, Math.hypot(p[i] - middle[0], p[i + 1] - middle[1], p[i + 2] - middle[2]));
  return offPlane(p) <= planarShare * wide;
}

/** How far the farthest of a loop's points lies from the plane that fits it; Infinity for points on a line. mm. */
export function offPlane(p: Float64Array): number {
  const { normal, middle } = planeOf(p);
  const length = Math.hypot(...normal);
  if (!(length > 0)) return Infinity;
  let off = 0;
  for (let i = 0; i < p.length; i += 3)
    off = Math.max(off, Math.abs((p[i] - middle[0]) * normal[0] + (p[i + 1] - middle[1]) * normal[1] + (p[i + 2] - middle[2]) * normal[2]) / length);
  return off;
}

/** Normal (twice the area long), and the middle of the vertices. */
function planeOf(p: Float64Array): { normal: Vec3; middle: Vec3 } {
  const n = p.length / 3;
  const middle: Vec3 = [0, 0, 0];
  for (let i = 0; i < p.length; i++) middle[i % 3] += p[i] / n;
  return { normal: loopNormal(p, range(0, n - 1)), middle };
}

/** A long loop is parted at its shortest chord that leaves a third or more on each side, until the parts are short enough. */
function inHalves(p: Float64Array, limits: FillLimits | null): number[] {
  const n = p.length / 3;
  const step = Math.max(1, Math.floor(n / 1500));
  let best = Infinity;
  let [a, b] = [0, Math.floor(n / 2)];
  for (let i = 0; i < n; i += step)
    for (let k = i + Math.floor(n / 3); k < Math.min(n, i + Math.ceil((2 * n) / 3)); k += step) {
      const d = (p[i * 3] - p[k * 3]) ** 2 + (p[i * 3 + 1] - p[k * 3 + 1]) ** 2 + (p[i * 3 + 2] - p[k * 3 + 2]) ** 2;
      if (d < best && !limits?.edge(i, k)) [best, a, b] = [d, i, k];
    }
  const out: number[] = [];
  const halves = [range(a, b), [...range(b, n - 1), ...range(0, a)]];
  for (const half of halves) {
    const points = new Float64Array(half.length * 3);
    half.forEach((v, i) => points.set(p.subarray(v * 3, v * 3 + 3), i * 3));
    const rising = (v: number[]) => v.map((i) => half[i]).sort((x, y) => x - y);
    const inner = limits && {
      edge: (i: number, k: number) => limits.edge(...(rising([i, k]) as [number, number])),
      triangle: (i: number, j: number, k: number) => limits.triangle(...(rising([i, j, k]) as [number, number, number])),
    };
    const part = leastArea(points, inner);
    if (part.length === 0) return [];
    for (const i of part) out.push(half[i]);
  }
  return out;
}

const range = (from: number, to: number) => Array.from({ length: to - from + 1 }, (_, i) => from + i);

function area(p: Float64Array, i: number, j: number, k: number): number {
  const ux = p[j * 3] - p[i * 3];
  const uy = p[j * 3 + 1] - p[i * 3 + 1];
  const uz = p[j * 3 + 2] - p[i * 3 + 2];
  const vx = p[k * 3] - p[i * 3];
  const vy = p[k * 3 + 1] - p[i * 3 + 1];
  const vz = p[k * 3 + 2] - p[i * 3 + 2];
  return Math.sqrt((uy * vz - uz * vy) ** 2 + (uz * vx - ux * vz) ** 2 + (ux * vy - uy * vx) ** 2) / 2;
}

/**
 * A loop near a plane by the constrained Delaunay triangulation seen along its normal; the bridges of islands, which are gone along twice, may be crossed.
 * @returns numbers into the loop; none when edges of it cross or points of it meet, seen so
 */
function inItsPlane(p: Float64Array): number[] {
  const n = p.length / 3;
  const { normal } = planeOf(p);
  const drop = normal.map(Math.abs).indexOf(Math.max(...normal.map(Math.abs)));
  const [u, v] = normal[drop] >= 0 ? [(drop + 1) % 3, (drop + 2) % 3] : [(drop + 2) % 3, (drop + 1) % 3];
  const { min, max } = boxOf(p);
  const plane = new Triangulation([min[u], min[v], max[u], max[v]], n);
  /** Of each point of the plane a number into the loop, and of each number the point. */
  const first: number[] = [];
  const points = Array.from({ length: n }, (_, i) => {
    const at = plane.insert(p[i * 3 + u], p[i * 3 + v]);
    first[at] ??= i;
    return at;
  });
  if (points.some((at, i) => at < 0 || p[i * 3 + drop] !== p[first[at] * 3 + drop])) return [];
  const edges = new Map<number, [number, number]>();
  points.forEach((a, i) => {
    const b = points[(i + 1) % n];
    const key = Math.min(a, b) * 2 ** 26 + Math.max(a, b);
    if (!edges.delete(key)) edges.set(key, [a, b]);
  });
  try {
    for (const [a, b] of edges.values()) plane.keep(a, b, 0);
  } catch (error) {
    if (error instanceof Crossing) return [];
    throw error;
  }
  plane.carve();
  if (plane.triangles !== n - 2) return [];
  return Array.from(plane.corner.subarray(0, plane.triangles * 3), (at) => first[at]);
}
