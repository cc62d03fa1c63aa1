/**
 * The tree of boxes against plain sums over every triangle: nearest places by planes and sides, hits of rays by volumes of tetrahedra, pairs of boxes by
 * all against all. Nothing here asks the tree's own arithmetic.
 */
import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { buildBvh, childrenEnd, width, type Bvh } from '../src/geometry/bvh/build.ts';
import { nearestByAsking, nearestOnMesh, nowhere, squaredFromTriangle } from '../src/geometry/bvh/nearest.ts';
import { overlappingPairs, trianglesInBox } from '../src/geometry/bvh/overlap.ts';
import { alongRay, windingAt } from '../src/geometry/bvh/ray.ts';
import type { Mesh } from '../src/geometry/mesh.ts';
import { cross, distance, dot, scaled, sub, unit, vecAt, type Vec3 } from '../src/geometry/vector.ts';
import { ballMesh } from './data.more.ts';
import { boxMesh } from './data.ts';
import { some } from './some.ts';
import { random } from './tube.data.ts';

const cornersOf = ({ positions, triangles }: Mesh, t: number): [Vec3, Vec3, Vec3] =>
  [0, 1, 2].map((k) => vecAt(positions, 3 * triangles[3 * t + k])) as [Vec3, Vec3, Vec3];

const fromSide = (p: Vec3, a: Vec3, b: Vec3): number => {
  const d = sub(b, a);
  const t = Math.max(0, Math.min(1, dot(sub(p, a), d) / (dot(d, d) || 1)));
  return distance(p, [a[0] + t * d[0], a[1] + t * d[1], a[2] + t * d[2]]);
};

/** Distance of a place from a triangle: over it from its plane, else from the nearest of its sides. */
function fromTriangle(p: Vec3, [a, b, c]: [Vec3, Vec3, Vec3]): number {
  const n = cross(sub(b, a), sub(c, a));
  const over = [
    [a, b],
    [b, c],
    [c, a],
  ].every(([s, e]) => dot(cross(n, sub(e, s)), sub(p, s)) >= 0);
  if (over && dot(n, n) > 0) return Math.abs(dot(unit(n), sub(p, a)));
  return Math.min(fromSide(p, a, b), fromSide(p, b, c), fromSide(p, c, a));
}

/** A heap of triangles that have nothing to do with each other, some without area, some far off. */
function heap(seed: number, count: number): Mesh {
  const die = random(seed);
  const positions: number[] = [];
  for (let t = 0; t < count; t++) {
    const at: Vec3 = [die() * 20, die() * 20, die() * 20];
    const flat = die() < 0.1;
    for (let k = 0; k < 3; k++) positions.push(...(flat && k === 2 ? positions.slice(-3) : at.map((x) => x + die() * (die() < 0.05 ? 30 : 3))));
  }
  return { positions: Float64Array.from(positions), triangles: Uint32Array.from({ length: 3 * count }, (_, i) => i) };
}

const counts = fc.oneof(fc.integer({ min: 1, max: 20 }), fc.integer({ min: 60, max: 70 }), fc.integer({ min: 700, max: 1300 }));
const runs = some(200, 25);

