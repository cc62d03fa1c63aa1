import { pointInside } from '../curves/nest.ts';
import { growBox, noBox, type Box2 } from '../curves/measure.ts';
import { flattened } from '../curves/flatten.ts';
import type { P2, Segment } from '../curves/segment.ts';

/** What a clip path lets through: closed outlines, of which a point has to lie in one. */
export interface Clip {
  outlines: { points: Float64Array; box: Box2 }[];
  /** Distance within which a point counts as on the rim. */
  slack: number;
}

/** How many times a point or a side may still be held against a side of a clip, for one file. */
export interface ClipBudget {
  left: number;
}
export const mostClipTests = 200_000_000;

/** Deviation of the outlines and of the shapes held against them, as a share of the clip's reach. */
const share = 1e-5;

/** A clip from closed chains, in the drawing's own numbers. */
export function clipOf(chains: readonly (readonly Segment[])[]): Clip {
  const rough = noBox();
  for (const chain of chains) for (const p of flattened(chain, Infinity)) growBox(rough, p);
  const reach = Math.max(rough[2] - rough[0], rough[3] - rough[1], 1e-9);
  const outlines = chains.map((chain) => {
    const points = flattened(chain, reach * share);
    const box = noBox();
    for (const p of points) growBox(box, p);
    return { points: Float64Array.from(points.flat()), box };
  });
  return { outlines, slack: reach * share * 4 };
}

/** Whether a clip shows all of a chain, nothing of it, or cuts through it; `unasked` when the budget does not reach. */
export function throughClip(clip: Clip, chain: readonly Segment[], closed: boolean, budget: ClipBudget): 'all' | 'nothing' | 'part' | 'unasked' {
  const points = flattened(chain, clip.slack / 4);
  const box = noBox();
  for (const p of points) growBox(box, p);
  // Each point and middle against each side.
  const sides = clip.outlines.reduce((n, o) => n + o.points.length / 2, 0);
  budget.left -= points.length * sides * 2;
  if (budget.left < 0) return 'unasked';
  let inside = 0;
  let outside = 0;
  for (let i = 0; i < points.length; i++) {
    // Middles too: two corners may lie inside and the side between them not.
    const next = points[i + 1];
    for (const p of next ? [points[i], [(points[i][0] + next[0]) / 2, (points[i][1] + next[1]) / 2] as P2] : [points[i]]) {
      const where = placeIn(clip, p);
      if (where > 0) inside++;
      else if (where < 0) outside++;
      if (inside > 0 && outside > 0) return 'part';
    }
  }
  if (outside === 0) return 'all';
  // All points outside: the clip may still lie in the shape, or be crossed by one of its sides.
  const apart = clip.outlines.every((o) => o.box[0] >= box[2] || o.box[2] <= box[0] || o.box[1] >= box[3] || o.box[3] <= box[1]);
  if (apart) return 'nothing';
  const own = Float64Array.from(points.flat());
  const holds = closed && clip.outlines.some((o) => pointInside(own, o.points[0], o.points[1]));
  budget.left -= points.length * sides;
  if (!holds && budget.left < 0) return 'unasked';
  return holds || crosses(clip, points) ? 'part' : 'nothing';
}

/** 1 inside, 0 on the rim, -1 outside. */
function placeIn(clip: Clip, p: P2): -1 | 0 | 1 {
  let inside = false;
  for (const { points, box } of clip.outlines) {
    if (p[0] < box[0] - clip.slack || p[0] > box[2] + clip.slack || p[1] < box[1] - clip.slack || p[1] > box[3] + clip.slack) continue;
    const n = points.length / 2;
    for (let i = 0, j = n - 1; i < n; j = i++) if (nearSide(points, i, j, p, clip.slack)) return 0;
    if (pointInside(points, p[0], p[1])) inside = true;
  }
  return inside ? 1 : -1;
}

function nearSide(points: Float64Array, i: number, j: number, p: P2, slack: number): boolean {
  const [ax, ay] = [points[j * 2], points[j * 2 + 1]];
  const [dx, dy] = [points[i * 2] - ax, points[i * 2 + 1] - ay];
  const square = dx * dx + dy * dy;
  const t = square > 0 ? Math.max(0, Math.min(1, ((p[0] - ax) * dx + (p[1] - ay) * dy) / square)) : 0;
  return Math.hypot(p[0] - ax - dx * t, p[1] - ay - dy * t) <= slack;
}

function crosses(clip: Clip, points: readonly P2[]): boolean {
  const side = (a: ArrayLike<number>, b: ArrayLike<number>, x: number, y: number) => (b[0] - a[0]) * (y - a[1]) - (b[1] - a[1]) * (x - a[0]);
  return clip.outlines.some(({ points: o }) => {
    for (let i = 0; i + 1 < points.length; i++) {
      const [a, b] = [points[i], points[i + 1]];
      for (let k = 0; k + 3 < o.length; k += 2) {
        const c = [o[k], o[k + 1]];
        const d = [o[k + 2], o[k + 3]];
        if (side(a, b, c[0], c[1]) * side(a, b, d[0], d[1]) < 0 && side(c, d, a[0], a[1]) * side(c, d, b[0], b[1]) < 0) return true;
      }
    }
    return false;
  });
}
