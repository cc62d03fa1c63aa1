import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import type { Vec3 } from '../src/geometry/vector.ts';
import { boxMesh } from './data.ts';
import { sectionOf } from '../src/view/section.ts';

/** A sphere of latitude and longitude facets. */
function sphere(r: number, n: number): { positions: Float64Array; triangles: Uint32Array } {
  const at: number[] = [];
  const t: number[] = [];
  for (let i = 0; i <= n; i++)
    for (let k = 0; k < 2 * n; k++) {
      const [a, b] = [(Math.PI * i) / n, (Math.PI * k) / n];
      at.push(r * Math.sin(a) * Math.cos(b), r * Math.sin(a) * Math.sin(b), r * Math.cos(a));
    }
  const id = (i: number, k: number) => i * 2 * n + (k % (2 * n));
  for (let i = 0; i < n; i++) for (let k = 0; k < 2 * n; k++) t.push(id(i, k), id(i + 1, k), id(i + 1, k + 1), id(i, k), id(i + 1, k + 1), id(i, k + 1));
  return { positions: Float64Array.from(at), triangles: Uint32Array.from(t) };
}

describe('a section through a mesh', () => {
  const box = boxMesh(30, 20, 10);
  test('of a box along each axis: area and length of the rectangle', () => {
    const cut = (normal: Vec3, offset: number) => sectionOf(box, { normal, offset }, 1);
    expect(cut([0, 0, 1], 4)).toMatchObject({ area: 600, length: 100 });
    expect(cut([1, 0, 0], 4).area).toBeCloseTo(200, 9);
    expect(cut([0, -1, 0], -4).area).toBeCloseTo(300, 9);
    // Beside it nothing; in its lower face that face, in its upper one nothing: a corner in the plane counts as above.
    expect(cut([0, 0, 1], -0.001).outline).toHaveLength(0);
    expect(cut([0, 0, 1], 10.001).outline).toHaveLength(0);
    expect([cut([0, 0, 1], 10).area, cut([0, 0, 1], 0).area].sort()).toEqual([0, 600]);
  });
  test('of a slanted plane: the area over the cosine (a prism cut across)', () => {
    const n: Vec3 = [Math.SQRT1_2, 0, Math.SQRT1_2];
    const { area } = sectionOf(box, { normal: n, offset: 14 * Math.SQRT1_2 + 5 * Math.SQRT1_2 - 1e-9 }, 1);
    expect(area).toBeCloseTo(10 * Math.SQRT2 * 20, 5);
  });
  test('of a sphere at any height: pi (r2 - h2), within its facets', () => {
    const ball = sphere(10, 96);
    fc.assert(
      fc.property(
        fc.double({ min: -9, max: 9, noNaN: true }),
        fc.double({ min: -1, max: 1, noNaN: true }),
        fc.double({ min: 0, max: 6.28, noNaN: true }),
        (h, z, a) => {
          const s = Math.sqrt(1 - z * z);
          const { area, length } = sectionOf(ball, { normal: [s * Math.cos(a), s * Math.sin(a), z], offset: h }, 1);
          expect(Math.abs(area - Math.PI * (100 - h * h))).toBeLessThan(0.6);
          expect(Math.abs(length - 2 * Math.PI * Math.sqrt(100 - h * h))).toBeLessThan(0.1);
        },
      ),
      { numRuns: 60 },
    );
  });
  test('a hollow: its hole is no area and has no hatching', () => {
    const inner = boxMesh(10, 10, 10);
    const both = {
      positions: [...box.positions, ...Array.from(inner.positions, (v, i) => v + [10, 5, 0][i % 3])],
      triangles: [
        ...box.triangles,
        ...Array.from({ length: inner.triangles.length }, (_, i) => inner.triangles[i - (i % 3) + [0, 2, 1][i % 3]] + box.positions.length / 3),
      ],
    };
    const { area, hatch } = sectionOf(both, { normal: [0, 0, 1], offset: 5 }, 0.5);
    expect(area).toBeCloseTo(500, 9);
    // No hatch line has its middle inside of the hollow, and together they fill the area: length times pitch.
    let filled = 0;
    for (let i = 0; i < hatch.length; i += 6) {
      const [x, y] = [(hatch[i] + hatch[i + 3]) / 2, (hatch[i + 1] + hatch[i + 4]) / 2];
      expect(x > 10.01 && x < 19.99 && y > 5.01 && y < 14.99).toBe(false);
      expect(Math.abs(Math.abs(hatch[i + 3] - hatch[i]) - Math.abs(hatch[i + 4] - hatch[i + 1]))).toBeLessThan(1e-4);
      filled += Math.hypot(hatch[i + 3] - hatch[i], hatch[i + 4] - hatch[i + 1]) * 0.5;
    }
    expect(Math.abs(filled - 500)).toBeLessThan(12);
  });
  test('hatching is never finer than 400 lines, however fine it is asked for', () => {
    const { hatch } = sectionOf(box, { normal: [0, 0, 1], offset: 5 }, 1e-6);
    expect(hatch.length / 6).toBeGreaterThan(390);
    expect(hatch.length / 6).toBeLessThanOrEqual(401);
  });
  test('what is no plane or no pitch is refused', () => {
    expect(() => sectionOf(box, { normal: [0, 0, 2], offset: 5 }, 1)).toThrow('unit vector');
    expect(() => sectionOf(box, { normal: [0, 0, 1], offset: 5 }, 0)).toThrow('above 0');
  });
});
