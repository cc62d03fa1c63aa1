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
  for (let i = 1; i < cuts.length; i++) measured = Math.max(measured, hermite({ s, deviation, out: segments }, cuts[i - 1], cuts[i]));
  return { segments, measured };
}

/** What is made into Béziers, how near, and where they go. */
interface Making {
  s: Segment;
  deviation: number;
  out: BezierSegment[];
}

function hermite(how: Making, a: number, b: number, depth = 12): number {
  const { s, deviation, out } = how;
  const w = (b - a) / 3;
  const [p, q] = [pointAt(s, a), pointAt(s, b)];
  // Directions a hair inside the span, so that a kink at a knot belongs to the right piece.
  const hair = (b - a) * 1e-9;
  const [d, e] = [velocityAt(s, a + hair), velocityAt(s, b - hair)];
  const bezier: BezierSegment = { kind: 'bezier', points: [p, [p[0] + d[0] * w, p[1] + d[1] * w], [q[0] - e[0] * w, q[1] - e[1] * w], q] };
  let far = 0;
  for (let k = 1; k < 8; k++) far = Math.max(far, distance(pointAt(bezier, k / 8), pointAt(s, a + ((b - a) * k) / 8)));
  // Between two of the probes it may be up to a fifth more.
  if (far <= deviation * 0.8 || depth === 0) {
    out.push(bezier);
    return far;
  }
  const m = (a + b) / 2;
  return Math.max(hermite(how, a, m, depth - 1), hermite(how, m, b, depth - 1));
}

function exactBeziers(s: SplineSegment): BezierSegment[] {
  return spanCurves(s).map(({ x, y }): BezierSegment => ({ kind: 'bezier', points: raised(x.map((v, i): P2 => [v, y[i]])) }));
}

/** One span of a spline as Bernstein polynomials over the shares from..to of its parameter: x w, y w and w (null when not rational). */
export interface SpanCurve {
  from: number;
  to: number;
  x: number[];
  y: number[];
  w: number[] | null;
}

/**
 * The spans of a spline, each as one Bézier curve: its control points are blossoms of the span's two ends, so that the work is the same for
 * each span however many there are. Source: Ramshaw, Blossoms are polar forms, 1989.
 */
export function spanCurves(s: SplineSegment): SpanCurve[] {
  const { degree: p, knots, points, weights } = s;
  const [low, high] = [knots[p], knots[points.length]];
  const spans: SpanCurve[] = [];
  const at = new Float64Array(p);
  for (let k = p; k < points.length; k++) {
    const [a, b] = [knots[k], knots[k + 1]];
    if (!(b > a)) continue;
    const span: SpanCurve = { from: (a - low) / (high - low), to: (b - low) / (high - low), x: [], y: [], w: weights ? [] : null };
    for (let j = 0; j <= p; j++) {
      // Control point j is the blossom at a (p - j times) and b (j times).
      for (let i = 0; i < p; i++) at[i] = i < p - j ? a : b;
      const blossom = (value: (i: number) => number): number => {
        const d = Array.from({ length: p + 1 }, (_, i) => value(k - p + i));
        for (let r = 1; r <= p; r++) {
          for (let i = p; i >= r; i--) {
            const left = knots[k - p + i];
            const width = knots[k + 1 + i - r] - left;
            const f = width > 0 ? (at[r - 1] - left) / width : 0;
            d[i] = d[i - 1] * (1 - f) + d[i] * f;
          }
        }
        return d[p];
      };
      const weight = (i: number) => (weights ? weights[i] : 1);
      span.x.push(blossom((i) => points[i][0] * weight(i)));
      span.y.push(blossom((i) => points[i][1] * weight(i)));
      span.w?.push(blossom(weight));
    }
    spans.push(span);
  }
  return spans;
}

/** Lines and parabolas as Béziers of three or four points. */
function raised(points: P2[]): P2[] {
  if (points.length > 2) return points;
  const [a, b] = points;
  const between = (t: number): P2 => [a[0] + (b[0] - a[0]) * t, a[1] + (b[1] - a[1]) * t];
  return [a, between(1 / 3), between(2 / 3), b];
}
