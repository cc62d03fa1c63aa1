import { cross } from '../../geometry/vector.ts';
import { buildBvh, nearestOnMesh, type Nearest } from '../../geometry/bvh.ts';
import { boxOf, diagonalOf } from '../../geometry/box.ts';
import type { Mesh } from '../../geometry/mesh.ts';
import { halton } from '../../geometry/spread.ts';
import { windingNumber, windingTree } from '../../geometry/winding.ts';

/** A mended mesh held against what it was made from. */
export interface Held {
  /** Share of the places in one of both that are not in the other, 0..1. */
  volumeChanged: number;
  /** Share of the outer surface before that is gone, 0..1. */
  surfaceLost: number;
  /** How far the lost surface was from what is left, mm. */
  farthest: number;
  /** Why the result is not to be taken; null when it may be. */
  refused: string | null;
}

/** More of the space than this may not change sides. */
export const mostVolumeChanged = 0.05;
/** More of the outer surface than this may not be lost. */
export const mostSurfaceLost = 0.05;
/** Surface farther than this share of the diagonal from what is left counts as lost. */
export const lostShare = 0.005;
/** No place of the outer surface may end farther than this share of the diagonal from what is left. */
export const farShare = 0.03;

const places = 3000;

/**
 * Whether mending kept the part: the same space filled (by winding numbers, which know an open part's inside too) and the outer
 * surface still there. Walls between solid and solid may go; so may what was dropped by choice.
 *
 * @param how what of it is known: `base` is the part with its triangles agreeing, before anything was closed (the part itself when
 * not given); `fills` closed its holes; `dropped` was left out by choice; within `weld` mm vertices were joined.
 */
export function heldAgainst(before: Mesh, after: Mesh, how: { base?: Mesh; fills?: Mesh[]; dropped?: Mesh | null; weld?: number } = {}): Held {
  const { base = before, fills = [], dropped = null, weld = 0 } = how;
  const box = boxOf(before.positions);
  const diagonal = diagonalOf(box) || 1;
  if (before.triangles.length === 0) return { volumeChanged: 0, surfaceLost: 0, farthest: 0, refused: null };
  if (after.triangles.length === 0) return { volumeChanged: 1, surfaceLost: 1, farthest: diagonal, refused: 'Nothing would be left of the part.' };
  const old = [base, ...fills].filter((m) => m.triangles.length > 0).map((m) => windingTree(buildBvh(m)));
  const now = windingTree(buildBvh(after));
  const gone = dropped && dropped.triangles.length > 0 ? windingTree(buildBvh(dropped)) : null;
  // Winding numbers add up. Turned inside out as a whole, an old part wraps -1: what counts is that it is wrapped.
  const wrapped = (x: number, y: number, z: number) =>
    Math.abs(old.reduce((sum, tree) => sum + windingNumber(tree, x, y, z), 0) - (gone ? windingNumber(gone, x, y, z) : 0)) > 0.5;
  let both = 0;
  let either = 0;
  for (let i = 1; i <= places; i++) {
    const at = [halton(i, 2), halton(i, 3), halton(i, 5)].map((s, k) => box.min[k] + s * (box.max[k] - box.min[k])) as [number, number, number];
    const a = wrapped(...at);
    const b = windingNumber(now, ...at) > 0.5;
    if (a && b) both++;
    if (a || b) either++;
  }
  const volumeChanged = either >= 60 ? (either - both) / either : 0;
  const { lost, seen, farthest } = surfaceLostOf(before, now.bvh, wrapped, Math.max(diagonal * lostShare, weld * 1.01), diagonal);
  const surfaceLost = seen > 0 ? lost / seen : 0;
  let refused: string | null = null;
  const percent = (share: number) => `${(share * 100).toFixed(share < 0.1 ? 1 : 0)} %`;
  if (volumeChanged > mostVolumeChanged) refused = `${percent(volumeChanged)} of the space that the part fills would change.`;
  else if (surfaceLost > mostSurfaceLost) refused = `${percent(surfaceLost)} of the part's outer surface would be lost.`;
  else if (farthest > Math.max(diagonal * farShare, weld * 1.01))
    refused = `A piece of the part's outer surface, up to ${farthest.toPrecision(3)} mm away from what is left, would be lost.`;
  return { volumeChanged, surfaceLost, farthest, refused };
}

/** Places spread over the outer surface by area: how many are looked at, how many have nothing near them afterwards. */
function surfaceLostOf(
  before: Mesh,
  after: ReturnType<typeof buildBvh>,
  wrapped: (x: number, y: number, z: number) => boolean,
  near: number,
  diagonal: number,
): { lost: number; seen: number; farthest: number } {
  const { positions: p, triangles: t } = before;
  const count = t.length / 3;
  const upTo = new Float64Array(count);
  let area = 0;
  for (let i = 0; i < count; i++) {
    const [a, b, c] = [t[i * 3] * 3, t[i * 3 + 1] * 3, t[i * 3 + 2] * 3];
    area += normalOf(p, a, b, c)[3] / 2;
    upTo[i] = area;
  }
  let [lost, seen, farthest] = [0, 0, 0];
  if (!(area > 0)) return { lost, seen, farthest };
  const out: Nearest = { squared: 0, triangle: -1, x: 0, y: 0, z: 0 };
  const step = diagonal * 1e-5;
  let tri = 0;
  for (let i = 0; i < places; i++) {
    const wanted = ((i + 0.5) / places) * area;
    while (tri < count - 1 && upTo[tri] < wanted) tri++;
    const [a, b, c] = [t[tri * 3] * 3, t[tri * 3 + 1] * 3, t[tri * 3 + 2] * 3];
    const r = Math.sqrt(halton(i + 1, 2));
    const s = halton(i + 1, 3);
    const at = [0, 1, 2].map((k) => (1 - r) * p[a + k] + r * (1 - s) * p[b + k] + r * s * p[c + k]);
    const n = normalOf(p, a, b, c);
    if (!(n[3] > 0)) continue;
    const [x, y, z] = n.map((v) => (v / n[3]) * step);
    // A wall with the same on both sides bounds nothing.
    if (wrapped(at[0] + x, at[1] + y, at[2] + z) === wrapped(at[0] - x, at[1] - y, at[2] - z)) continue;
    seen++;
    const far = Math.sqrt(nearestOnMesh(after, at[0], at[1], at[2], out).squared);
    if (far > near) lost++;
    if (far > farthest) farthest = far;
  }
  return { lost, seen, farthest };
}

function normalOf(p: Float64Array, a: number, b: number, c: number): [number, number, number, number] {
  const u = [p[b] - p[a], p[b + 1] - p[a + 1], p[b + 2] - p[a + 2]];
  const v = [p[c] - p[a], p[c + 1] - p[a + 1], p[c + 2] - p[a + 2]];
  const n = cross(u, v);
  return [n[0], n[1], n[2], Math.hypot(n[0], n[1], n[2])];
}
