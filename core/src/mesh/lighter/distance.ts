import FlatQueue from 'flatqueue';
import { buildBvh, type Bvh } from '../../geometry/bvh/build.ts';
import { nearestOnMesh, nowhere, squaredFromTriangle } from '../../geometry/bvh/nearest.ts';
import { boxOf, diagonalOf } from '../../geometry/box.ts';
import type { Mesh } from '../../geometry/mesh.ts';
import { type Vec3, vecAt } from '../../geometry/vector.ts';

/** The largest distance from one surface to another, mm, and where it is. */
export interface OneWay {
  largest: number;
  at: [number, number, number];
  triangle: number;
  /** Nothing that was not looked into is farther off than this, mm: 0 where all was. Larger than `largest` only where a triangle had to be parted too often. */
  unsure: number;
}

export interface TwoWay {
  /** From the first surface to the second, and back. */
  there: OneWay;
  back: OneWay;
  largest: number;
  unsure: number;
}

/** How a distance is looked for. */
export interface Looking {
  /** Called with 0..1; true gives up and returns what was found so far. */
  progress?: (share: number) => boolean | void;
  /** Which points count at all; asked only of those that would be the farthest. */
  counts?: (at: Vec3) => boolean;
  /** Nothing below this is looked for: what the other direction found already. */
  atLeast?: number;
  /** A distance that is promised: whether anything is farther off than this is found out for certain, not within a tenth. */
  limit?: number;
}

/** A distance counts as found when it can't be larger by more than this share of itself (or of the diagonal, for tiny ones). */
const share = 0.1;
const floorShare = 1e-6;

/** Pieces that one triangle is parted into; and those that are looked at once more in all triangles where these were too few. */
const mostPieces = 20_000;
const mostAgain = 200_000;
/** A triangle that lies on both sides of what counts could be parted for ever. */
const mostAside = 400;

const everything = () => true;

/**
 * Largest distance from every point of `from` to the surface `to`. Triangles are quartered, what may be farthest first, until what they could still hide
 * is below a tenth of the largest found. Two bounds hold over a whole triangle: the distance of its middle plus its reach, and
 * the largest distance of its corners from one triangle of the other surface (distance from a convex set is convex).
 * A piece that lies that near the plane of its nearest triangle is parted along that triangle's sides: what is over it is near enough, only the rest goes on. So
 * flat places that were parted into other triangles cost no more than their meetings.
 * Source: Guthe, Borodin and Klein, Fast and accurate Hausdorff distance calculation between meshes, 2005; the parting is ours.
 * @example distanceTo(mesh, buildBvh(other), { limit: 0.05 }).largest
 */
export function distanceTo(from: Mesh, to: Bvh, how: Looking = {}): OneWay {
  const { progress } = how;
  const search = new Farthest(from, to, how);
  const known = search.corners((done) => progress?.(0.5 * done) === true);
  if (known) search.insides(known, (done) => progress?.(0.5 + 0.5 * done) === true);
  return search.best;
}

/** What is known of corners: how far each is off, and the triangle it is nearest to. */
interface Corners {
  off: Float64Array;
  nearest: Int32Array;
}

/** Less often than after so many indices of corners nobody is asked whether to go on. */
const askedEvery = 49_152;

/** The search for the point that is farthest off; `best` is the farthest so far. */
class Farthest {
  readonly best: OneWay = { largest: 0, at: [0, 0, 0], triangle: -1, unsure: 0 };
  private readonly from: Mesh;
  private readonly to: Bvh;
  private readonly counts: (at: Vec3) => boolean;
  private readonly atLeast: number;
  private readonly limit: number;
  private readonly floor: number;
  private readonly out = nowhere();
  /** The triangle nearest to the last point bounds the search for the next, which is seldom far away. */
  private last = 0;
  /** Pieces still open, what may be farthest first: their numbers, and nine of their corners for each number. */
  private readonly queue = new FlatQueue();
  private readonly pieces: number[] = [];
  private readonly parts: number[] = [];

  constructor(from: Mesh, to: Bvh, { counts = everything, atLeast = 0, limit = Infinity }: Looking) {
    this.from = from;
    this.to = to;
    this.counts = counts;
    this.atLeast = atLeast;
    this.limit = limit;
    this.floor = Math.max(diagonalOf(boxOf(from.positions)), 1e-30) * floorShare;
  }

