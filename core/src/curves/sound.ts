import type { ArcSegment, EllipseSegment, Segment, SplineSegment } from './segment.ts';

/** Beyond this no drawing reaches, mm. */
const farthest = 1e12;

const finite = (p: readonly number[]) => Number.isFinite(p[0]) && Number.isFinite(p[1]) && Math.abs(p[0]) < farthest && Math.abs(p[1]) < farthest;
const isRound = ({ u, ratio }: EllipseSegment) => Math.hypot(...u) > 0 && Math.abs(ratio) > 1e-9;
const turns = (s: ArcSegment | EllipseSegment) => Number.isFinite(s.start) && Number.isFinite(s.sweep) && s.sweep !== 0;
/**
 * Weights below 0 take the curve through infinity, and so do those of a span that are all 0; a single 0 only takes its point away. Source: The NURBS
 * Book, 4.2.
 */
function weighted({ weights, points, degree }: SplineSegment): boolean {
  if (!weights) return true;
  let zeros = 0;
  for (const w of weights) {
    if (!(w >= 0 && w < Infinity)) return false;
    zeros = w === 0 ? zeros + 1 : 0;
    if (zeros > degree) return false;
  }
  return weights.length === points.length;
}

/** Whether a segment's numbers make a curve. @example soundSegment({ kind: 'arc', centre: [0, 0], radius: 0, start: 0, sweep: 1 }) // false */
export function soundSegment(s: Segment): boolean {
  switch (s.kind) {
    case 'line':
      return finite(s.a) && finite(s.b);
    case 'arc':
      return finite(s.centre) && s.radius > 0 && s.radius < farthest && turns(s);
    case 'ellipse':
      return finite(s.centre) && finite(s.u) && isRound(s) && turns(s);
    case 'bezier':
      return s.points.every(finite);
    case 'spline':
      return s.points.every(finite) && s.knots.every(Number.isFinite) && weighted(s);
  }
}
