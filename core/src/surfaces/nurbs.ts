/**
 * B-spline basis and derivatives.
 * Source: Piegl and Tiller, The NURBS Book, 2nd edition, algorithms A2.1 (span) and A2.3 (derivatives).
 */

/** The knot span of u in a flat knot vector (with repeated knots), for `count` poles of this degree. */
export function findSpan(knots: Float64Array, degree: number, count: number, u: number): number {
  if (u >= knots[count]) return count - 1 > degree ? lastSpan(knots, degree, count) : degree;
  if (u <= knots[degree]) return degree;
  let low = degree;
  let high = count;
  while (high - low > 1) {
    const middle = (low + high) >> 1;
    if (u < knots[middle]) high = middle;
    else low = middle;
  }
  return low;
}

function lastSpan(knots: Float64Array, degree: number, count: number): number {
  let span = count - 1;
  while (span > degree && knots[span] === knots[span + 1]) span--;
  return span;
}

/** Highest degree that is evaluated; the kernel's own limit is 25. */
const mostOrder = 32;
const ndu = new Float64Array(mostOrder * mostOrder);
const left = new Float64Array(mostOrder + 1);
const right = new Float64Array(mostOrder + 1);
const a = new Float64Array(2 * mostOrder);

/**
 * Basis functions and their first `most` derivatives at u. `out` takes 3 rows of degree + 1 numbers (two where one derivative is asked for). Allocates nothing.
 */
export function basisAt(knots: Float64Array, degree: number, span: number, u: number, out: Float64Array, most = 2): void {
  const order = degree + 1;
  ndu[0] = 1;
  for (let j = 1; j <= degree; j++) {
    left[j] = u - knots[span + 1 - j];
    right[j] = knots[span + j] - u;
    let saved = 0;
    for (let r = 0; r < j; r++) {
      ndu[j * order + r] = right[r + 1] + left[j - r];
      const temp = ndu[r * order + j - 1] / ndu[j * order + r];
      ndu[r * order + j] = saved + right[r + 1] * temp;
      saved = left[j - r] * temp;
    }
    ndu[j * order + j] = saved;
  }
  for (let j = 0; j <= degree; j++) out[j] = ndu[j * order + degree];
  if (most === 1) {
    slopesAt(degree, out);
    return;
  }
  out.fill(0, order, 3 * order);
  for (let r = 0; r <= degree; r++) {
    let s1 = 0;
    let s2 = order;
    a.fill(0, 0, 2 * order);
    a[0] = 1;
    for (let k = 1; k <= Math.min(most, degree); k++) {
      let d = 0;
      const rk = r - k;
      const pk = degree - k;
      if (r >= k) {
        a[s2] = a[s1] / ndu[(pk + 1) * order + rk];
        d = a[s2] * ndu[rk * order + pk];
      }
      const j1 = rk >= -1 ? 1 : -rk;
      const j2 = r - 1 <= pk ? k - 1 : degree - r;
      for (let j = j1; j <= j2; j++) {
        a[s2 + j] = (a[s1 + j] - a[s1 + j - 1]) / ndu[(pk + 1) * order + rk + j];
        d += a[s2 + j] * ndu[(rk + j) * order + pk];
      }
      if (r <= pk) {
        a[s2 + k] = -a[s1 + k - 1] / ndu[(pk + 1) * order + r];
        d += a[s2 + k] * ndu[r * order + pk];
      }
      out[k * order + r] = d;
      [s1, s2] = [s2, s1];
    }
  }
  let factor = degree;
  for (let k = 1; k <= Math.min(most, degree); k++) {
    for (let j = 0; j <= degree; j++) out[k * order + j] *= factor;
    factor *= degree - k;
  }
}

/** First derivatives alone, from the table of the basis: they need no table of differences (eq. 2.7). */
function slopesAt(degree: number, out: Float64Array): void {
  const order = degree + 1;
  for (let r = 0; r <= degree; r++) {
    const before = r > 0 ? ndu[(r - 1) * order + degree - 1] / ndu[degree * order + r - 1] : 0;
    const after = r < degree ? ndu[r * order + degree - 1] / ndu[degree * order + r] : 0;
    out[order + r] = degree * (before - after);
  }
}

/** A flat knot vector from knots and multiplicities; periodic ones are opened by wrapping around. */
export function flatKnots(knots: number[], times: number[]): Float64Array {
  const flat: number[] = [];
  knots.forEach((knot, i) => {
    for (let k = 0; k < times[i]; k++) flat.push(knot);
  });
  return Float64Array.from(flat);
}

/**
 * A periodic B-spline's poles and knots as an ordinary one over the same range.
 * Poles wrap around; knots are carried on by the period to both sides.
 */
export function openPeriodic(poles: number, degree: number, knots: number[], times: number[]): { knots: Float64Array; order: number[] } {
  const period = knots[knots.length - 1] - knots[0];
  const once: number[] = [];
  for (let i = 0; i < knots.length - 1; i++) for (let k = 0; k < times[i]; k++) once.push(knots[i]);
  // `once` has as many knots as there are poles in one period.
  const first = times[0];
  const at = (i: number) => {
    const n = once.length;
    const turns = Math.floor(i / n);
    return once[i - turns * n] + turns * period;
  };
  // The pole order begins so that knot index `degree` of the flat vector is the last copy of the first knot.
  const begin = first - 1 - degree;
  const count = poles + degree + 1 - first;
  const total = Math.max(count, degree + 1);
  const flat = new Float64Array(total + degree + 1);
  for (let i = 0; i < flat.length; i++) flat[i] = at(begin + i);
  // Pole i of the file belongs to knots from (i + first - 1 - degree): shift so that the first pole is index 0.
  const order = Array.from({ length: total }, (_, i) => ((i % poles) + poles) % poles);
  return { knots: flat, order };
}
