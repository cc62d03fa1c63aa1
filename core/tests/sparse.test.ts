/** The sparse solver: against dense elimination, against closed forms, and what it refuses. */
import { describe, expect, test } from 'vitest';
import { solve } from '../src/geometry/solve.ts';
import { Cholesky, type LowerPattern } from '../src/sparse/cholesky.ts';
import { dissected, type Neighbours } from '../src/sparse/order.ts';
import { random } from './tube.data.ts';

/** A symmetric matrix from entries (row, column, value) of its lower half; diagonals are given too. */
function lower(n: number, entries: readonly (readonly [number, number, number])[]): { pattern: LowerPattern; values: Float64Array } {
  const columns: [number, number][][] = Array.from({ length: n }, () => []);
  for (const [i, j, v] of entries) columns[Math.min(i, j)].push([Math.max(i, j), v]);
  const starts = Int32Array.from([0, ...columns.map((_, j) => columns.slice(0, j + 1).reduce((s, c) => s + c.length, 0))]);
  return {
    pattern: { n, starts, rows: Int32Array.from(columns.flat(), ([r]) => r) },
    values: Float64Array.from(columns.flat(), ([, v]) => v),
  };
}

const natural = (n: number) => Int32Array.from({ length: n }, (_, i) => i);
const shuffled = (n: number, next: () => number) => natural(n).sort(() => next() - 0.5);

describe('against dense elimination', () => {
  test('random matrices in random orders, one right side and two', () => {
    const next = random(7);
    for (const n of [1, 2, 5, 17, 60]) {
      const entries: [number, number, number][] = [];
      const sum = new Float64Array(n);
      for (let i = 0; i < n; i++)
        for (let j = 0; j < i; j++) {
          if (next() > 0.15) continue;
          const v = next() - 0.5;
          entries.push([i, j, v]);
          sum[i] += Math.abs(v);
          sum[j] += Math.abs(v);
        }
      // More on the diagonal than beside it: positive definite (Gershgorin).
      for (let i = 0; i < n; i++) entries.push([i, i, sum[i] + 0.1 + next()]);
      const dense = new Float64Array(n * n);
      for (const [i, j, v] of entries) dense[i * n + j] = dense[j * n + i] = v;
      const { pattern, values } = lower(n, entries);
      const factor = new Cholesky(pattern, shuffled(n, next));
      expect(factor.factor(values)).toBe(true);
      const [a, b] = [0, 1].map(() => Float64Array.from({ length: n }, () => next() * 10 - 5));
      const both = new Float64Array(2 * n);
      for (let i = 0; i < n; i++) [both[2 * i], both[2 * i + 1]] = [a[i], b[i]];
      factor.solve(both, 2);
      const [x, y] = [a, b].map((side) => solve([...dense], [...side])!);
      const one = a.slice();
      factor.solve(one);
      for (let i = 0; i < n; i++) {
        expect(both[2 * i]).toBeCloseTo(x[i], 10);
        expect(both[2 * i + 1]).toBeCloseTo(y[i], 10);
        expect(one[i]).toBeCloseTo(x[i], 10);
      }
    }
  });
  test('factored again with other values, as rounds do', () => {
    const { pattern, values } = lower(3, [[0, 0, 4], [1, 0, 1], [1, 1, 3], [2, 2, 2]]); // prettier-ignore
    const factor = new Cholesky(pattern, natural(3));
    factor.factor(values);
    factor.factor(values.map((v) => 2 * v));
    const x = Float64Array.from([10, 8, 8]);
    factor.solve(x);
    // 8 x + 2 y = 10, 2 x + 6 y = 8, 4 z = 8.
    expect([...x].map((v) => Number(v.toFixed(12)))).toEqual([1, 1, 2]);
  });
});

