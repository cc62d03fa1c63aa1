import type { ArcSegment, EllipseSegment, Segment, SplineSegment } from './segment.ts';

/** Beyond this no drawing reaches, mm. */
const farthest = 1e12;

const finite = (p: readonly number[]) => Number.isFinite(p[0]) && Number.isFinite(p[1]) && Math.abs(p[0]) < farthest && Math.abs(p[1]) < farthest;
const isRound = ({ u, ratio }: EllipseSegment) => Math.hypot(...u) > 0 && Math.abs(ratio) > 1e-9;
const turns = (s: ArcSegment | EllipseSegment) => Number.isFinite(s.start) && Number.isFinite(s.sweep) && s.sweep !== 0;

/** Whether knots never fall, are as many as points and degree ask for and have some length between them, and weights are above 0: at 0 or below the curve may run through infinity. Source: The NURBS Book, 2.2 and 4.2. */
function hasKnots({ degree, knots, points, weights }: SplineSegment): boolean {
  if (knots.length !== points.length + degree + 1 || !knots.every(Number.isFinite)) return false;
  for (let i = 1; i < knots.length; i++) if (knots[i] < knots[i - 1]) return false;
  return knots[points.length] > knots[degree] && (!weights || (weights.length === points.length && weights.every((w) => w > 0 && w < Infinity)));
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
      return s.points.every(finite) && hasKnots(s);
  }
}
