import type { P2, Segment } from './segment.ts';

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
