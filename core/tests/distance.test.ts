/**
 * How far two surfaces are apart, against formulas and against places all along both. What the search promises: within a tenth of the largest distance,
 * for certain about a limit, and honest where it had to stop.
 */
import { describe, expect, test } from 'vitest';
import { buildBvh } from '../src/geometry/bvh/build.ts';
import { nearestOnMesh, nowhere } from '../src/geometry/bvh/nearest.ts';
import type { Mesh } from '../src/geometry/mesh.ts';
import { distancesOf, distanceTo, twoSidedDistance } from '../src/mesh/lighter/distance.ts';
import { apart } from '../src/prove/evidence.ts';
import { ballMesh } from './data.more.ts';
import { boxMesh } from './data.ts';
import { random } from './tube.data.ts';

type P3 = [number, number, number];
const moved = (mesh: Mesh, by: P3): Mesh => ({ positions: mesh.positions.map((v, i) => v + by[i % 3]), triangles: mesh.triangles });
const square = (side: number): Mesh => ({
  positions: Float64Array.from([0, 0, 0, side, 0, 0, side, side, 0, 0, side, 0]),
  triangles: Uint32Array.from([0, 1, 2, 0, 2, 3]),
});
/** A sheet of n x n squares with heights, without the squares that are left out. */
function sheet(side: number, n: number, height: (x: number, y: number) => number, leftOut: (x: number, y: number) => boolean = () => false): Mesh {
  const positions: number[] = [];
  const triangles: number[] = [];
  const at = (i: number) => (side * i) / n;
  for (let j = 0; j <= n; j++) for (let i = 0; i <= n; i++) positions.push(at(i), at(j), height(at(i), at(j)));
  for (let j = 0; j < n; j++)
    for (let i = 0; i < n; i++) {
      if (leftOut(at(i + 0.5), at(j + 0.5))) continue;
      const a = j * (n + 1) + i;
      triangles.push(a, a + 1, a + n + 2, a, a + n + 2, a + n + 1);
    }
  return { positions: Float64Array.from(positions), triangles: Uint32Array.from(triangles) };
}
/** The largest distance of places all along a mesh, n + 1 on each side of a triangle. */
function sampled({ positions: p, triangles: t }: Mesh, to: Mesh, n: number): number {
  const tree = buildBvh(to);
  const out = nowhere();
  let most = 0;
  for (let i = 0; i < t.length; i += 3)
    for (let a = 0; a <= n; a++)
      for (let b = 0; a + b <= n; b++) {
        const [x, y, z] = [0, 1, 2].map((k) => (p[t[i] * 3 + k] * (n - a - b) + p[t[i + 1] * 3 + k] * a + p[t[i + 2] * 3 + k] * b) / n);
        most = Math.max(most, nearestOnMesh(tree, [x, y, z], out).squared);
      }
  return Math.sqrt(most);
}

describe('against formulas', () => {
  test('a box that was moved along an edge: by as much, both ways', () => {
    for (const by of [0.001, 0.3, 3, 40]) {
      const it = twoSidedDistance(boxMesh(1, 2, 3), moved(boxMesh(1, 2, 3), [0, 0, by]));
      expect([it.there.largest, it.back.largest].map((v) => v / by)).toEqual([expect.closeTo(1, 6), expect.closeTo(1, 6)]);
      expect(it.unsure).toBe(0);
    }
  });
  test('a square and its half: nothing one way, half its side the other', () => {
    const whole = square(10);
    const half: Mesh = { positions: whole.positions.map((v, i) => (i % 3 === 0 ? v / 2 : v)), triangles: whole.triangles };
    const it = twoSidedDistance(half, whole);
    expect(it.there.largest).toBeLessThan(1e-4);
    expect(it.back.largest).toBeCloseTo(5, 9);
  });
  test('a surface under a roof: a bump lies farthest off at its top, and is told with its place and its triangle', () => {
    const roof = square(10);
    const bumped = sheet(10, 10, (x, y) => (x === 4 && y === 7 ? 0.8 : 0));
    const one = distanceTo(bumped, buildBvh(roof));
    expect(one.largest).toBeCloseTo(0.8, 12);
    expect(one.at).toEqual([4, 7, 0.8]);
    expect([...bumped.triangles.subarray(one.triangle * 3, one.triangle * 3 + 3)]).toContain(7 * 11 + 4);
  });
  test('the same surface parted into other triangles: nothing to speak of, however large they are', () => {
    expect(
      twoSidedDistance(
        square(1000),
        sheet(1000, 90, () => 0),
      ).largest,
    ).toBeLessThan(1e-3);
  });
  test('every corner by itself', () => {
    const far = distancesOf(moved(boxMesh(1, 1, 1), [0, 0, 2]), buildBvh(boxMesh(1, 1, 1)));
    expect([...far].sort((a, b) => a - b).map((v) => Math.round(v * 1e9) / 1e9)).toEqual([1, 1, 1, 1, 2, 2, 2, 2]);
  });
  test('nothing against nothing is no distance, nothing against something is without end', () => {
    const nothing: Mesh = { positions: new Float64Array(0), triangles: new Uint32Array(0) };
    expect(twoSidedDistance(nothing, nothing).largest).toBe(0);
    expect(twoSidedDistance(nothing, square(1)).largest).toBe(Infinity);
  });
});