describe('the tree itself', () => {
  test('holds every triangle once, and every node holds what is below it', () => {
    fc.assert(
      fc.property(fc.integer(), counts, (seed, count) => {
        const { index, ends, boxes } = buildBvh(heap(seed, count));
        expect([...index.subarray(0, count)].sort((a, b) => a - b)).toEqual(Array.from({ length: count }, (_, i) => i));
        const bvh = { index, ends, boxes } as Bvh;
        const children = new Uint8Array(ends[ends.length - 1]);
        for (let node = count; node < ends[ends.length - 1]; node++) {
          const last = childrenEnd(bvh, node);
          expect(last - index[node]).toBeLessThanOrEqual(width);
          for (let child = index[node]; child < last; child++) {
            children[child]++;
            for (let k = 0; k < 3; k++) {
              expect(boxes[node * 6 + k]).toBeLessThanOrEqual(boxes[child * 6 + k]);
              expect(boxes[node * 6 + 3 + k]).toBeGreaterThanOrEqual(boxes[child * 6 + 3 + k]);
            }
          }
        }
        // All but the root are the child of one node.
        expect(children.subarray(0, -1).every((n) => n === 1)).toBe(true);
      }),
      { numRuns: runs },
    );
  });

  test('of no triangle answers nothing', () => {
    const none = buildBvh({ positions: new Float64Array(0), triangles: new Uint32Array(0) });
    expect(nearestOnMesh(none, [0, 0, 0], nowhere()).triangle).toBe(-1);
    expect(windingAt(none, [0, 0, 0])).toBe(0);
    overlappingPairs(none, () => expect.unreachable());
    trianglesInBox(none, [0, 0, 0, 1, 1, 1], () => expect.unreachable());
  });
});

describe('nearest places', () => {
  test('are as far as planes and sides say, also by asking and of one triangle', () => {
    fc.assert(
      fc.property(fc.integer(), counts, (seed, count) => {
        const mesh = heap(seed, count);
        const tree = buildBvh(mesh);
        const die = random(seed + 1);
        const out = nowhere();
        for (let k = 0; k < 10; k++) {
          const at: Vec3 = [die() * 40 - 10, die() * 40 - 10, die() * 40 - 10];
          const away = Array.from({ length: count }, (_, t) => fromTriangle(at, cornersOf(mesh, t)));
          const least = Math.min(...away);
          const found = nearestOnMesh(tree, at, out);
          expect(Math.sqrt(found.squared)).toBeCloseTo(least, 9);
          expect(away[found.triangle]).toBeCloseTo(least, 9);
          expect(distance(at, [found.x, found.y, found.z])).toBeCloseTo(least, 9);
          expect(Math.sqrt(nearestByAsking(mesh, at).squared)).toBeCloseTo(least, 9);
          expect(Math.sqrt(squaredFromTriangle(mesh, found.triangle, at))).toBeCloseTo(least, 9);
        }
      }),
      { numRuns: runs },
    );
  });

  test('farther than what is asked for are not looked for: just inside, just outside', () => {
    const tree = buildBvh(boxMesh(10, 10, 10));
    const at: Vec3 = [5, 5, 13];
    expect(nearestOnMesh(tree, at, nowhere(), 9 * (1 + 1e-12)).triangle).toBeGreaterThanOrEqual(0);
    expect(nearestOnMesh(tree, at, nowhere(), 9).triangle).toBe(-1);
  });
});

/** Where a line meets a triangle, by signed volumes: null beside it, and where it is too near a side to say. */
function meeting(from: Vec3, along: Vec3, [a, b, c]: [Vec3, Vec3, Vec3]): { at: number; facing: number } | 'near' | null {
  const side = (s: Vec3, e: Vec3) => dot(along, cross(sub(s, from), sub(e, from)));
  const [u, v, w] = [side(b, c), side(c, a), side(a, b)];
  const sum = u + v + w;
  const size = Math.abs(u) + Math.abs(v) + Math.abs(w);
  if ([u, v, w].some((x) => Math.abs(x) < 1e-9 * (1 + size))) return 'near';
  if (!(u > 0 && v > 0 && w > 0) && !(u < 0 && v < 0 && w < 0)) return null;
  const hit = [0, 1, 2].map((k) => (u * a[k] + v * b[k] + w * c[k]) / sum) as Vec3;
  const n = cross(sub(b, a), sub(c, a));
  return { at: dot(sub(hit, from), along) / dot(along, along), facing: Math.sign(dot(n, along)) };
}

