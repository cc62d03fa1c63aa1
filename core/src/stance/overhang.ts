import { largestOf } from '../base/rows.ts';
import { groupedBy, Sets } from '../base/sets.ts';
import { Triangle } from '../geometry/triangle.ts';
import { boxOf, diagonalOf } from '../geometry/box.ts';
import { buildBvh } from '../geometry/bvh/build.ts';
import { alongRay } from '../geometry/bvh/ray.ts';
import { edgesOf } from '../geometry/edges.ts';
import type { Mesh } from '../geometry/mesh.ts';

/** Steps in which the height below an overhang is sampled, as a share of the diagonal. */
const supportStep = 1 / 40;

/**
 * Volume below the overhangs down to the bed or to the part itself, mm3: what support would fill. The part stands already.
 */
export function supportVolume(standing: Mesh, limit: number): number {
  const { positions: p } = standing;
  const box = boxOf(p);
  const steep = Math.sin((limit * Math.PI) / 180);
  const near = Math.max(1e-4, 1e-5 * (box.max[2] - box.min[2]));
  const step = diagonalOf(box) * supportStep;
  let tree: ReturnType<typeof buildBvh> | null = null;
  let volume = 0;
  const tri = new Triangle(standing);
  for (let i = 0; i < tri.count; i++) {
    const { a, b, c, ux, uy, vx, vy, nz } = tri.at(i);
    if (nz >= 0) continue;
    const twice = tri.twice();
    if (-nz / twice <= steep + 1e-9) continue;
    if (p[a + 2] - box.min[2] < near && p[b + 2] - box.min[2] < near && p[c + 2] - box.min[2] < near) continue;
    tree ??= buildBvh(standing);
    const longest = Math.sqrt(Math.max(ux * ux + uy * uy, vx * vx + vy * vy, (ux - vx) ** 2 + (uy - vy) ** 2));
    const rows = Math.max(1, Math.min(10, Math.ceil(longest / step)));
    let height = 0;
    let samples = 0;
    for (let r = 0; r < rows; r++) {
      for (let s = 0; s < rows; s++) {
        let e = (r + 0.5) / rows;
        let f = (s + 0.5) / rows;
        if (rows === 1) e = f = 1 / 3;
        else if (e + f > 1) continue;
        const [x, y, z] = [tri.x(e, f), tri.y(e, f), tri.z(e, f)];
        let below = z - box.min[2];
        alongRay(tree, { from: [x, y, z], along: [0, 0, -1], start: near, end: below }, (at, _tri, facing) => {
          if (facing > 0) return below;
          below = at;
          return at;
        });
        height += below;
        samples++;
      }
    }
    volume += (-nz / 2) * (height / Math.max(1, samples));
  }
  return volume;
}

/** A round on the underside that steepens beyond what prints. Lengths in mm, area in mm2, angles in degrees from the vertical. */
export interface DroopingRound {
  area: number;
  steepest: number;
  /** The chamfer from the vertical that would print in its place. */
  chamfer: number;
  /** Heights between which it hangs. */
  from: number;
  to: number;
  at: [number, number, number];
  triangles: number[];
}

/** A round with less than this beyond the limit droops by less than anybody sees, mm2. Common practice, no source. */
export const leastDroop = 2;

/** Beyond this a facet lies in a flat ceiling, degrees from the vertical. */
const ceiling = 89.5;

/** Facets that turn by less than this against each other belong to one round, degrees. */
const smooth = 25;

/**
 * Down-facing rounds that start steep enough to print and curve on beyond the limit: they droop where a straight chamfer
 * would not. The part stands already. Common practice, no source.
 */
export function droopingRounds(standing: Mesh, limit: number): DroopingRound[] {
  const { positions: p, triangles: t } = standing;
  const { across } = edgesOf(t, p.length / 3);
  const hang = new Hanging(standing);
  const { piece, pieces } = smoothPieces(hang, across, limit);
  // A chamfer has one angle; a round goes from below the limit to beyond it.
  const isRound = pieces.map((list) => {
    const [low, high] = list.reduce(([l, h], i) => [Math.min(l, hang.angle(i)), Math.max(h, hang.angle(i))], [Infinity, -Infinity]);
    return low < limit && high - low >= leastTurn;
  });
  const rounds = touching(pieces, piece, across, isRound).map((list): DroopingRound => {
    const beyond = list.filter((i) => hang.angle(i) > limit);
    const heights = list.flatMap((i) => [0, 1, 2].map((k) => p[t[i * 3 + k] * 3 + 2]));
    const c = t[beyond[0] * 3] * 3;
    return {
      area: beyond.reduce((sum, i) => sum + hang.area[i], 0),
      steepest: beyond.reduce((most, i) => Math.max(most, hang.angle(i)), 0),
      chamfer: limit,
      from: -largestOf(heights, (z) => -z) - hang.lowest,
      to: largestOf(heights, (z) => z) - hang.lowest,
      at: [p[c], p[c + 1], p[c + 2]],
      triangles: beyond,
    };
  });
  return rounds.filter((round) => round.area >= leastDroop).sort((a, b) => b.area - a.area);
}

