import type { Segment } from './segment.ts';

const finite = (p: readonly number[]) => Number.isFinite(p[0]) && Number.isFinite(p[1]) && Math.abs(p[0]) < 1e12 && Math.abs(p[1]) < 1e12;

/** Whether a segment's numbers make a curve. */
export function soundSegment(s: Segment): boolean {
  switch (s.kind) {
    case 'line':
      return finite(s.a) && finite(s.b);
    case 'arc':
      return finite(s.centre) && s.radius > 0 && s.radius < 1e12 && Number.isFinite(s.start) && Number.isFinite(s.sweep) && s.sweep !== 0;
    case 'ellipse':
      return finite(s.centre) && finite(s.u) && Math.hypot(...s.u) > 0 && Math.abs(s.ratio) > 1e-9 && Number.isFinite(s.start + s.sweep) && s.sweep !== 0;
    case 'bezier':
      return s.points.every(finite);
    case 'spline':
      return s.points.every(finite) && s.knots.every(Number.isFinite);
  }
}
