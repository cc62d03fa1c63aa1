import { distance, pointAt, spansOf, velocityAt, type BezierSegment, type P2, type Segment, type SplineSegment } from './segment.ts';

/**
 * A spline as cubic Béziers: exact, by knot insertion, when it is not rational and of degree 3 or less; else pieces through its points
 * and directions, halved until a dense set of probes keeps the deviation (mm). Source: Boehm, Inserting new knots, 1980.
 */
export function asBeziers(s: SplineSegment, deviation: number): { segments: BezierSegment[]; measured: number } {
  if (!s.weights && s.degree <= 3) return { segments: exactBeziers(s), measured: 0 };
  const cuts = spansOf(s);
  const segments: BezierSegment[] = [];
  let measured = 0;
  for (let i = 1; i < cuts.length; i++) measured = Math.max(measured, hermite(s, cuts[i - 1], cuts[i], deviation, 12, segments));
  return { segments, measured };
}

function hermite(s: Segment, a: number, b: number, deviation: number, depth: number, out: BezierSegment[]): number {
  const w = (b - a) / 3;
  const [p, q] = [pointAt(s, a), pointAt(s, b)];
  // Directions a hair inside the span, so that a kink at a knot belongs to the right piece.
  const hair = (b - a) * 1e-9;
  const [d, e] = [velocityAt(s, a + hair), velocityAt(s, b - hair)];
  const bezier: BezierSegment = { kind: 'bezier', points: [p, [p[0] + d[0] * w, p[1] + d[1] * w], [q[0] - e[0] * w, q[1] - e[1] * w], q] };
  let far = 0;
  for (let k = 1; k < 8; k++) far = Math.max(far, distance(pointAt(bezier, k / 8), pointAt(s, a + ((b - a) * k) / 8)));
  if (far <= deviation || depth === 0) {
    out.push(bezier);
    return far;
  }
  const m = (a + b) / 2;
  return Math.max(hermite(s, a, m, deviation, depth - 1, out), hermite(s, m, b, deviation, depth - 1, out));
}

function exactBeziers(s: SplineSegment): BezierSegment[] {
  const p = s.degree;
  let knots = [...s.knots];
  let points = [...s.points];
  const [from, to] = [knots[p], knots[points.length]];
  const inner = [...new Set(knots.filter((k) => k >= from && k <= to))];
  for (const k of inner) {
    let times = knots.filter((x) => x === k).length;
    while (times < p) {
      ({ knots, points } = inserted(knots, points, p, k));
      times++;
    }
  }
  // Knots before the start and after the end of an unclamped curve are cut away with their points.
  const first = knots.indexOf(from);
  const segments: BezierSegment[] = [];
  // The curve's own first control point: with `first` knots before the start repeated p times, points begin at index first + repeats - p - ... of Boehm.
  const startRepeats = knots.filter((x) => x === from).length;
  let at = first + startRepeats - 1 - p;
  const spans = inner.length - 1;
  for (let i = 0; i < spans; i++) {
    const own = points.slice(at, at + p + 1);
    segments.push({ kind: 'bezier', points: raised(own) });
    const repeats = knots.filter((x) => x === inner[i + 1]).length;
    at += Math.min(repeats, p);
  }
  return segments;
}

/** One more knot at x, the curve unchanged. */
function inserted(knots: number[], points: P2[], p: number, x: number): { knots: number[]; points: P2[] } {
  let k = 0;
  while (k + 1 < knots.length && knots[k + 1] <= x) k++;
  // At the end of the domain the knot belongs to the span before it.
  while (k > 0 && knots[k] === x && k >= points.length) k--;
  const next: P2[] = [];
  for (let i = 0; i <= points.length; i++) {
    if (i <= k - p) next.push(points[i]);
    else if (i > k) next.push(points[i - 1]);
    else {
      const width = knots[i + p] - knots[i];
      const f = width > 0 ? (x - knots[i]) / width : 0;
      next.push([points[i - 1][0] * (1 - f) + points[i][0] * f, points[i - 1][1] * (1 - f) + points[i][1] * f]);
    }
  }
  const at = knots.findIndex((v) => v > x);
  return { knots: at < 0 ? [...knots, x] : [...knots.slice(0, at), x, ...knots.slice(at)], points: next };
}

/** Lines and parabolas as Béziers of three or four points. */
function raised(points: P2[]): P2[] {
  if (points.length > 2) return points;
  const [a, b] = points;
  const between = (t: number): P2 => [a[0] + (b[0] - a[0]) * t, a[1] + (b[1] - a[1]) * t];
  return [a, between(1 / 3), between(2 / 3), b];
}