  /** Every corner's distance; null when it was given up. */
  corners(stop: (done: number) => boolean): Corners | null {
    const { positions: p, triangles: t } = this.from;
    const off = new Float64Array(p.length / 3).fill(-1);
    const nearest = new Int32Array(p.length / 3);
    for (let i = 0; i < t.length; i++) {
      if (i % askedEvery === 0 && stop(i / t.length)) return null;
      const v = t[i];
      if (off[v] >= 0) continue;
      const at = vecAt(p, v * 3);
      off[v] = this.distanceAt(at);
      nearest[v] = this.last;
      if (off[v] > this.best.largest && this.counts(at)) this.keep(off[v], at, Math.floor(i / 3));
    }
    return { off, nearest };
  }

  /** What lies within triangles, where it may be farther off than their corners. */
  insides(corners: Corners, stop: (done: number) => boolean): void {
    const { triangles: t } = this.from;
    const most = this.counts === everything ? mostPieces : mostAside;
    const left: { triangle: number; bound: number }[] = [];
    for (let i = 0; i < t.length; i += 3) {
      if (i % askedEvery === 0 && stop(i / t.length)) return;
      if (!this.isOpen(i, corners)) continue;
      const bound = this.look(i, most).bound;
      if (bound > 0) left.push({ triangle: i, bound });
    }
    // Where a triangle had to be parted too often the farthest of all is known by now, and less of it is open.
    left.sort((a, b) => b.bound - a.bound);
    let again = this.counts === everything ? mostAgain : 0;
    for (const one of left) {
      if (one.bound <= this.enough()) break;
      if (again > 0) {
        const looked = this.look(one.triangle, again);
        again -= looked.pieces;
        one.bound = looked.bound;
      }
      if (one.bound > this.enough()) this.best.unsure = Math.max(this.best.unsure, one.bound);
    }
    if (this.best.unsure <= this.enough()) this.best.unsure = 0;
  }

  /** Whether a triangle may hide what is farther off than its corners. */
  private isOpen(i: number, { off, nearest }: Corners): boolean {
    const { positions: p, triangles: t } = this.from;
    const { mesh } = this.to;
    const [a, b, c] = [t[i] * 3, t[i + 1] * 3, t[i + 2] * 3];
    const longest = Math.max(
      (p[a] - p[b]) ** 2 + (p[a + 1] - p[b + 1]) ** 2 + (p[a + 2] - p[b + 2]) ** 2,
      (p[b] - p[c]) ** 2 + (p[b + 1] - p[c + 1]) ** 2 + (p[b + 2] - p[c + 2]) ** 2,
      (p[c] - p[a]) ** 2 + (p[c + 1] - p[a + 1]) ** 2 + (p[c + 2] - p[a + 2]) ** 2,
    );
    // No point of a triangle is farther from its nearest corner than longest side / sqrt 3.
    const most = Math.max(off[t[i]], off[t[i + 1]], off[t[i + 2]]) + Math.sqrt(longest / 3);
    const sure = this.enough();
    if (most <= sure) return false;
    const shared = nearest[t[i]];
    this.last = shared;
    return (
      squaredFromTriangle(mesh, shared, vecAt(p, a)) > sure * sure ||
      squaredFromTriangle(mesh, shared, vecAt(p, b)) > sure * sure ||
      squaredFromTriangle(mesh, shared, vecAt(p, c)) > sure * sure
    );
  }

  /** Looks into a triangle by so many pieces at most. @returns how far off the rest may still be, 0 when there is none, and the pieces that it took */
  private look(i: number, most: number): { bound: number; pieces: number } {
    const { positions: p, triangles: t } = this.from;
    const [a, b, c] = [t[i] * 3, t[i + 1] * 3, t[i + 2] * 3];
    this.queue.clear();
    this.pieces.length = 0;
    this.open([p[a], p[a + 1], p[a + 2], p[b], p[b + 1], p[b + 2], p[c], p[c + 1], p[c + 2]], Infinity);
    let count = 0;
    for (; count < most && this.queue.length > 0; count++) {
      if (-this.queue.peekValue()! <= this.enough()) return { bound: 0, pieces: count };
      this.piece(this.queue.pop()!, i / 3);
    }
    return { bound: this.queue.length > 0 ? -this.queue.peekValue()! : 0, pieces: count };
  }

  /** A piece that is to be looked at, when nothing of it is farther off than so far. */
  private open(corners: readonly number[], bound: number): void {
    this.queue.push(this.pieces.length / 9, -bound);
    for (let k = 0; k < 9; k++) this.pieces.push(corners[k]);
  }

