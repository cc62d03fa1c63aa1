/** How a way through points bends: what goes through them without corners, and how much longer that is than its chords. */

/** Points where a way turns more than this are corners, degrees. */
export const cornerTurn = 25;
const least = Math.cos((cornerTurn * Math.PI) / 180);

/** Whether a way through points (of `d` numbers each) has a corner at point i. */
export function cornerAt(p: readonly (readonly number[])[], i: number): boolean {
  const [a, b, c] = [p[i - 1], p[i], p[i + 1]];
  let [uv, uu, vv] = [0, 0, 0];
  for (let k = 0; k < b.length; k++) {
    const [u, v] = [b[k] - a[k], c[k] - b[k]];
    uv += u * v;
    uu += u * u;
    vv += v * v;
  }
  return uv < least * Math.sqrt(uu * vv);
}

/** Parts of a way between its corners, each with both ends. A ring that has no corner is one part that ends where it begins. */
export function smoothParts(points: readonly (readonly number[])[]): number[][] {
  const parts: number[][] = [[0]];
  for (let i = 1; i < points.length; i++) {
    parts[parts.length - 1].push(i);
    if (i + 1 < points.length && cornerAt(points, i)) parts.push([i]);
  }
  return parts;
}

/**
 * Directions (times a length) with which a smooth way goes through points: those of the circle through three neighbours, times its speed there.
 * At its ends the way goes on as its last three points say. Source: Bessel's end and inner tangents, Farin, Curves and Surfaces for CAGD, 9.8.
 * @param ring the way comes back to its first point without a corner
 */
export function tangents(points: readonly (readonly number[])[], ring: boolean): number[][] {
  const n = points.length;
  const chord = (i: number) => Math.hypot(...points[i + 1].map((v, k) => v - points[i][k]));
  const slope = (i: number) => points[i + 1].map((v, k) => (v - points[i][k]) / chord(i));
  if (n === 2) return [slope(0), slope(0)];
  const inner = (i: number, j: number): number[] => {
    // Between chord i (before) and chord j (after): a parabola through the three points.
    const [a, b] = [chord(i), chord(j)];
    const [u, v] = [slope(i), slope(j)];
    return u.map((x, k) => (x * b + v[k] * a) / (a + b));
  };
  const out = points.map((_, i) => (i > 0 && i < n - 1 ? inner(i - 1, i) : []));
  if (ring) out[0] = out[n - 1] = inner(n - 2, 0);
  else {
    out[0] = slope(0).map((x, k) => 2 * x - out[1][k]);
    out[n - 1] = slope(n - 2).map((x, k) => 2 * x - out[n - 2][k]);
  }
  return out;
}

/** Control points between point i and i + 1 of a smooth way. */
export function controls(points: readonly (readonly number[])[], slopes: readonly (readonly number[])[], i: number): [number[], number[]] {
  const [a, b] = [points[i], points[i + 1]];
  const third = Math.hypot(...b.map((v, k) => v - a[k])) / 3;
  return [a.map((v, k) => v + slopes[i][k] * third), b.map((v, k) => v - slopes[i + 1][k] * third)];
}

/** Lengths of the pieces of a smooth way between its points, by Gauss-Legendre quadrature of 5 points; corners part it. @param ring it ends where it begins */
export function smoothLengths(points: readonly (readonly number[])[], ring: boolean): Float64Array {
  const out = new Float64Array(points.length - 1);
  const parts = smoothParts(points);
  for (const part of parts) {
    const own = part.map((i) => points[i]);
    const round = ring && parts.length === 1 && closesSmoothly(points);
    const slopes = tangents(own, round);
    for (let i = 0; i + 1 < own.length; i++) out[part[i]] = bezierLength(own[i], ...controls(own, slopes, i), own[i + 1]);
  }
  return out;
}

/** Whether a ring of points has no corner where it closes. */
export function closesSmoothly(points: readonly (readonly number[])[]): boolean {
  const n = points.length;
  return !cornerAt([points[n - 2], points[0], points[1]], 1);
}

const nodes = [0, 0.5384693101056831, 0.906179845938664];
const weights = [0.5688888888888889, 0.47862867049936647, 0.23692688505618908];

function bezierLength(a: readonly number[], b: readonly number[], c: readonly number[], d: readonly number[]): number {
  let sum = 0;
  for (let i = 0; i < 3; i++)
    for (const sign of i === 0 ? [0] : [-1, 1]) {
      const t = (1 + sign * nodes[i]) / 2;
      const s = 1 - t;
      let speed = 0;
      for (let k = 0; k < a.length; k++) {
        const v = 3 * (s * s * (b[k] - a[k]) + 2 * s * t * (c[k] - b[k]) + t * t * (d[k] - c[k]));
        speed += v * v;
      }
      sum += (weights[i] / 2) * Math.sqrt(speed);
    }
  return sum;
}
