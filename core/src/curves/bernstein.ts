/**
 * Polynomials in Bernstein form over 0..1, as their coefficients: the curve of a coefficient list lies within the range of the list, which
 * makes roots findable with certainty. Source: Farouki and Rajan, On the numerical condition of polynomials in Bernstein form, 1987.
 */

/** The derivative of a Bernstein polynomial: n (b[i+1] - b[i]). An empty list for a constant. */
export function derivativeOf(b: readonly number[]): number[] {
  const n = b.length - 1;
  return Array.from({ length: Math.max(0, n) }, (_, i) => n * (b[i + 1] - b[i]));
}

/** The product of two Bernstein polynomials. Source: Farouki and Rajan 1988, Algorithms for polynomials in Bernstein form, (44). */
export function productOf(a: readonly number[], b: readonly number[]): number[] {
  const [m, n] = [a.length - 1, b.length - 1];
  const out: number[] = new Array<number>(m + n + 1).fill(0);
  for (let i = 0; i <= m; i++) for (let j = 0; j <= n; j++) out[i + j] += (a[i] * b[j] * choose(m, i) * choose(n, j)) / choose(m + n, i + j);
  return out;
}

function choose(n: number, k: number): number {
  let c = 1;
  for (let i = 0; i < k; i++) c = (c * (n - i)) / (i + 1);
  return c;
}

/** Halvings until a root's interval is below double precision; most roots asked for at once. */
const deepest = 52;
const mostRoots = 64;

/**
 * Where a Bernstein polynomial is zero between 0 and 1, ends included, each within 2^-50. A polynomial that is zero throughout gives none.
 * By variation diminishing: no sign change of the coefficients, no root; one change, one root, found by halving; else cut in two.
 * @example rootsOf([-1, 1]) // [0.5]
 */
export function rootsOf(b: readonly number[]): number[] {
  const found: number[] = [];
  if (b.every((v) => v === 0)) return found;
  isolate(b, [0, 1], 0, found);
  return found;
}

function isolate(b: readonly number[], [from, to]: readonly [number, number], depth: number, found: number[]): void {
  if (found.length >= mostRoots) return;
  const add = (t: number) => {
    if (found.length === 0 || t - found[found.length - 1] > 1e-15) found.push(t);
  };
  let changes = 0;
  let last = 0;
  for (const v of b) {
    const s = Math.sign(v);
    if (s === 0) continue;
    if (last !== 0 && s !== last) changes++;
    last = s;
  }
  if (b[0] === 0) add(from);
  if (changes > 0) {
    if (depth >= deepest) add((from + to) / 2);
    else if (changes === 1 && b[0] !== 0 && b[b.length - 1] !== 0) add(from + (to - from) * bisected(b));
    else {
      const [low, high] = halves(b);
      const middle = (from + to) / 2;
      isolate(low, [from, middle], depth + 1, found);
      isolate(high, [middle, to], depth + 1, found);
    }
  }
  if (b[b.length - 1] === 0) add(to);
}

function bisected(b: readonly number[]): number {
  let [low, high] = [0, 1];
  const negative = b[0] < 0;
  for (let i = 0; i < deepest; i++) {
    const m = (low + high) / 2;
    if (valueOf(b, m) < 0 === negative) low = m;
    else high = m;
  }
  return (low + high) / 2;
}

/** The polynomial's value, by de Casteljau's algorithm. */
export function valueOf(b: readonly number[], t: number): number {
  const d = [...b];
  for (let r = d.length - 1; r > 0; r--) for (let i = 0; i < r; i++) d[i] = d[i] * (1 - t) + d[i + 1] * t;
  return d[0];
}

function halves(b: readonly number[]): [number[], number[]] {
  const d = [...b];
  const low = [d[0]];
  const high = [d[d.length - 1]];
  for (let r = d.length - 1; r > 0; r--) {
    for (let i = 0; i < r; i++) d[i] = (d[i] + d[i + 1]) / 2;
    low.push(d[0]);
    high.push(d[r - 1]);
  }
  return [low, high.reverse()];
}