  /** Looks at the middle of a piece, and opens what of it may still be farther off. */
  private piece(number: number, triangle: number): void {
    const { pieces: q, best, parts } = this;
    const { mesh } = this.to;
    const k = number * 9;
    const [ax, ay, az, bx, by, bz, cx, cy, cz] = [q[k], q[k + 1], q[k + 2], q[k + 3], q[k + 4], q[k + 5], q[k + 6], q[k + 7], q[k + 8]];
    const middle: Vec3 = [(ax + bx + cx) / 3, (ay + by + cy) / 3, (az + bz + cz) / 3];
    const [mx, my, mz] = middle;
    const d = this.distanceAt(middle);
    const counted = d <= best.largest || this.counts(middle);
    if (d > best.largest && counted) this.keep(d, middle, triangle);
    const [da, db, dc] = [Math.hypot(ax - mx, ay - my, az - mz), Math.hypot(bx - mx, by - my, bz - mz), Math.hypot(cx - mx, cy - my, cz - mz)];
    const reach = Math.max(da, db, dc);
    // Within that distance there is no surface, so the whole piece lies on the side that does not count.
    if (!counted && reach < d) return;
    const enough = this.enough();
    if (d + reach <= enough) return;
    const one = this.last;
    const squared = Math.max(
      squaredFromTriangle(mesh, one, [ax, ay, az]),
      squaredFromTriangle(mesh, one, [bx, by, bz]),
      squaredFromTriangle(mesh, one, [cx, cy, cz]),
    );
    if (squared <= enough * enough) return;
    const bound = Math.min(d + reach, Math.sqrt(squared));
    parts.length = 0;
    if (partedOver(mesh, one, [ax, ay, az, bx, by, bz, cx, cy, cz], { enough, stack: parts })) {
      for (let n = 0; n < parts.length; n += 9) this.open(parts.slice(n, n + 9), bound);
      return;
    }
    const [ux, uy, uz] = [(ax + bx) / 2, (ay + by) / 2, (az + bz) / 2];
    const [vx, vy, vz] = [(bx + cx) / 2, (by + cy) / 2, (bz + cz) / 2];
    const [wx, wy, wz] = [(cx + ax) / 2, (cy + ay) / 2, (cz + az) / 2];
    // The middles of the sides are half as far from the middle as the corners across.
    this.open([ax, ay, az, ux, uy, uz, wx, wy, wz], Math.min(bound, d + Math.max(da, dc / 2, db / 2)));
    this.open([ux, uy, uz, bx, by, bz, vx, vy, vz], Math.min(bound, d + Math.max(db, dc / 2, da / 2)));
    this.open([wx, wy, wz, vx, vy, vz, cx, cy, cz], Math.min(bound, d + Math.max(dc, db / 2, da / 2)));
    this.open([ux, uy, uz, vx, vy, vz, wx, wy, wz], Math.min(bound, d + reach / 2));
  }

  /** What is no farther off than this is not looked for. */
  private enough(): number {
    const near = Math.max(this.best.largest, this.atLeast) * (1 + share) + this.floor;
    return this.best.largest > this.limit ? near : Math.min(near, this.limit);
  }

  private keep(largest: number, at: [number, number, number], triangle: number): void {
    this.best.largest = largest;
    this.best.at = at;
    this.best.triangle = triangle;
  }

  /** The distance of a place; `last` is the triangle it is nearest to. */
  private distanceAt(at: Vec3): number {
    const { out } = this;
    const bound = squaredFromTriangle(this.to.mesh, this.last, at);
    nearestOnMesh(this.to, at, out, bound * (1 + 1e-9) + 1e-300);
    if (out.triangle < 0) return Math.sqrt(bound);
    this.last = out.triangle;
    return Math.sqrt(out.squared);
  }
}

/** Less of a piece than this over a triangle is not worth parting for. */
const leastOver = 1e-3;

/**
 * Parts a piece along the sides of a triangle of the other surface, when its corners lie near that triangle's plane: what lies over the triangle is no farther from
 * it than they are. The rest is put on the stack as triangles. @returns whether it was parted; nothing is on the stack otherwise
 */
