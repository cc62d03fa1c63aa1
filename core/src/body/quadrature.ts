/** Nodes and weights on 0..1. */
export interface Rule {
  at: Float64Array;
  weight: Float64Array;
}

const rules = new Map<number, Rule>();

/**
 * Gauss-Legendre quadrature with n points, exact for polynomials of degree 2 n - 1. Nodes by Newton's steps on the Legendre polynomial.
 * Source: Abramowitz and Stegun, 25.4.29 and 22.7.10.
 * @param n 1 to 64
 * @example gaussRule(2).at // 0.211..., 0.788...
 */
export function gaussRule(n: number): Rule {
  const known = rules.get(n);
  if (known) return known;
  if (!(Number.isInteger(n) && n >= 1 && n <= 64)) throw new RangeError('A rule has 1 to 64 points.');
  const rule: Rule = { at: new Float64Array(n), weight: new Float64Array(n) };
  for (let i = 0; i < n; i++) {
    let x = Math.cos((Math.PI * (i + 0.75)) / (n + 0.5));
    let slope = 1;
    for (let step = 0; step < 100; step++) {
      let [before, now] = [1, x];
      for (let k = 2; k <= n; k++) [before, now] = [now, ((2 * k - 1) * x * now - (k - 1) * before) / k];
      if (n === 1) [before, now] = [1, x];
      slope = (n * (x * now - before)) / (x * x - 1);
      const dx = now / slope;
      x -= dx;
      if (Math.abs(dx) < 1e-16) break;
    }
    rule.at[n - 1 - i] = (1 + x) / 2;
    rule.weight[n - 1 - i] = 1 / ((1 - x * x) * slope * slope);
  }
  rules.set(n, rule);
  return rule;
}
