import { buildBvh, type Bvh } from '../../geometry/bvh/build.ts';
import { nearestOnMesh, nowhere } from '../../geometry/bvh/nearest.ts';
import { boxOf, diagonalOf, type Box } from '../../geometry/box.ts';
import type { Mesh } from '../../geometry/mesh.ts';
import { halton } from '../../geometry/spread.ts';
import { Triangle } from '../../geometry/triangle.ts';
import { add, scaled, sub, type Vec3 } from '../../geometry/vector.ts';
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
  const treesOf = (meshes: readonly Mesh[]) => meshes.filter((m) => m.triangles.length > 0).map((m) => windingTree(buildBvh(m)));
  const [old, gone] = [treesOf([base, ...fills]), treesOf(dropped ? [dropped] : [])];
  const now = windingTree(buildBvh(after));
  const sum = (trees: typeof old, at: Vec3) => trees.reduce((n, tree) => n + windingNumber(tree, at), 0);
  // Winding numbers add up. Turned inside out as a whole, an old part wraps -1: what counts is that it is wrapped.
  const wrapped = (at: Vec3) => Math.abs(sum(old, at) - sum(gone, at)) > 0.5;
  const volumeChanged = changedShare(box, wrapped, (at) => windingNumber(now, at) > 0.5);
  const { lost, seen, farthest } = surfaceLostOf(before, now.bvh, { wrapped, near: Math.max(diagonal * lostShare, weld * 1.01), step: diagonal * 1e-5 });
  const found = { volumeChanged, surfaceLost: seen > 0 ? lost / seen : 0, farthest };
  return { ...found, refused: refusalOf(found, Math.max(diagonal * farShare, weld * 1.01)) };
}

/** Share of the places in one of two solids that are not in the other; 0 when too few places are in either to say. */
function changedShare(box: Box, a: (at: Vec3) => boolean, b: (at: Vec3) => boolean): number {
  let both = 0;
  let either = 0;
  for (let i = 1; i <= places; i++) {
    const at = [halton(i, 2), halton(i, 3), halton(i, 5)].map((s, k) => box.min[k] + s * (box.max[k] - box.min[k])) as Vec3;
    const [inA, inB] = [a(at), b(at)];
    if (inA && inB) both++;
    if (inA || inB) either++;
  }
  return either >= 60 ? (either - both) / either : 0;
}

/** Why a result is not to be taken. */
function refusalOf({ volumeChanged, surfaceLost, farthest }: Omit<Held, 'refused'>, mostFar: number): string | null {
  const percent = (share: number) => `${(share * 100).toFixed(share < 0.1 ? 1 : 0)} %`;
  if (volumeChanged > mostVolumeChanged) return `${percent(volumeChanged)} of the space that the part fills would change.`;
  if (surfaceLost > mostSurfaceLost) return `${percent(surfaceLost)} of the part's outer surface would be lost.`;
  if (farthest > mostFar) return `A piece of the part's outer surface, up to ${farthest.toPrecision(3)} mm away from what is left, would be lost.`;
  return null;
}

/** Places spread over the outer surface by area: how many are looked at, how many have nothing near them afterwards. */
function surfaceLostOf(
  before: Mesh,
  after: Bvh,
  { wrapped, near, step }: { wrapped: (at: Vec3) => boolean; near: number; step: number },
): { lost: number; seen: number; farthest: number } {
  const tri = new Triangle(before);
  const upTo = new Float64Array(tri.count);
  let area = 0;
  for (let i = 0; i < tri.count; i++) upTo[i] = area += tri.at(i).twice() / 2;
  let [lost, seen, farthest] = [0, 0, 0];
  if (!(area > 0)) return { lost, seen, farthest };
  const out = nowhere();
  for (let i = 0, at = 0; i < places; i++) {
    const wanted = ((i + 0.5) / places) * area;
    while (at < tri.count - 1 && upTo[at] < wanted) at++;
    const twice = tri.at(at).twice();
    if (!(twice > 0)) continue;
    // Evenly over a triangle. Source: Osada, Funkhouser, Chazelle and Dobkin, Shape distributions, 2002, 3.2.
    const r = Math.sqrt(halton(i + 1, 2));
    const [e, f] = [r * (1 - halton(i + 1, 3)), r * halton(i + 1, 3)];
    const place: Vec3 = [tri.x(e, f), tri.y(e, f), tri.z(e, f)];
    const outward = scaled([tri.nx, tri.ny, tri.nz], step / twice);
    // A wall with the same on both sides bounds nothing.
    if (wrapped(add(place, outward)) === wrapped(sub(place, outward))) continue;
    seen++;
    const far = Math.sqrt(nearestOnMesh(after, place, out).squared);
    if (far > near) lost++;
    if (far > farthest) farthest = far;
  }
  return { lost, seen, farthest };
}