describe('rays', () => {
  const ways = fc.constantFrom<Vec3>([0, 0, 1], [0, -2, 0], [1, 0, 0], [0.3, 0.5, -0.8], [-7, 1e-9, 3], [1e-7, 2e-7, -1e-7]);

  test('meet the triangles that volumes say, from the side that they say, along axes too', () => {
    fc.assert(
      fc.property(fc.integer(), counts, ways, (seed, count, along) => {
        const mesh = heap(seed, count);
        const die = random(seed + 2);
        const from: Vec3 = [die() * 24, die() * 24, die() * 24];
        const met = new Map<number, { at: number; facing: number }>();
        alongRay(buildBvh(mesh), { from, along }, (at, triangle, facing) => {
          expect(met.has(triangle)).toBe(false);
          met.set(triangle, { at, facing });
          return Infinity;
        });
        for (let t = 0; t < count; t++) {
          const wanted = meeting(from, along, cornersOf(mesh, t));
          if (wanted === 'near' || (wanted && Math.abs(wanted.at) < 1e-9)) continue;
          const got = met.get(t);
          if (!wanted || wanted.at < 0) expect(got).toBeUndefined();
          else {
            expect(got!.at / wanted.at).toBeCloseTo(1, 6);
            expect(got!.facing).toBe(wanted.facing);
          }
        }
      }),
      { numRuns: runs * 2 },
    );
  });

  test('count between start and end only, and no farther than what was told last', () => {
    const tree = buildBvh(boxMesh(10, 10, 10));
    const hits = (ray: { start?: number; end?: number }, told = (_at: number) => ray.end ?? Infinity) => {
      const found: number[] = [];
      alongRay(tree, { from: [4, 3, 20], along: [0, 0, -1], ...ray }, (at) => {
        found.push(at);
        return told(at);
      });
      return found.sort((a, b) => a - b);
    };
    expect(hits({})).toEqual([10, 20]);
    expect(hits({ start: 10 })).toEqual([20]);
    expect(hits({ start: 10 - 1e-9 })).toEqual([10, 20]);
    expect(hits({ end: 20 })).toEqual([10]);
    expect(hits({ end: 20 + 1e-9 })).toEqual([10, 20]);
    expect(hits({ end: 10 })).toEqual([]);
    // Nothing more is wanted after the first.
    expect(hits({}, () => -1)).toHaveLength(1);
  });

  test('may be asked while another is under way, and after one that failed', () => {
    const ball = ballMesh(10, 24, 12);
    const tree = buildBvh(ball);
    const outer: number[] = [];
    const inner = new Set<number>();
    const ray = { from: [-20, 0.3, 0.2] as Vec3, along: [1, 0, 0] as Vec3 };
    alongRay(tree, ray, (at, triangle) => {
      outer.push(triangle);
      inner.add(windingAt(tree, [0, 0, 0]) * 10 + windingAt(tree, [at, 40, 0]));
      expect(nearestOnMesh(tree, [0, 0, 30], nowhere()).squared).toBeCloseTo(400, 9);
      return Infinity;
    });
    const plain: number[] = [];
    alongRay(tree, ray, (_at, triangle) => {
      plain.push(triangle);
      return Infinity;
    });
    expect(outer).toEqual(plain);
    expect(outer).toHaveLength(2);
    expect([...inner]).toEqual([10]);
    const broken = () =>
      alongRay(tree, ray, () => {
        throw new Error('enough');
      });
    expect(broken).toThrow('enough');
    expect(windingAt(tree, [0, 0, 0])).toBe(1);
  });

  test('within rays within rays, deeper than the first stack holds', () => {
    const tree = buildBvh(ballMesh(10, 60, 40));
    const nested = (deep: number): number => {
      let count = 0;
      alongRay(tree, { from: [0.1, 0.2, 0.3], along: [0.4, 0.5, 0.6] }, () => {
        count += 1 + (deep > 0 ? nested(deep - 1) : 0);
        return Infinity;
      });
      return count;
    };
    expect(nested(60)).toBe(61);
  });

  test('wrap places as the formula of a ball says, and what is left out does not count', () => {
    const ball = ballMesh(10, 48, 24);
    const tree = buildBvh(ball);
    fc.assert(
      fc.property(fc.tuple(...([0, 1, 2] as const).map(() => fc.double({ min: -12, max: 12, noNaN: true }))), (p) => {
        const at = p as Vec3;
        const r = Math.hypot(...at);
        // Facets lie within r (1 - cos 3.75 degrees)(two ways) of the ball.
        if (r < 9.9) expect(windingAt(tree, at)).toBe(1);
        if (r > 10) expect(windingAt(tree, at)).toBe(0);
        if (r < 9.9) expect(windingAt(tree, at, () => true)).toBe(0);
      }),
      { numRuns: some(2000, 200) },
    );
    const inverted = { positions: ball.positions, triangles: ball.triangles.slice().reverse() };
    expect(windingAt(buildBvh(inverted), [1, 2, 3])).toBe(-1);
  });
});

