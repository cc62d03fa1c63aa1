import { execFileSync } from 'node:child_process';
import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { ahead, behind } from '../src/mesher/half-edges.ts';
import { Crossing, Triangulation } from '../src/mesher/triangulation.ts';

/** Pseudo-random whole numbers below n: sums of products of them are exact. */
function wholes(seed: number, n: number): () => number {
  let state = seed;
  return () => {
    state = (state * 1103515245 + 12345) % 2147483648;
    return Math.floor((state / 2147483648) * n);
  };
}

/** What every triangulation must be: neighbours know each other, all triangles go round counter-clockwise. */
function isWhole(t: Triangulation): boolean {
  for (let e = 0; e < 3 * t.triangles; e++) {
    const g = t.across[e];
    if (g >= 0 && (t.across[g] !== e || t.corner[g] !== t.corner[ahead(e)] || t.corner[ahead(g)] !== t.corner[e] || t.fixed[g] !== t.fixed[e])) return false;
    if (t.corner[t.leaving[t.corner[e]]] !== t.corner[e]) return false;
  }
  for (let k = 0; k < t.triangles; k++) if (!(t.turn(t.corner[3 * k], t.corner[3 * k + 1], t.corner[3 * k + 2]) > 0)) return false;
  return true;
}

/** Whether d lies within the circle through a, b, c: the determinant of the handbook, in whole numbers without rounding. */
function inCircle(t: Triangulation, [a, b, c, d]: number[]): bigint {
  const row = (p: number) => {
    const [x, y] = [BigInt(t.x[p] - t.x[d]), BigInt(t.y[p] - t.y[d])];
    return [x, y, x * x + y * y];
  };
  const [[ax, ay, aw], [bx, by, bw], [cx, cy, cw]] = [row(a), row(b), row(c)];
  return ax * (by * cw - bw * cy) - ay * (bx * cw - bw * cx) + aw * (bx * cy - by * cx);
}

const areaOf = (t: Triangulation): number => {
  let sum = 0;
  for (let k = 0; k < t.triangles; k++) {
    const [a, b, c] = [0, 1, 2].map((i) => t.corner[3 * k + i]);
    sum += ((t.x[b] - t.x[a]) * (t.y[c] - t.y[a]) - (t.x[c] - t.x[a]) * (t.y[b] - t.y[a])) / 2;
  }
  return sum;
};

/** A triangulation of a ring of points, its outline kept and what lies outside dropped. */
function outlined(loops: [number, number][][]): { t: Triangulation; numbers: number[][] } {
  const all = loops.flat();
  const box = [0, 1].map((k) => Math.min(...all.map((p) => p[k]))).concat([0, 1].map((k) => Math.max(...all.map((p) => p[k]))));
  const t = new Triangulation(box);
  const numbers = loops.map((loop) => loop.map(([x, y]) => t.insert(x, y)));
  let given = 0;
  for (const loop of numbers) loop.forEach((p, i) => t.keep(p, loop[(i + 1) % loop.length], given++));
  t.carve();
  return { t, numbers };
}
const ring = (n: number, r: number): [number, number][] =>
  Array.from({ length: n }, (_, i) => [r * Math.cos((2 * Math.PI * i) / n), r * Math.sin((2 * Math.PI * i) / n)]);

describe('points put in one by one', () => {
  test('no point lies within the circle round any triangle (Delaunay 1934), in exact whole numbers', () => {
    const next = wholes(7, 200);
    const t = new Triangulation([0, 0, 200, 200]);
    for (let i = 0; i < 400; i++) t.insert(next(), next());
    expect(isWhole(t)).toBe(true);
    for (let e = 0; e < 3 * t.triangles; e++) {
      const g = t.across[e];
      if (g >= 0) expect(inCircle(t, [t.corner[e], t.corner[ahead(e)], t.corner[behind(e)], t.corner[behind(g)]]) <= 0n).toBe(true);
    }
  });
  test('as many triangles and the same edges as scipy finds (Qhull) where the answer is one', () => {
    const next = wholes(3, 100_000);
    const points = Array.from({ length: 300 }, () => [next(), next()]);
    // Corners far out, so that both have the same outline.
    const corners = [[-1e6, -1e6], [2e6, -1e6], [2e6, 2e6], [-1e6, 2e6]]; // prettier-ignore
    const t = new Triangulation([-1e6, -1e6, 2e6, 2e6]);
    const number = new Map([...corners, ...points].map(([x, y], i) => [t.insert(x, y), i]));
    const ours = new Set<string>();
    for (let k = 0; k < t.triangles; k++) {
      const list = [0, 1, 2].map((i) => number.get(t.corner[3 * k + i]) ?? -1).sort((a, b) => a - b);
      if (list[0] >= 0) ours.add(list.join(' '));
    }
    const script = `
import json, sys, numpy, scipy.spatial as s
print(json.dumps([sorted(map(int, x)) for x in s.Delaunay(numpy.array(json.loads(sys.stdin.read()), float)).simplices]))`;
    const theirs = JSON.parse(
      execFileSync('/usr/bin/python3', ['-c', script], { input: JSON.stringify([...corners, ...points]), encoding: 'utf8' }),
    ) as number[][];
    expect([...ours].sort()).toEqual(theirs.map((x) => x.join(' ')).sort());
  });
  test('a grid, where four points lie on every circle, and points on edges and on one another', () => {
    const t = new Triangulation([0, 0, 12, 12]);
    for (let i = 0; i <= 12; i++) for (let j = 0; j <= 12; j++) t.insert(i, j);
    const before = t.points;
    expect(t.insert(6, 6)).toBeLessThan(before);
    expect(t.points).toBe(before);
    t.insert(6.5, 6);
    t.insert(6.5, 6.5);
    expect(isWhole(t)).toBe(true);
  });
  test('a place outside has no triangle', () => {
    expect(new Triangulation([0, 0, 1, 1]).locate(1e9, 1e9)).toBe(-1);
    expect(new Triangulation([0, 0, 1, 1]).insert(1e9, 1e9)).toBe(-1);
  });
});

