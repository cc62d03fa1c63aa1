import { cross } from '../../geometry/vector.ts';
import type { Bvh } from '../../geometry/bvh/build.ts';
import { overlappingPairs } from '../../geometry/bvh/overlap.ts';

/** Pairs of triangles that go through each other, and pairs that lie on each other in one plane. */
export interface Crossings {
  /** Two triangle numbers a pair, at most as many pairs as were asked for. */
  crossing: Uint32Array;
  crossingPairs: number;
  lying: Uint32Array;
  lyingPairs: number;
  /** Whether the search ended early because there are far too many. */
  cutShort: boolean;
}

/** Distances below this share of the mesh's reach count as touching, not as crossing. */
export const touchShare = 1e-9;

const d = new Float64Array(6);

/**
 * Self-intersections of a mesh. Two triangles cross when an edge of one goes strictly through the plane of the other,
 * inside it; corners that only touch do not count. Triangles in one plane lie on each other when no line along one of
 * their edges parts them. Neighbours over an edge can only be folded onto each other.
 * Sources: Moeller, A fast triangle-triangle intersection test, 1997 (signed distances first); separating axes as in Ericson,
 * Real-Time Collision Detection, 5.2.
 *
 * @param keep how many pairs of each kind are returned.
 * @param most after so many pairs the search ends.
 */
export function crossingsOf(bvh: Bvh, keep = 50_000, most = 2_000_000): Crossings {
  const { positions: p, triangles: t } = bvh.mesh;
  let reach = 0;
  for (let i = 0; i < p.length; i++) if (Math.abs(p[i]) > reach) reach = Math.abs(p[i]);
  const eps = reach * touchShare;
  const crossing: number[] = [];
  const lying: number[] = [];
  let crossingPairs = 0;
  let lyingPairs = 0;
  let cutShort = false;
  overlappingPairs(bvh, (f, g) => {
    const a = t[f * 3];
    const b = t[f * 3 + 1];
    const c = t[f * 3 + 2];
    const u = t[g * 3];
    const v = t[g * 3 + 1];
    const w = t[g * 3 + 2];
    const su = u === a || u === b || u === c;
    const sv = v === a || v === b || v === c;
    const sw = w === a || w === b || w === c;
    const shared = +su + +sv + +sw;
    if (shared === 3) return;
    if (!planeSides(p, a * 3, b * 3, c * 3, u * 3, v * 3, w * 3, 3)) return;
    const outside = (!su && Math.abs(d[3]) > eps) || (!sv && Math.abs(d[4]) > eps) || (!sw && Math.abs(d[5]) > eps);
    if (!outside) {
      if (shared === 2 ? folded(p, t, f, g) : lieOn(p, t, f, g, eps)) {
        lyingPairs++;
        if (lying.length < keep * 2) lying.push(f, g);
      }
      return lyingPairs > most;
    }
    if (shared === 2) return;
    // Each must reach to both sides of the other's plane; less is a touch.
    const above = (!su && d[3] > eps) || (!sv && d[4] > eps) || (!sw && d[5] > eps);
    const below = (!su && d[3] < -eps) || (!sv && d[4] < -eps) || (!sw && d[5] < -eps);
    if (!(above && below)) return;
    if (!planeSides(p, u * 3, v * 3, w * 3, a * 3, b * 3, c * 3, 0)) return;
    const through = pierces(p, t, f, g, 0, eps) || pierces(p, t, g, f, 3, eps);
    if (through) {
      crossingPairs++;
      if (crossing.length < keep * 2) crossing.push(f, g);
      if (crossingPairs > most) {
        cutShort = true;
        return true;
      }
    }
  });
  return { crossing: Uint32Array.from(crossing), crossingPairs, lying: Uint32Array.from(lying), lyingPairs, cutShort };
}

/** Signed distances of three points from the plane of a triangle into d[at..at+2]; false for a triangle without area. */
function planeSides(p: Float64Array, a: number, b: number, c: number, u: number, v: number, w: number, at: number): boolean {
  // Written out: as a Triangle it costs half as much again in the innermost loop of the whole check (measured).
  const ux = p[b] - p[a];
  const uy = p[b + 1] - p[a + 1];
  const uz = p[b + 2] - p[a + 2];
  const vx = p[c] - p[a];
  const vy = p[c + 1] - p[a + 1];
  const vz = p[c + 2] - p[a + 2];
  let nx = uy * vz - uz * vy;
  let ny = uz * vx - ux * vz;
  let nz = ux * vy - uy * vx;
  const length = Math.sqrt(nx * nx + ny * ny + nz * nz);
  if (!(length > 0)) return false;
  nx /= length;
  ny /= length;
  nz /= length;
  d[at] = nx * (p[u] - p[a]) + ny * (p[u + 1] - p[a + 1]) + nz * (p[u + 2] - p[a + 2]);
  d[at + 1] = nx * (p[v] - p[a]) + ny * (p[v + 1] - p[a + 1]) + nz * (p[v + 2] - p[a + 2]);
  d[at + 2] = nx * (p[w] - p[a]) + ny * (p[w + 1] - p[a + 1]) + nz * (p[w + 2] - p[a + 2]);
  return true;
}