describe('against places all along', () => {
  test('soups of triangles: never above what is there, and within a tenth of what places all along find', () => {
    const next = random(5);
    const soup = (n: number): Mesh => ({
      positions: Float64Array.from({ length: n * 9 }, (_, i) => Math.floor(i / 9) * 0.4 + 3 * next()),
      triangles: Uint32Array.from({ length: n * 3 }, (_, i) => i),
    });
    for (let k = 0; k < 30; k++) {
      const [a, b] = [soup(1 + Math.floor(next() * 6)), soup(1 + Math.floor(next() * 6))];
      const { largest, at, unsure } = distanceTo(a, buildBvh(b));
      expect(unsure).toBe(0);
      const found = sampled(a, b, 40);
      expect(largest * 1.1 + 1e-4).toBeGreaterThanOrEqual(found);
      // The place that is told is as far off as is told, so what is told is there.
      const out = nowhere();
      expect(Math.sqrt(nearestOnMesh(buildBvh(b), at, out).squared)).toBeCloseTo(largest, 9);
    }
  });
  test('a hole in fine waves, looked for from two large triangles: found, though the waves are everywhere', () => {
    const waves = (x: number, y: number) => 0.01 * Math.sin(5 * x) * Math.cos(7 * y);
    const holed = sheet(100, 200, waves, (x, y) => Math.hypot(x - 60, y - 55) < 3);
    // The middle of the hole lies as far from its border as its corners leave it, a little under 3.
    const { largest } = distanceTo(square(100), buildBvh(holed));
    expect(largest).toBeGreaterThan(2.5);
    expect(largest).toBeLessThan(3.1);
  });
});

describe('a distance that is promised', () => {
  const ball = ballMesh(10, 60, 40);
  test.each([
    [0.99, true],
    [1.01, false],
  ])('a step of 1 against a limit of 1 / %f', (share, over) => {
    const steps = sheet(8, 8, (x) => (x === 4 ? 1 : 0));
    const { largest, unsure } = distanceTo(steps, buildBvh(square(8)), { limit: share });
    expect([largest > share, unsure]).toEqual([over, 0]);
  });
  test('what lies a hair over a limit is found, where a tenth would have hidden it', () => {
    // The farthest place is the middle of the one large triangle: its corners lie on the other surface.
    const dented = sheet(10, 2, (x, y) => (x === 5 && y === 5 ? 0.1 : 0));
    const flat = square(10);
    for (const limit of [0.0999, 0.1001]) {
      const { largest, unsure } = distanceTo(flat, buildBvh(dented), { limit });
      const truth = sampled(flat, dented, 200);
      expect([limit, largest > limit, unsure]).toEqual([limit, truth > limit, 0]);
    }
  });
  test('a limit changes nothing about what is found far beyond it', () => {
    const other = moved(ball, [0.5, 0, 0]);
    expect(distanceTo(ball, buildBvh(other), { limit: 0.001 }).largest).toBeCloseTo(distanceTo(ball, buildBvh(other)).largest, 1);
  });
  test('the claim: clear up to the limit, stop beyond, to be looked at where it was not compared to the end', () => {
    const verdict = (largest: number, unsure: number, besides = 0) => apart(1, { largest, unsure }, besides).verdict;
    expect([verdict(1, 0), verdict(1.0001, 0), verdict(0.5, 1), verdict(0.5, 1.0001), verdict(2, 3)]).toEqual(['clear', 'stop', 'clear', 'look', 'stop']);
    // What the facets lose themselves counts as well.
    expect([verdict(0.5, 0, 0.5), verdict(0.5, 0, 0.51), verdict(0.2, 0.6, 0.5)]).toEqual(['clear', 'stop', 'look']);
  });
});

describe('what goes with it', () => {
  const [a, b] = [boxMesh(10, 10, 10), moved(boxMesh(10, 10, 10), [0, 0, 4])];
  test('only points that count', () => {
    // The bottom lies 4 under the other box, the top 4 under its top; the sides are the same from 4 up, and at most 1 off from 3 up.
    expect(distanceTo(a, buildBvh(b)).largest).toBeCloseTo(4, 9);
    const between = distanceTo(a, buildBvh(b), { counts: ([, , z]) => z > 3 && z < 7 }).largest;
    expect(between).toBeLessThan(1);
    expect(between).toBeGreaterThan(0.8);
    expect(distanceTo(a, buildBvh(b), { counts: () => false }).largest).toBe(0);
  });
  test('what the other direction found already is not looked for again', () => {
    const { largest } = distanceTo(ballMesh(10, 20, 12), buildBvh(ballMesh(10, 60, 40)), { atLeast: 100 });
    // Corners are looked at in any case; they lie on the finer ball's facets or a little outside.
    expect(largest).toBeLessThan(0.1);
  });
  test('given up: what was found so far, and no error', () => {
    let asked = 0;
    const it = distanceTo(a, buildBvh(b), { progress: () => ++asked >= 1 });
    expect([it.largest, asked]).toEqual([0, 1]);
    const shares: number[] = [];
    distanceTo(a, buildBvh(b), { progress: (s) => void shares.push(s) });
    expect(shares).toEqual([0, 0.5]);
    const both: number[] = [];
    twoSidedDistance(a, b, { progress: (s) => void both.push(s) });
    expect(both).toEqual([0, 0.25, 0.5, 0.75]);
  });
  test('where a triangle would have to be parted without end, how far it may still be off is told, and a claim on it is no clear one', () => {
    // Fine waves everywhere, with no hole: what two large triangles hide can't be looked into to the end.
    const waves = sheet(100, 120, (x, y) => 0.002 * Math.sin(5 * x) * Math.cos(7 * y));
    const flat = square(100);
    const it = distanceTo(flat, buildBvh(waves));
    expect(it.largest).toBeCloseTo(0.002, 4);
    expect(it.unsure).toBeGreaterThan(0.1);
    expect(it.unsure).toBeGreaterThanOrEqual(sampled(flat, waves, 200));
    expect(apart(0.05, it).verdict).toBe('look');
  });
});
