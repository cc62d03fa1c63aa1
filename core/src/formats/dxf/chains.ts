import { fromBulge, turn, type P2, type Segment, type SplineSegment } from '../../curves/segment.ts';
import { soundSegment } from '../../curves/sound.ts';

/** A chain as an entity gives it, in its own plane mapped to the world's X and Y. */
export interface Chain {
  segments: Segment[];
  closed: boolean;
}

export const degrees = Math.PI / 180;

/** Sweep counter-clockwise from one angle to another; equal angles are a full turn. */
export function ahead(from: number, to: number): number {
  let sweep = (to - from) % turn;
  if (sweep <= 1e-12) sweep += turn;
  return sweep;
}

/** A polyline with the bulges of its pieces. Source: DXF Reference, LWPOLYLINE: a bulge is the tangent of a quarter of the arc's angle. */
export function bulged(points: P2[], bulges: number[], closed: boolean): Chain {
  const segments: Segment[] = [];
  const n = points.length;
  for (let i = 0; i + (closed ? 0 : 1) < n; i++) {
    const a = points[i];
    const b = points[(i + 1) % n];
    // A closed polyline whose last point repeats the first has no closing piece of its own.
    if (closed && i === n - 1 && a[0] === b[0] && a[1] === b[1]) continue;
    segments.push(fromBulge(a, b, bulges[i]));
  }
  return { segments, closed: closed && segments.length > 0 };
}

/**
 * A spline by its control points; null where knots and points do not make one.
 * @param weights one a point, else all weigh the same
 */
export function splineBy(degree: number, knots: number[], points: P2[], weights: number[]): SplineSegment | null {
  if (!(degree >= 1 && degree <= 25) || points.length <= degree) return null;
  const s: SplineSegment = { kind: 'spline', degree, knots, points, weights: weights.length === points.length && new Set(weights).size > 1 ? weights : null };
  return soundSegment(s) ? s : null;
}