describe('a plate held at its rim', () => {
  /** The five-point Laplacian on an m by m grid: its modes sin(i pi x / (m + 1)) are known in closed form. */
  function plate(m: number): { pattern: LowerPattern; values: Float64Array; graph: Neighbours; places: Float64Array } {
    const entries: [number, number, number][] = [];
    const lists: number[][] = Array.from({ length: m * m }, () => []);
    const places = new Float64Array(m * m * 2);
    for (let y = 0; y < m; y++)
      for (let x = 0; x < m; x++) {
        const k = y * m + x;
        places.set([x, y], 2 * k);
        entries.push([k, k, 4]);
        for (const [a, b] of [
          [x + 1, y],
          [x, y + 1],
        ]) {
          // prettier-ignore
          if (a >= m || b >= m) continue;
          entries.push([b * m + a, k, -1]);
          lists[k].push(b * m + a);
          lists[b * m + a].push(k);
        }
      }
    const starts = new Int32Array(m * m + 1);
    lists.forEach((l, i) => (starts[i + 1] = starts[i] + l.length));
    return { ...lower(m * m, entries), graph: { starts, others: Int32Array.from(lists.flat()) }, places };
  }
  test('each mode comes back divided by its value (Strang, Computational Science and Engineering, 3.5)', () => {
    const m = 40;
    const { pattern, values, graph, places } = plate(m);
    const factor = new Cholesky(pattern, dissected(graph, places, 2));
    expect(factor.factor(values)).toBe(true);
    for (const [i, j] of [
      [1, 1],
      [3, 7],
      [40, 40],
    ]) {
      // prettier-ignore
      const mode = Float64Array.from({ length: m * m }, (_, k) => Math.sin((i * Math.PI * ((k % m) + 1)) / (m + 1)) * Math.sin((j * Math.PI * (Math.floor(k / m) + 1)) / (m + 1)));
      const value = 4 - 2 * Math.cos((i * Math.PI) / (m + 1)) - 2 * Math.cos((j * Math.PI) / (m + 1));
      const x = mode.slice();
      factor.solve(x);
      for (let k = 0; k < m * m; k++) expect(Math.abs(x[k] * value - mode[k])).toBeLessThan(1e-12 * m);
    }
  });
  test('dissection names each vertex once and fills in far less than the natural order', () => {
    const { pattern, graph, places } = plate(64);
    const order = dissected(graph, places, 2);
    expect([...order].sort((a, b) => a - b)).toEqual(Array.from({ length: 64 * 64 }, (_, i) => i));
    const [better, plain] = [new Cholesky(pattern, order).size, new Cholesky(pattern, natural(64 * 64)).size];
    // A band of 64 in 4096 columns against 31 n log2 n / 4 (George 1973).
    expect(better).toBeLessThan(0.65 * plain);
  });
  test('all vertices in one place have an order too', () => {
    const { graph } = plate(20);
    expect(new Set(dissected(graph, new Float64Array(800), 2)).size).toBe(400);
  });
});

describe('refused', () => {
  test('a matrix that is not positive definite, whatever the sign of its diagonal', () => {
    for (const entries of [
      [
        [0, 0, 1],
        [1, 0, 2],
        [1, 1, 1],
      ],
      [
        [0, 0, -1],
        [1, 1, 1],
      ],
      [
        [0, 0, 0],
        [1, 1, 1],
      ],
    ] as const) {
      // prettier-ignore
      const { pattern, values } = lower(2, entries);
      expect(new Cholesky(pattern, natural(2)).factor(values)).toBe(false);
    }
  });
  test('an order that leaves one out, right sides of another length, places of another dimension', () => {
    const { pattern } = lower(3, [[0, 0, 1], [1, 1, 1], [2, 2, 1]]); // prettier-ignore
    expect(() => new Cholesky(pattern, Int32Array.from([0, 1, 1]))).toThrow(RangeError);
    expect(() => new Cholesky(pattern, natural(3)).solve(new Float64Array(4))).toThrow(RangeError);
    expect(() => dissected({ starts: new Int32Array(4), others: new Int32Array(0) }, new Float64Array(6), 3)).toThrow(RangeError);
  });
});