describe('edges that stay', () => {
  test('an edge through many others is there afterwards, and all is still whole', () => {
    const next = wholes(11, 1000);
    const t = new Triangulation([0, 0, 1000, 1000]);
    const [a, b] = [t.insert(-1, 500), t.insert(1001, 507)];
    for (let i = 0; i < 300; i++) t.insert(next(), next());
    t.keep(a, b, 42);
    expect(t.keptAs(t.edge(a, b))).toBe(42);
    expect(isWhole(t)).toBe(true);
  });
  test('two that cross are named, and one that goes through a point names what ends there', () => {
    const t = new Triangulation([0, 0, 10, 10]);
    const [a, b, c, d] = [t.insert(0, 0), t.insert(10, 10), t.insert(0, 10), t.insert(10, 0)];
    t.keep(a, b, 5);
    expect(() => t.keep(c, d, 6)).toThrow(Crossing);
    expect(thrown(() => t.keep(c, d, 6)).edges).toEqual([6, 5]);
    const u = new Triangulation([0, 0, 10, 10]);
    const [p, q, m, n] = [u.insert(0, 5), u.insert(10, 5), u.insert(5, 5), u.insert(5, 9)];
    u.keep(m, n, 3);
    expect(thrown(() => u.keep(p, q, 4)).edges).toEqual([4, 3]);
  });
  test('what lies outside and in holes is dropped: the area is that of the polygons (shoelace)', () => {
    const area = (n: number, r: number) => (n / 2) * r * r * Math.sin((2 * Math.PI) / n);
    const { t } = outlined([ring(40, 10), ring(17, 4).reverse()]);
    expect(areaOf(t)).toBeCloseTo(area(40, 10) - area(17, 4), 9);
    expect(t.triangles).toBe(40 + 17);
    expect(isWhole(t)).toBe(true);
  });
  test('any star-shaped outline with points within: whole, of the right area, its outline kept (property)', () => {
    fc.assert(
      fc.property(
        fc.array(fc.integer({ min: 10, max: 100 }), { minLength: 5, maxLength: 40 }),
        fc.array(fc.tuple(fc.nat(18), fc.nat(18)), { maxLength: 30 }),
        (radii, within) => {
          const loop = radii.map((r, i): [number, number] => [
            Math.round(1000 * r * Math.cos((2 * Math.PI * i) / radii.length)),
            Math.round(1000 * r * Math.sin((2 * Math.PI * i) / radii.length)),
          ]);
          const { t, numbers } = outlined([loop]);
          const area = loop.reduce((sum, [x, y], i) => sum + x * loop[(i + 1) % loop.length][1] - loop[(i + 1) % loop.length][0] * y, 0) / 2;
          for (const [x, y] of within) {
            const k = t.locate(100 * (x - 9), 100 * (y - 9));
            if (k >= 0) t.insert(100 * (x - 9), 100 * (y - 9), k);
          }
          const kept = numbers[0].every((p, i) => t.edge(p, numbers[0][(i + 1) % loop.length]) >= 0 || within.length > 0);
          return isWhole(t) && kept && Math.abs(areaOf(t) - area) < 1e-6 * area;
        },
      ),
    );
  });
});

describe('points taken out again', () => {
  test('all of them: the outline is left with as many triangles as it has corners less two', () => {
    const { t } = outlined([ring(24, 10)]);
    const next = wholes(5, 1000);
    const own: number[] = [];
    for (let i = 0; i < 200; i++) own.push(t.insert((next() - 500) / 80, (next() - 500) / 80));
    for (const p of own) {
      if (p >= 27) expect(t.remove(p)).toBe(true);
      expect(isWhole(t)).toBe(true);
    }
    expect(t.triangles).toBe(22);
  });
  test('a corner of the outline stays', () => {
    const { t, numbers } = outlined([ring(8, 10)]);
    expect(t.remove(numbers[0][3])).toBe(false);
    expect(t.triangles).toBe(6);
  });
  test('one put back is where it was, under its number', () => {
    const { t } = outlined([ring(8, 10)]);
    const p = t.insert(1, 2);
    expect(t.remove(p)).toBe(true);
    expect(t.restore(p, 1, 2, t.locate(1, 2))).toBe(true);
    expect([t.x[p], t.y[p], t.corner[t.leaving[p]]]).toEqual([1, 2, p]);
    expect(isWhole(t)).toBe(true);
  });
});

function thrown(work: () => void): Crossing {
  try {
    work();
  } catch (error) {
    return error as Crossing;
  }
  throw new Error('nothing was thrown');
}