function partedOver(
  { positions: p, triangles: t }: Mesh,
  triangle: number,
  piece: readonly number[],
  { enough, stack }: { enough: number; stack: number[] },
): boolean {
  const [a, b, c] = [t[triangle * 3] * 3, t[triangle * 3 + 1] * 3, t[triangle * 3 + 2] * 3];
  const [ux, uy, uz] = [p[b] - p[a], p[b + 1] - p[a + 1], p[b + 2] - p[a + 2]];
  const [vx, vy, vz] = [p[c] - p[a], p[c + 1] - p[a + 1], p[c + 2] - p[a + 2]];
  const n = [uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx];
  const size = Math.hypot(n[0], n[1], n[2]);
  if (!(size > 0)) return false;
  for (let k = 0; k < 9; k += 3) {
    const off = ((piece[k] - p[a]) * n[0] + (piece[k + 1] - p[a + 1]) * n[1] + (piece[k + 2] - p[a + 2]) * n[2]) / size;
    if (Math.abs(off) > enough) return false;
  }
  const whole = areaOf(piece);
  const rest: number[][] = [];
  let over: number[] = [...piece];
  for (const [s, e] of [
    [a, b],
    [b, c],
    [c, a],
  ]) {
    // prettier-ignore
    // Inward over this side, in the plane.
    const d = [p[e] - p[s], p[e + 1] - p[s + 1], p[e + 2] - p[s + 2]];
    const inward = [n[1] * d[2] - n[2] * d[1], n[2] * d[0] - n[0] * d[2], n[0] * d[1] - n[1] * d[0]];
    const side = (k: number, of: readonly number[]) => (of[k] - p[s]) * inward[0] + (of[k + 1] - p[s + 1]) * inward[1] + (of[k + 2] - p[s + 2]) * inward[2];
    const [inside, outside] = [[] as number[], [] as number[]];
    for (let k = 0; k < over.length; k += 3) {
      const next = (k + 3) % over.length;
      const [h, g] = [side(k, over), side(next, over)];
      (h >= 0 ? inside : outside).push(over[k], over[k + 1], over[k + 2]);
      if (h >= 0 === g >= 0) continue;
      const w = h / (h - g);
      const cut = [0, 1, 2].map((i) => over[k + i] + (over[next + i] - over[k + i]) * w);
      inside.push(...cut);
      outside.push(...cut);
    }
    if (outside.length >= 9) rest.push(outside);
    over = inside;
    if (over.length < 9) return false;
  }
  if (areaOf(over) < whole * leastOver) return false;
  for (const polygon of rest)
    for (let k = 3; k + 6 <= polygon.length; k += 3) {
      const part = [...polygon.slice(0, 3), ...polygon.slice(k, k + 6)];
      if (areaOf(part) > whole * 1e-12) stack.push(...part);
    }
  return true;
}

/** Area of a flat polygon of corners, three numbers each. */
function areaOf(q: readonly number[]): number {
  let [x, y, z] = [0, 0, 0];
  for (let k = 3; k + 6 <= q.length; k += 3) {
    const u = [q[k] - q[0], q[k + 1] - q[1], q[k + 2] - q[2]];
    const v = [q[k + 3] - q[0], q[k + 4] - q[1], q[k + 5] - q[2]];
    x += u[1] * v[2] - u[2] * v[1];
    y += u[2] * v[0] - u[0] * v[2];
    z += u[0] * v[1] - u[1] * v[0];
  }
  return Math.hypot(x, y, z) / 2;
}

/** Two-sided distance (Hausdorff) between the surfaces of two meshes, mm. */
export function twoSidedDistance(a: Mesh, b: Mesh, { progress, limit }: Pick<Looking, 'progress' | 'limit'> = {}): TwoWay {
  const nothing: OneWay = { largest: a.triangles.length === b.triangles.length ? 0 : Infinity, at: [0, 0, 0], triangle: -1, unsure: 0 };
  if (a.triangles.length === 0 || b.triangles.length === 0) return { there: nothing, back: nothing, largest: nothing.largest, unsure: 0 };
  const there = distanceTo(a, buildBvh(b), { progress: progress && ((s) => progress(s / 2)), limit });
  const back = distanceTo(b, buildBvh(a), { progress: progress && ((s) => progress(0.5 + s / 2)), atLeast: there.largest, limit });
  return { there, back, largest: Math.max(there.largest, back.largest), unsure: Math.max(there.unsure, back.unsure) };
}

/** The distance of every vertex of a mesh from a surface, mm. */
export function distancesOf(from: Mesh, to: Bvh): Float64Array {
  const { positions: p } = from;
  const out = nowhere();
  return Float64Array.from({ length: p.length / 3 }, (_, v) => Math.sqrt(nearestOnMesh(to, vecAt(p, v * 3), out).squared));
}
