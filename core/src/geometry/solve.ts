/**
 * Solves a x = b by Gauss's elimination with pivots; both are used up. Source: any handbook of numerics.
 * @param a n x n, row by row @returns null where there is no answer. @example solve([2, 0, 0, 4], [2, 2]) // [1, 0.5]
 */
export function solve(a: number[] | Float64Array, b: number[] | Float64Array): number[] | null {
  const n = b.length;
  for (let c = 0; c < n; c++) {
    let pivot = c;
    for (let r = c + 1; r < n; r++) if (Math.abs(a[r * n + c]) > Math.abs(a[pivot * n + c])) pivot = r;
    if (!(Math.abs(a[pivot * n + c]) > 0)) return null;
    if (pivot !== c) {
      for (let k = c; k < n; k++) [a[c * n + k], a[pivot * n + k]] = [a[pivot * n + k], a[c * n + k]];
      [b[c], b[pivot]] = [b[pivot], b[c]];
    }
    for (let r = c + 1; r < n; r++) {
      const f = a[r * n + c] / a[c * n + c];
      if (f === 0) continue;
      for (let k = c; k < n; k++) a[r * n + k] -= f * a[c * n + k];
      b[r] -= f * b[c];
    }
  }
  const out = Array.from({ length: n }, () => 0);
  for (let r = n - 1; r >= 0; r--) {
    let sum = b[r];
    for (let k = r + 1; k < n; k++) sum -= a[r * n + k] * out[k];
    out[r] = sum / a[r * n + r];
  }
  return out;
}