/** A round turns by at least so much, and what belongs to it hangs down by at least so much, degrees. */
const leastTurn = 15;
const leastHang = 2;

/** How the facets of a standing part hang. */
class Hanging {
  readonly count: number;
  /** mm2. */
  readonly area: Float64Array;
  readonly lowest: number;
  private readonly mesh: Mesh;
  private readonly normals: Float64Array;
  /** What is no higher than this above the lowest place stands on the bed. */
  private readonly near: number;

  constructor(mesh: Mesh) {
    const { positions: p, triangles: t } = mesh;
    this.mesh = mesh;
    this.count = t.length / 3;
    this.area = new Float64Array(this.count);
    this.normals = new Float64Array(t.length);
    const tri = new Triangle(mesh);
    for (let i = 0; i < this.count; i++) {
      const { nx, ny, nz } = tri.at(i);
      const l = Math.hypot(nx, ny, nz);
      if (l > 0) this.normals.set([nx / l, ny / l, nz / l], i * 3);
      this.area[i] = l / 2;
    }
    const box = boxOf(p);
    this.lowest = box.min[2];
    this.near = Math.max(1e-4, 1e-5 * diagonalOf(box));
  }

  /** From the vertical, degrees; below 0 for what faces up. */
  angle(i: number): number {
    return (Math.asin(Math.max(-1, Math.min(1, -this.normals[i * 3 + 2]))) * 180) / Math.PI;
  }

  onBed(i: number): boolean {
    const { positions: p, triangles: t } = this.mesh;
    return [0, 1, 2].every((k) => p[t[i * 3 + k] * 3 + 2] - this.lowest < this.near);
  }

  /** Cosine of the turn from one facet to another. */
  turn(i: number, j: number): number {
    const { normals: n } = this;
    return n[i * 3] * n[j * 3] + n[i * 3 + 1] * n[j * 3 + 1] + n[i * 3 + 2] * n[j * 3 + 2];
  }
}

/** Smoothly joined facets that all hang down at least a little and lie in no ceiling, from each that hangs beyond the limit; and the piece of each facet, -1 for none. */
function smoothPieces(hang: Hanging, across: ArrayLike<number>, limit: number): { piece: Int32Array; pieces: number[][] } {
  const cosine = Math.cos((smooth * Math.PI) / 180);
  // A flat ceiling is no round, even where a round runs into it.
  const between = (i: number, least: number) => hang.angle(i) > least && hang.angle(i) <= ceiling && !hang.onBed(i);
  const piece = new Int32Array(hang.count).fill(-1);
  const pieces: number[][] = [];
  for (let first = 0; first < hang.count; first++) {
    if (piece[first] >= 0 || !between(first, limit)) continue;
    const list = [first];
    piece[first] = pieces.length;
    for (let at = 0; at < list.length; at++)
      for (let k = 0; k < 3; k++) {
        const next = beside(across, list[at] * 3 + k);
        if (next < 0 || piece[next] >= 0 || hang.turn(list[at], next) < cosine || !between(next, leastHang)) continue;
        piece[next] = pieces.length;
        list.push(next);
      }
    pieces.push(list);
  }
  return { piece, pieces };
}

/** The triangle across an edge, -1 where there is none. */
const beside = (across: ArrayLike<number>, edge: number): number => (across[edge] < 0 ? -1 : Math.floor(across[edge] / 3));

/** Facets of the pieces that count, those of pieces that touch together: coarse facets turn by so much that one round comes in many pieces. */
function touching(pieces: readonly number[][], piece: Int32Array, across: ArrayLike<number>, counts: readonly boolean[]): number[][] {
  const sets = new Sets(pieces.length);
  const all = pieces.flatMap((list, i) => (counts[i] ? list : []));
  for (const i of all)
    for (let k = 0; k < 3; k++) {
      const next = beside(across, i * 3 + k);
      if (next >= 0 && piece[next] >= 0 && counts[piece[next]]) sets.join(piece[i], piece[next]);
    }
  return [...groupedBy(all, (i) => sets.root(piece[i])).values()];
}

/** Overhang of each triangle of a standing part in degrees from the vertical; below zero where it faces up; NaN on the bed. */
export function overhangAngles(standing: Mesh): Float32Array {
  const { positions: p } = standing;
  const box = boxOf(p);
  const near = Math.max(1e-4, 1e-5 * (box.max[2] - box.min[2]));
  const tri = new Triangle(standing);
  const out = new Float32Array(tri.count);
  for (let i = 0; i < tri.count; i++) {
    const { a, b, c, nz } = tri.at(i);
    const length = tri.twice() || 1;
    const bed = p[a + 2] - box.min[2] < near && p[b + 2] - box.min[2] < near && p[c + 2] - box.min[2] < near;
    out[i] = bed ? NaN : (Math.asin(Math.max(-1, Math.min(1, -nz / length))) * 180) / Math.PI;
  }
  return out;
}
