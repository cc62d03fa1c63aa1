import { fromBulge, turn, type P2, type Segment, type SplineSegment } from '../../curves/segment.ts';

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
  if (!(degree >= 1 && degree <= 25) || points.length <= degree || knots.length !== points.length + degree + 1) return null;
  const s: SplineSegment = { kind: 'spline', degree, knots, points, weights: weights.length === points.length && new Set(weights).size > 1 ? weights : null };
  return fairKnots(s) ? s : null;
}

/** Whether knots never fall and the curve has some length of parameter. */
function fairKnots(s: SplineSegment): boolean {
  for (let i = 1; i < s.knots.length; i++) if (!(s.knots[i] >= s.knots[i - 1])) return false;
  return s.knots[s.points.length] > s.knots[s.degree] && (s.weights === null || s.weights.every((w) => w > 0));
}

/**
 * A smooth curve through points as cubic Béziers: twice continuously differentiable over chord lengths, with end directions when given,
 * else without bending at the ends. Source: de Boor, A Practical Guide to Splines, chapter IV.
 */
export function throughPoints(p: P2[], start: P2 | null, end: P2 | null): Segment[] {
  const n = p.length - 1;
  const h = Array.from({ length: n }, (_, i) => Math.max(1e-12, Math.hypot(p[i + 1][0] - p[i][0], p[i + 1][1] - p[i][1])));
  const slopes = [0, 1].map((k) => {
    const a = new Float64Array(n + 1);
    const b = new Float64Array(n + 1);
    const c = new Float64Array(n + 1);
    const d = new Float64Array(n + 1);
    const ends = [start, end].map((v) => (v && Math.hypot(...v) > 0 ? v[k] / Math.hypot(...v) : null));
    b[0] = ends[0] === null ? 2 : 1;
    c[0] = ends[0] === null ? 1 : 0;
    d[0] = ends[0] ?? (3 * (p[1][k] - p[0][k])) / h[0];
    b[n] = ends[1] === null ? 2 : 1;
    a[n] = ends[1] === null ? 1 : 0;
    d[n] = ends[1] ?? (3 * (p[n][k] - p[n - 1][k])) / h[n - 1];
    for (let i = 1; i < n; i++) {
      a[i] = h[i];
      b[i] = 2 * (h[i - 1] + h[i]);
      c[i] = h[i - 1];
      d[i] = 3 * ((h[i] * (p[i][k] - p[i - 1][k])) / h[i - 1] + (h[i - 1] * (p[i + 1][k] - p[i][k])) / h[i]);
    }
    for (let i = 1; i <= n; i++) {
      const m = a[i] / b[i - 1];
      b[i] -= m * c[i - 1];
      d[i] -= m * d[i - 1];
    }
    d[n] /= b[n];
    for (let i = n - 1; i >= 0; i--) d[i] = (d[i] - c[i] * d[i + 1]) / b[i];
    return d;
  });
  return h.map((w, i): Segment => ({
    kind: 'bezier',
    points: [
      p[i],
      [p[i][0] + (slopes[0][i] * w) / 3, p[i][1] + (slopes[1][i] * w) / 3],
      [p[i + 1][0] - (slopes[0][i + 1] * w) / 3, p[i + 1][1] - (slopes[1][i + 1] * w) / 3],
      p[i + 1],
    ],
  }));
}