describe('overlaps', () => {
  const boxOfTriangle = (mesh: Mesh, t: number) => {
    const c = cornersOf(mesh, t);
    return [0, 1, 2].map((k) => [Math.min(...c.map((p) => p[k])), Math.max(...c.map((p) => p[k]))]);
  };
  const meet = (a: number[][], b: number[][], spare: number) => [0, 1, 2].every((k) => a[k][0] <= b[k][1] + spare && b[k][0] <= a[k][1] + spare);
  /** Boxes are kept as 32-bit numbers, rounded outwards. */
  const spare = 1e-4;

  test('every pair of boxes that overlap comes once, none that lie apart', () => {
    fc.assert(
      fc.property(fc.integer(), counts, (seed, count) => {
        const mesh = heap(seed, Math.min(count, 400));
        const n = mesh.triangles.length / 3;
        const boxes = Array.from({ length: n }, (_, t) => boxOfTriangle(mesh, t));
        const found = new Set<number>();
        overlappingPairs(buildBvh(mesh), (a, b) => {
          const key = Math.min(a, b) * n + Math.max(a, b);
          if (a === b || found.has(key)) expect.unreachable(`${a} ${b} again`);
          found.add(key);
        });
        const wrong: string[] = [];
        for (let a = 0; a < n; a++)
          for (let b = a + 1; b < n; b++) {
            if (found.has(a * n + b) ? !meet(boxes[a], boxes[b], spare) : meet(boxes[a], boxes[b], 0)) wrong.push(`${a} ${b}`);
          }
        expect(wrong).toEqual([]);
      }),
      { numRuns: runs },
    );
  });

  test('stop when they are told to', () => {
    let asked = 0;
    overlappingPairs(buildBvh(boxMesh(1, 1, 1)), () => ++asked === 3);
    expect(asked).toBe(3);
  });

  test('a box finds the triangles that it meets', () => {
    fc.assert(
      fc.property(fc.integer(), counts, (seed, count) => {
        const mesh = heap(seed, count);
        const die = random(seed + 3);
        const low: Vec3 = [die() * 20, die() * 20, die() * 20];
        const box = [...low, ...low.map((x) => x + die() * 8)];
        const wanted = [0, 1, 2].map((k) => [box[k], box[k + 3]]);
        const found: number[] = [];
        trianglesInBox(buildBvh(mesh), box, (t) => found.push(t));
        expect(new Set(found).size).toBe(found.length);
        for (let t = 0; t < count; t++) {
          const own = boxOfTriangle(mesh, t);
          if (meet(own, wanted, 0)) expect(found).toContain(t);
          else if (!meet(own, wanted, spare)) expect(found).not.toContain(t);
        }
      }),
      { numRuns: runs },
    );
  });

  test('a hair inside and outside of a face', () => {
    const tree = buildBvh(boxMesh(10, 10, 10));
    const found = (z: number) => {
      let n = 0;
      trianglesInBox(tree, scaled([1, 1, z], 1).concat([2, 2, 30]), () => n++);
      return n;
    };
    expect(found(10)).toBeGreaterThan(0);
    expect(found(10.001)).toBe(0);
  });
});
