import { pointInside, windingRound } from '../curves/nest.ts';
import { growBox, noBox, type Box2 } from '../curves/measure.ts';
import { flattened } from '../curves/flatten.ts';
import type { P2, Segment } from '../curves/segment.ts';
import type { FillRule } from '../curves/union.ts';

/** One shape of a clip: closed chains, and what counts as within them. */
export interface ClipShape {
  chains: readonly (readonly Segment[])[];
  rule: FillRule;
}

interface Outline {
  points: Float64Array;
  box: Box2;
}

/** What a clip path lets through: what lies in one of its shapes. */
export interface Clip {
  shapes: { outlines: Outline[]; rule: FillRule }[];
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

/** A clip from the shapes it is made of, in the drawing's own numbers. @example clipOf([{ chains: [square, hole], rule: 'evenodd' }]) */
export function clipOf(shapes: readonly ClipShape[]): Clip {
  const rough = noBox();
  for (const { chains } of shapes) for (const chain of chains) for (const p of flattened(chain, Infinity)) growBox(rough, p);
  const reach = Math.max(rough[2] - rough[0], rough[3] - rough[1], 1e-9);
  const outlined = (chain: readonly Segment[]): Outline => {
    const points = flattened(chain, reach * share);
    const box = noBox();
    for (const p of points) growBox(box, p);
    return { points: Float64Array.from(points.flat()), box };
  };
  return { shapes: shapes.map(({ chains, rule }) => ({ outlines: chains.map(outlined), rule })), slack: reach * share * 4 };
}

/**
 * Whether a clip shows all of a chain, nothing of it, or cuts through it; `unasked` when the budget does not reach.
 * @param filled whether what the chain goes round is seen, or only its line
 */
export function throughClip(clip: Clip, chain: readonly Segment[], filled: boolean, budget: ClipBudget): 'all' | 'nothing' | 'part' | 'unasked' {
  const points = flattened(chain, clip.slack / 4);
  const box = noBox();
  for (const p of points) growBox(box, p);
  const outlines = clip.shapes.flatMap((s) => s.outlines);
  // Each side against each side, and places between the meetings against all of them.
  budget.left -= points.length * outlines.reduce((n, o) => n + o.points.length / 2, 0) * 2;
  if (budget.left < 0) return 'unasked';
  let inside = 0;
  let outside = 0;
  for (let i = 0; i + 1 < points.length; i++) {
    for (const p of middlesOf(points[i], points[i + 1], outlines)) {
      const where = placeIn(clip, p);
      if (where > 0) inside++;
      else if (where < 0) outside++;
      if (inside > 0 && outside > 0) return 'part';
    }
  }
  // A rim of the clip within what is filled: a hole is cut out of it there, or what lies beyond the rim is.
  const own = Float64Array.from(points.flat());
  if (filled && outlines.some((o) => overlap(o.box, box) && pointInside(own, o.points[0], o.points[1]) && !nearAny(own, o.points, clip.slack))) return 'part';
  return outside === 0 ? 'all' : 'nothing';
}

const overlap = (a: Box2, b: Box2): boolean => a[0] < b[2] && a[2] > b[0] && a[1] < b[3] && a[3] > b[1];

/** Places on a line between those where outlines cross it. */
function middlesOf(a: P2, b: P2, outlines: readonly Outline[]): P2[] {
  const side = (p: P2, q: P2, x: number, y: number) => (q[0] - p[0]) * (y - p[1]) - (q[1] - p[1]) * (x - p[0]);
  const cuts = [0, 1];
  const box: Box2 = [Math.min(a[0], b[0]), Math.min(a[1], b[1]), Math.max(a[0], b[0]), Math.max(a[1], b[1])];
  for (const { points: o, box: other } of outlines) {
    if (other[0] > box[2] || other[2] < box[0] || other[1] > box[3] || other[3] < box[1]) continue;
    const n = o.length / 2;
    for (let k = 0, j = n - 1; k < n; j = k++) {
      const [s, t] = [side(a, b, o[j * 2], o[j * 2 + 1]), side(a, b, o[k * 2], o[k * 2 + 1])];
      if (s > 0 === t > 0) continue;
      const [x, y] = [o[j * 2] + ((o[k * 2] - o[j * 2]) * s) / (s - t), o[j * 2 + 1] + ((o[k * 2 + 1] - o[j * 2 + 1]) * s) / (s - t)];
      const share = ((x - a[0]) * (b[0] - a[0]) + (y - a[1]) * (b[1] - a[1])) / ((b[0] - a[0]) ** 2 + (b[1] - a[1]) ** 2);
      if (share > 0 && share < 1) cuts.push(share);
    }
  }
  cuts.sort((p, q) => p - q);
  const out: P2[] = [];
  for (let i = 0; i + 1 < cuts.length; i++) {
    const t = (cuts[i] + cuts[i + 1]) / 2;
    if (cuts[i + 1] > cuts[i]) out.push([a[0] + (b[0] - a[0]) * t, a[1] + (b[1] - a[1]) * t]);
  }
  return out;
}

/** Whether the first point of an outline lies on the rim of a polygon. */
function nearAny(polygon: Float64Array, outline: Float64Array, slack: number): boolean {
  const n = polygon.length / 2;
  for (let i = 0, j = n - 1; i < n; j = i++) if (nearSide(polygon, [i, j], [outline[0], outline[1]], slack)) return true;
  return false;
}

/** 1 inside, 0 on the rim, -1 outside. */
function placeIn(clip: Clip, p: P2): -1 | 0 | 1 {
  let inside = false;
  for (const { outlines, rule } of clip.shapes) {
    let winding = 0;
    for (const { points, box } of outlines) {
      if (p[0] < box[0] - clip.slack || p[0] > box[2] + clip.slack || p[1] < box[1] - clip.slack || p[1] > box[3] + clip.slack) continue;
      const n = points.length / 2;
      for (let i = 0, j = n - 1; i < n; j = i++) if (nearSide(points, [i, j], p, clip.slack)) return 0;
      winding += windingRound(points, p[0], p[1]);
    }
    if (rule === 'nonzero' ? winding !== 0 : winding % 2 !== 0) inside = true;
  }
  return inside ? 1 : -1;
}

function nearSide(points: Float64Array, [i, j]: [number, number], p: P2, slack: number): boolean {
  const [ax, ay] = [points[j * 2], points[j * 2 + 1]];
  const [dx, dy] = [points[i * 2] - ax, points[i * 2 + 1] - ay];
  const square = dx * dx + dy * dy;
  const t = square > 0 ? Math.max(0, Math.min(1, ((p[0] - ax) * dx + (p[1] - ay) * dy) / square)) : 0;
  return Math.hypot(p[0] - ax - dx * t, p[1] - ay - dy * t) <= slack;
}