/** Whether an edge of triangle e goes strictly through the plane of g inside g; d[at..] holds e's distances from g's plane. */
function pierces(p: Float64Array, t: Uint32Array, e: number, g: number, at: number, eps: number): boolean {
  for (let k = 0; k < 3; k++) {
    const l = k === 2 ? 0 : k + 1;
    const dk = d[at + k];
    const dl = d[at + l];
    if (!((dk > eps && dl < -eps) || (dk < -eps && dl > eps))) continue;
    const i = t[e * 3 + k];
    const j = t[e * 3 + l];
    if (hasCorner(t, g, i) || hasCorner(t, g, j)) continue;
    const s = dk / (dk - dl);
    const x = p[i * 3] + s * (p[j * 3] - p[i * 3]);
    const y = p[i * 3 + 1] + s * (p[j * 3 + 1] - p[i * 3 + 1]);
    const z = p[i * 3 + 2] + s * (p[j * 3 + 2] - p[i * 3 + 2]);
    if (inside(p, t, g, x, y, z, eps)) return true;
  }
  return false;
}

function hasCorner(t: Uint32Array, tri: number, v: number): boolean {
  return t[tri * 3] === v || t[tri * 3 + 1] === v || t[tri * 3 + 2] === v;
}

/** Whether a point in the plane of a triangle is in it, its edges counted in. */
function inside(p: Float64Array, t: Uint32Array, tri: number, x: number, y: number, z: number, eps: number): boolean {
  const a = t[tri * 3] * 3;
  const b = t[tri * 3 + 1] * 3;
  const c = t[tri * 3 + 2] * 3;
  const e1x = p[b] - p[a];
  const e1y = p[b + 1] - p[a + 1];
  const e1z = p[b + 2] - p[a + 2];
  const e2x = p[c] - p[a];
  const e2y = p[c + 1] - p[a + 1];
  const e2z = p[c + 2] - p[a + 2];
  const qx = x - p[a];
  const qy = y - p[a + 1];
  const qz = z - p[a + 2];
  const d11 = e1x * e1x + e1y * e1y + e1z * e1z;
  const d12 = e1x * e2x + e1y * e2y + e1z * e2z;
  const d22 = e2x * e2x + e2y * e2y + e2z * e2z;
  const q1 = qx * e1x + qy * e1y + qz * e1z;
  const q2 = qx * e2x + qy * e2y + qz * e2z;
  const det = d11 * d22 - d12 * d12;
  if (!(det > 0)) return false;
  const v = (d22 * q1 - d12 * q2) / det;
  const w = (d11 * q2 - d12 * q1) / det;
  const slack = eps / Math.sqrt(Math.max(d11, d22));
  return v >= -slack && w >= -slack && v + w <= 1 + slack;
}

/** Two triangles in one plane that share an edge: folded when both third corners are on one side of it. */
function folded(p: Float64Array, t: Uint32Array, f: number, g: number): boolean {
  let i = -1;
  let j = -1;
  let m = -1;
  let n = -1;
  for (let k = 0; k < 3; k++) {
    const v = t[f * 3 + k];
    if (!hasCorner(t, g, v)) m = v * 3;
    else if (i < 0) i = v * 3;
    else j = v * 3;
    if (!hasCorner(t, f, t[g * 3 + k])) n = t[g * 3 + k] * 3;
  }
  if (m < 0 || n < 0) return false;
  const ex = p[j] - p[i];
  const ey = p[j + 1] - p[i + 1];
  const ez = p[j + 2] - p[i + 2];
  const cross = (o: number) => {
    const x = p[o] - p[i];
    const y = p[o + 1] - p[i + 1];
    const z = p[o + 2] - p[i + 2];
    return [ey * z - ez * y, ez * x - ex * z, ex * y - ey * x];
  };
  const a = cross(m);
  const b = cross(n);
  const dot = a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
  return dot > 1e-6 * Math.sqrt((a[0] ** 2 + a[1] ** 2 + a[2] ** 2) * (b[0] ** 2 + b[1] ** 2 + b[2] ** 2));
}

/** Whether two triangles in one plane share area: no line along an edge parts them. */
function lieOn(p: Float64Array, t: Uint32Array, f: number, g: number, eps: number): boolean {
  const corners = (tri: number) => [0, 1, 2].map((k) => t[tri * 3 + k] * 3);
  const F = corners(f);
  const G = corners(g);
  const e1 = [0, 1, 2].map((k) => p[F[1] + k] - p[F[0] + k]);
  const e2 = [0, 1, 2].map((k) => p[F[2] + k] - p[F[0] + k]);
  const n = cross(e1, e2);
  const parted = (A: number[], B: number[]) => {
    for (let k = 0; k < 3; k++) {
      const i = A[k];
      const j = A[(k + 1) % 3];
      const e = [p[j] - p[i], p[j + 1] - p[i + 1], p[j + 2] - p[i + 2]];
      // In the plane, across the edge, away from the third corner.
      let across: number[] = cross(e, n);
      const length = Math.hypot(...across);
      if (!(length > 0)) continue;
      across = across.map((v) => v / length);
      const side = (o: number) => across[0] * (p[o] - p[i]) + across[1] * (p[o + 1] - p[i + 1]) + across[2] * (p[o + 2] - p[i + 2]);
      const own = side(A[(k + 2) % 3]);
      const others = B.map(side).map((s) => (own < 0 ? s : -s));
      if (Math.min(...others) >= -16 * eps) return true;
    }
    return false;
  };
  return !parted(F, G) && !parted(G, F);
}
