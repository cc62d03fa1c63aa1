import { describe, expect, test } from 'vitest';
import { nearestOnSegments } from 'tall-kite/geometry/segments';
import { describeMeasure } from '../light-table/measure.ts';
import type { Pick } from '../light-table/picking.ts';

type P3 = [number, number, number];
const point = (x: number, y: number, z: number): Pick => ({ point: [x, y, z], triangle: 0, vertex: false, edge: null });
const corner = (x: number, y: number, z: number): Pick => ({ ...point(x, y, z), vertex: true, edge: [[x, y, z], [x + 1, y, z]] }); // prettier-ignore
const edge = (a: P3, b: P3): Pick => ({ point: a, triangle: 0, vertex: false, edge: [a, b] });
const between = (a: P3, b: P3) => Math.hypot(a[0] - b[0], a[1] - b[1], a[2] - b[2]);

describe('nearest points of two segments, against a dense search', () => {
  test('crossing, parallel, skew, end to end, and points', () => {
    const cases: [P3, P3, P3, P3][] = [
      [[0, 0, 0], [10, 0, 0], [5, -5, 3], [5, 5, 3]],
      [[0, 0, 0], [10, 0, 0], [0, 4, 0], [10, 4, 0]],
      [[0, 0, 0], [10, 0, 0], [12, 1, 0], [20, 9, 5]],
      [[1, 2, 3], [4, 8, 1], [-3, 5, 9], [2, -4, 4]],
      [[1, 1, 1], [1, 1, 1], [0, 0, 0], [0, 0, 9]],
      [[1, 1, 1], [1, 1, 1], [4, 5, 1], [4, 5, 1]],
      [[0, 0, 0], [10, 0, 0], [20, 0, 0], [15, 0, 0]],
    ]; // prettier-ignore
    for (const [p1, q1, p2, q2] of cases) {
      const found = between(...nearestOnSegments(p1, q1, p2, q2));
      let least = Infinity;
      const at = (a: P3, b: P3, t: number): P3 => [0, 1, 2].map((k) => a[k] + (b[k] - a[k]) * t) as P3;
      for (let i = 0; i <= 200; i++) for (let j = 0; j <= 200; j++) least = Math.min(least, between(at(p1, q1, i / 200), at(p2, q2, j / 200)));
      expect(found).toBeLessThanOrEqual(least + 1e-9);
      expect(found).toBeGreaterThan(least - 0.05);
    }
  });
});

describe('what a measure says', () => {
  test('two points: the distance and its parts along the axes, with their unit and after the scale', () => {
    const said = describeMeasure([point(0, 0, 0), corner(3, 4, 12)], 1)!;
    expect(said.text).toBe('point to corner: 13.000 mm   (X 3.000 mm, Y 4.000 mm, Z 12.000 mm)');
    expect(describeMeasure([point(0, 0, 0), point(1, 0, 0)], 25.4)!.text).toContain('25.400 mm');
  });
  test('two parallel edges: their distance, not that of the places clicked', () => {
    const said = describeMeasure([edge([0, 0, 0], [30, 0, 0]), edge([0, 22, 0], [30, 22, 0])], 1)!;
    expect(said.text).toMatch(/^edge to edge: 22\.000 mm/);
    expect(said.segments).toHaveLength(2);
  });
  test('one edge: its own length, and what comes next', () => {
    expect(describeMeasure([edge([0, 0, 0], [0, 0, 30])], 1)!.text).toBe('Edge piece 30.000 mm long. Now the second point or edge.');
    expect(describeMeasure([point(1, 2, 3)], 1)).toBeNull();
    expect(describeMeasure([], 1)).toBeNull();
  });
});
