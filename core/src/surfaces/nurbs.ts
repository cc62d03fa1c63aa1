/**
 * B-spline basis and derivatives.
 * Source: Piegl and Tiller, The NURBS Book, 2nd edition, algorithms A2.1 (span) and A2.3 (derivatives).
 */

/** The knot span of u in a flat knot vector (with repeated knots), for `count` poles of this degree. */
export function findSpan(knots: Float64Array, degree: number, count: number, u: number): number {
  if (u >= knots[count]) return count - 1 > degree ? lastSpan(knots, degree, count) : degree;
  if (u <= knots[degree]) return firstSpan(knots, degree, count);
  let low = degree;
  let high = count;
  while (high - low > 1) {
    const middle = (low + high) >> 1;
    if (u < knots[middle]) high = middle;
    else low = middle;
  }
  return low;
}

/** The first span that has a width. */
function firstSpan(knots: Float64Array, degree: number, count: number): number {
  let span = degree;
  while (span < count - 1 && knots[span] === knots[span + 1]) span++;
  return span;
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

/** A direction of a spline: its flat knots and its degree. */
export interface Knots {
  knots: Float64Array;
  degree: number;
}

/** The table of basis functions and knot differences at u (algorithm A2.2), and the functions themselves into the first row. */
function tableAt({ knots, degree }: Knots, span: number, u: number, out: Float64Array): void {
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
}

/** Basis functions and their first derivatives at u: two rows of degree + 1 numbers. They need no table of differences (eq. 2.7). Allocates nothing. */
export function slopesAt(along: Knots, span: number, u: number, out: Float64Array): void {
  tableAt(along, span, u, out);
  const { degree } = along;
  const order = degree + 1;
  for (let r = 0; r <= degree; r++) {
    const before = r > 0 ? ndu[(r - 1) * order + degree - 1] / ndu[degree * order + r - 1] : 0;
    const after = r < degree ? ndu[r * order + degree - 1] / ndu[degree * order + r] : 0;
    out[order + r] = degree * (before - after);
  }
}

/** Basis functions and their first two derivatives at u (algorithm A2.3): three rows of degree + 1 numbers. Allocates nothing. */
export function basisAt(along: Knots, span: number, u: number, out: Float64Array): void {
  tableAt(along, span, u, out);
  const { degree } = along;
  const order = degree + 1;
  out.fill(0, order, 3 * order);
  for (let r = 0; r <= degree; r++) {
    let s1 = 0;
    let s2 = order;
    a.fill(0, 0, 2 * order);
    a[0] = 1;
    for (let k = 1; k <= Math.min(2, degree); k++) {
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
  for (let k = 1; k <= Math.min(2, degree); k++) {
    for (let j = 0; j <= degree; j++) out[k * order + j] *= factor;
    factor *= degree - k;
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

/** What a spline surface is: degrees, knots, and a grid of poles. */
export interface PoleGrid {
  uDegree: number;
  vDegree: number;
  uKnots: Float64Array;
  vKnots: Float64Array;
  uCount: number;
  vCount: number;
  /** 3 numbers a pole, u row by row: pole (i, j) at (i * vCount + j) * 3. */
  poles: Float64Array;
  weights: Float64Array | null;
}

/** Poles as rows of numbers (homogeneous coordinates of one pole, or of a whole line of poles), with their knots. */
export interface PoleRows {
  knots: Float64Array;
  rows: Float64Array[];
}

/**
 * The same spline with knots that begin and end as often as its degree and once more, over the range in which it is defined: so it ends at its last poles.
 * Source: The NURBS Book, 5.2 (knot insertion, algorithm A5.1) and 12.1 (unclamped to clamped).
 * @example clamped(3, { knots: Float64Array.of(0, 1, 2, 3, 4, 5, 6, 7), rows }).knots // 3 3 3 3 4 4 4 4
 */
export function clamped(degree: number, spline: PoleRows): PoleRows {
  const begun = clampedAtBegin(degree, spline);
  return turnedOver(clampedAtBegin(degree, turnedOver(begun)));
}

/** Gone along from its end. */
const turnedOver = ({ knots, rows }: PoleRows): PoleRows => ({ knots: knots.map((k) => -k).reverse(), rows: [...rows].reverse() });

function clampedAtBegin(degree: number, { knots, rows }: PoleRows): PoleRows {
  const at = knots[degree];
  let [u, p] = [[...knots], [...rows]];
  const many = () => u.filter((k) => k === at).length;
  while (many() < degree) [u, p] = inserted(degree, u, p, at);
  const first = u.indexOf(at);
  const rest = u.filter((k) => k > at);
  // The pole that the spline begins at is the one before the last as many equal knots as the degree.
  const begin = first + many() - degree - 1;
  return { knots: Float64Array.from([...Array<number>(degree + 1).fill(at), ...rest]), rows: p.slice(Math.max(0, begin)) };
}

/** A knot more. */
function inserted(degree: number, u: readonly number[], p: readonly Float64Array[], at: number): [number[], Float64Array[]] {
  let k = degree;
  while (k + 1 < u.length && u[k + 1] <= at) k++;
  const s = u.filter((x) => x === at).length;
  const out: Float64Array[] = [];
  for (let i = 0; i <= p.length; i++) {
    if (i <= k - degree) out.push(p[i]);
    else if (i > k - s) out.push(p[i - 1]);
    else {
      const a = (at - u[i]) / (u[i + degree] - u[i]);
      out.push(p[i].map((x, c) => a * x + (1 - a) * p[i - 1][c]));
    }
  }
  return [[...u.slice(0, k + 1), at, ...u.slice(k + 1)], out];
}

/** A spline curve of any knots as one that ends at its last poles. Poles three numbers each; weights null where all are the same. */
export function clampedCurve(
  degree: number,
  knots: Float64Array,
  poles: Float64Array,
  weights: Float64Array | null,
): { knots: Float64Array; poles: Float64Array; weights: Float64Array | null } {
  const rows = homogeneous(poles, weights);
  return { ...apart(clamped(degree, { knots, rows })) };
}

/**
 * A spline curve from one of its parameters to another, with the same parameters: knots inserted until it ends there.
 * Source: The NURBS Book, 5.3 (curve splitting).
 * @param from not below the first parameter, and below `to`
 * @example pieceOfCurve(curve, 0.25, 0.5).poles
 */
export function pieceOfCurve(curve: SplineCurve, from: number, to: number): { knots: Float64Array; poles: Float64Array; weights: Float64Array | null } {
  const { degree, knots, poles, weights } = curve;
  const whole = { knots, rows: homogeneous(poles, weights) };
  const cut = (spline: PoleRows, at: number) => clampedAtBegin(degree, cutBefore(degree, spline, at));
  return apart(turnedOver(cut(turnedOver(cut(whole, from)), -to)));
}

/** A spline without the spans before that of a parameter; its range begins there. */
function cutBefore(degree: number, { knots, rows }: PoleRows, at: number): PoleRows {
  if (!(at > knots[degree])) return { knots, rows };
  let [u, p] = [[...knots], [...rows]];
  let many = u.filter((k) => k === at).length;
  for (; many < degree; many++) [u, p] = inserted(degree, u, p, at);
  const first = u.indexOf(at) + many - degree;
  return { knots: Float64Array.from([at, ...u.slice(first)]), rows: p.slice(first - 1) };
}

/** A spline curve: its poles three numbers each; weights null where all are the same. */
export interface SplineCurve {
  degree: number;
  knots: Float64Array;
  poles: Float64Array;
  weights: Float64Array | null;
}

/** x w, y w, z w, w of each pole. */
const homogeneous = (poles: Float64Array, weights: Float64Array | null): Float64Array[] =>
  Array.from({ length: poles.length / 3 }, (_, i) => {
    const w = weights?.[i] ?? 1;
    return Float64Array.of(poles[3 * i] * w, poles[3 * i + 1] * w, poles[3 * i + 2] * w, w);
  });

function apart({ knots, rows }: PoleRows): { knots: Float64Array; poles: Float64Array; weights: Float64Array | null } {
  const weights = Float64Array.from(rows, (r) => r[3]);
  return {
    knots,
    poles: Float64Array.from(rows.flatMap(([x, y, z, w]) => [x / w, y / w, z / w])),
    weights: weights.some((w) => w !== weights[0]) ? weights : null,
  };
}

/** A spline surface of any knots as one that ends at its last poles both ways. */
export function clampedSurface<S extends PoleGrid>(s: S): S {
  const all = homogeneous(s.poles, s.weights);
  const line = (list: readonly Float64Array[]) => Float64Array.from(list.flatMap((p) => [...p]));
  const u = clamped(s.uDegree, { knots: s.uKnots, rows: Array.from({ length: s.uCount }, (_, i) => line(all.slice(i * s.vCount, (i + 1) * s.vCount))) });
  const uCount = u.rows.length;
  // Now the lines across: row j holds pole j of each of them.
  const across = Array.from({ length: s.vCount }, (_, j) => line(u.rows.map((row) => row.subarray(4 * j, 4 * j + 4))));
  const v = clamped(s.vDegree, { knots: s.vKnots, rows: across });
  const vCount = v.rows.length;
  const rows = Array.from({ length: uCount * vCount }, (_, k) => v.rows[k % vCount].subarray(4 * Math.floor(k / vCount), 4 * Math.floor(k / vCount) + 4));
  const { poles, weights } = apart({ knots: u.knots, rows });
  return { ...s, uKnots: u.knots, vKnots: v.knots, uCount, vCount, poles, weights };
}

/** A spline curve gone along from its end, over the same range. */
export function backwardsSpline<C extends { knots: Float64Array; poles: Float64Array; weights: Float64Array | null }>(c: C): C {
  const count = c.poles.length / 3;
  const [low, high] = [c.knots[0], c.knots[c.knots.length - 1]];
  const poles = new Float64Array(c.poles.length);
  for (let i = 0; i < count; i++) poles.set(c.poles.subarray(3 * i, 3 * i + 3), 3 * (count - 1 - i));
  return { ...c, poles, weights: c.weights && c.weights.slice().reverse(), knots: c.knots.map((k) => low + high - k).reverse() };
}
