/**
 * The single steps of mending: held against counting by hand, against every way there is, and against closed forms. `closedByMap` and `eulerOf` count with maps,
 * apart from the code under test.
 */
import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { measureMesh, type Mesh } from '../src/geometry/mesh.ts';
import { edgesOf } from '../src/geometry/edges.ts';
import { shellsOf, together } from '../src/geometry/shells.ts';
import { bodiesOf } from '../src/mesh/join/bodies.ts';
import { holesClosed } from '../src/mesh/repair/close.ts';
import { leastArea, leastTurn, mostExact } from '../src/mesh/repair/holes.ts';
import { seamsOf } from '../src/mesh/repair/seams.ts';
import { agreeing, parted, stitched, withoutDoubles } from '../src/mesh/repair/steps.ts';
import { wrapped } from '../src/mesh/repair/wrap.ts';
import { doubledTriangles } from '../src/mesh/soundness/doubles.ts';
import { droopingRounds } from '../src/stance/overhang.ts';
import { boxMesh } from './data.ts';
import { ballMesh, closedByMap, dice, movedMesh } from './data.more.ts';
import { some } from './some.ts';

const volume = (mesh: Mesh) => measureMesh(mesh).volume;
const meshOf = (positions: number[], triangles: number[]): Mesh => ({ positions: Float64Array.from(positions), triangles: Uint32Array.from(triangles) });
/** Axes exchanged in turn, so that it stands along another one; right-handed still. */
const rolled = (mesh: Mesh, by: number): Mesh => ({ ...mesh, positions: mesh.positions.map((_, i) => mesh.positions[i - (i % 3) + (((i % 3) + by) % 3)]) });
/** Triangles of a mesh whose corners a rule lets be. */
const keep = (mesh: Mesh, rule: (x: number, y: number, z: number) => boolean): Mesh => {
  const { positions: p, triangles: t } = mesh;
  const lets = (v: number) => rule(p[v * 3], p[v * 3 + 1], p[v * 3 + 2]);
  return { positions: p, triangles: t.filter((_, c) => [0, 1, 2].every((k) => lets(t[c - (c % 3) + k]))) };
};

describe('doubles', () => {
  // Corners of a triangle that start at the same one run the same way exactly when its turns have the same next corner.
  const sense = (three: readonly number[]) => {
    const at = three.indexOf(Math.min(...three));
    return three[(at + 1) % 3] < three[(at + 2) % 3] ? 1 : -1;
  };
  const triple = fc.tuple(fc.nat(5), fc.nat(5), fc.nat(5)).filter(([a, b, c]) => a !== b && b !== c && c !== a);

  test('the earliest over the same corners, and the sense, as a map tells: few about a corner and many', () => {
    fc.assert(
      fc.property(fc.array(triple, { minLength: 1, maxLength: 160 }), (list) => {
        const found = doubledTriangles(Uint32Array.from(list.flat()), 6);
        const seen = new Map<string, number>();
        let [same, opposite] = [0, 0];
        list.forEach((three, i) => {
          const key = three.toSorted((a, b) => a - b).join();
          const j = seen.get(key);
          expect(found.first[i]).toBe(j ?? -1);
          if (j === undefined) seen.set(key, i);
          else if (sense(three) === sense(list[j])) same++;
          else opposite++;
        });
        expect([found.same, found.opposite]).toEqual([same, opposite]);
      }),
      { numRuns: some(400, 60) },
    );
  });
  test.each([40, 41])('%i triangles at their lowest corner: the last is the double of the first', (count) => {
    const list = Array.from({ length: count - 1 }, (_, i) => [0, i + 1, i + 2]);
    const found = doubledTriangles(Uint32Array.from([...list, [2, 0, 1]].flat()), count + 2);
    expect([found.same, found.opposite, found.first[count - 1]]).toEqual([1, 0, 0]);
  });
  test('what is left of walls one over another is what their senses sum up to, in whatever order they stand', () => {
    fc.assert(
      fc.property(fc.array(fc.boolean(), { minLength: 1, maxLength: 9 }), (forward) => {
        const t = forward.flatMap((f, i) => (f ? [i % 3, (i + 1) % 3, (i + 2) % 3] : [(i + 2) % 3, (i + 1) % 3, i % 3]));
        const { mesh, dropped } = withoutDoubles(meshOf([0, 0, 0, 1, 0, 0, 0, 1, 0], t));
        const net = forward.reduce((sum, f) => sum + (f ? 1 : -1), 0);
        expect(mesh.triangles.length / 3).toBe(Math.abs(Math.sign(net)));
        expect(dropped).toBe(forward.length - Math.abs(Math.sign(net)));
        if (net !== 0) expect(sense([...mesh.triangles])).toBe(sense(net > 0 ? [0, 1, 2] : [2, 1, 0]));
      }),
      { numRuns: some(300, 60) },
    );
  });
  test('a face that stands there three times, one of them the other way round: the box is closed again', () => {
    const box = boxMesh(10, 20, 30);
    const [a, b, c] = box.triangles;
    for (const more of [
      [a, b, c, a, c, b],
      [a, c, b, a, b, c],
    ]) {
      // prettier-ignore
      const { mesh } = withoutDoubles({ ...box, triangles: Uint32Array.from([...box.triangles, ...more]) });
      expect(closedByMap(mesh)).toBe(true);
      expect(volume(mesh)).toBeCloseTo(6000, 9);
    }
  });
});

describe('places of a T', () => {
  /** A box of 10 by 20 by 30 whose first triangle is parted at a point off the middle of one of its edges, by so much into the box; its neighbour is not. */
  const withT = (off: number): Mesh => {
    const box = boxMesh(10, 20, 30);
    const [a, b, c] = box.triangles;
    const p = [...box.positions];
    const m = p.length / 3;
    const middle = [0, 1, 2].map((k) => 5 * [1, 2, 3][k]);
    const along = [0, 1, 2].map((k) => p[b * 3 + k] - p[a * 3 + k]);
    const inward = [0, 1, 2].map((k) => (Math.abs(along[k]) > 1e-9 ? 0 : Math.sign(middle[k] - (p[a * 3 + k] + p[b * 3 + k]) / 2)));
    const l = Math.hypot(...inward);
    p.push(...[0, 1, 2].map((k) => (p[a * 3 + k] + p[b * 3 + k]) / 2 + (off * inward[k]) / l));
    return meshOf(p, [a, m, c, m, b, c, ...box.triangles.slice(3)]);
  };
  test.each([0, 1, 2])('closed without a gap, whichever way the part lies (%i)', (by) => {
    const open = rolled(withT(0), by);
    expect(closedByMap(open)).toBe(false);
    const { mesh, split } = stitched(open, 0.01);
    expect(split).toBe(1);
    expect(closedByMap(mesh)).toBe(true);
    expect(Math.abs(volume(mesh))).toBeCloseTo(6000, 9);
  });
  test('a point is on an edge within the tolerance, and not beyond it', () => {
    expect(stitched(withT(0.0099), 0.01).split).toBe(1);
    expect(stitched(withT(0.0101), 0.01).split).toBe(0);
  });
  test('tens of thousands of open edges in one plane across the first axis are gone through in a moment', () => {
    // Squares that touch nowhere: each with each would be a billion pairs.
    const side = 90;
    const [p, t]: [number[], number[]] = [[], []];
    for (let i = 0; i < side; i++)
      for (let j = 0; j < side; j++) {
        const o = p.length / 3;
        p.push(...[[0, 0], [1, 0], [1, 1], [0, 1]].flatMap(([y, z]) => [0, i * 1.1 + y, j * 1.1 + z])); // prettier-ignore
        t.push(o, o + 1, o + 2, o, o + 2, o + 3);
      }
    expect(stitched(meshOf(p, t), 0.01).split).toBe(0);
    expect(edgesOf(Uint32Array.from(t), p.length / 3).open).toBe(4 * side * side);
  }, 20_000);
});

describe('parts that meet in an edge or a corner', () => {
  test.each([
    ['an edge', [10, 10, 0], 2],
    ['a corner', [10, 10, 10], 1],
  ] as const)('two boxes that share %s become two shells of their own, hardly moved', (_, at, vertices) => {
    const two = together([boxMesh(10, 10, 10), movedMesh(boxMesh(10, 10, 10), at)]);
    // Welded by places, by hand.
    const first = new Map<string, number>();
    const { positions: p, triangles } = two;
    const root = Array.from({ length: p.length / 3 }, (__, v) => {
      const key = [...p.subarray(v * 3, v * 3 + 3)].map((x) => x.toFixed(9)).join();
      if (!first.has(key)) first.set(key, v);
      return first.get(key)!;
    });
    const welded = { positions: p, triangles: triangles.map((v) => root[v]) };
    expect(closedByMap(welded)).toBe(vertices === 1);
    const made = parted(welded, 1e-3);
    expect(made.vertices).toBe(vertices);
    expect(closedByMap(made.mesh)).toBe(true);
    expect(shellsOf(made.mesh.triangles, made.mesh.positions.length / 3).count).toBe(2);
    // What moved is at most so far off: no more than the faces' area times that.
    expect(Math.abs(volume(made.mesh) - 2000)).toBeLessThan(1200 * 1e-3);
    expect(new Set([...made.mesh.triangles]).size).toBe(16);
  });
  test('a sound part stays the very same', () => {
    const box = boxMesh(1, 2, 3);
    expect(parted(box, 1e-3)).toEqual({ mesh: box, edges: 0, vertices: 0 });
  });
});

describe('neighbours that run the same way round', () => {
  test('whatever few of its triangles are turned, they are turned back and no others', () => {
    const ball = ballMesh(10, 12, 8);
    const throwOf = dice(7);
    for (let round = 0; round < 20; round++) {
      const t = ball.triangles.slice();
      const turned = new Set(Array.from({ length: 1 + throwOf(30) }, () => throwOf(t.length / 3)));
      for (const f of turned) [t[f * 3 + 1], t[f * 3 + 2]] = [t[f * 3 + 2], t[f * 3 + 1]];
      const made = agreeing({ positions: ball.positions, triangles: t });
      expect(made.flipped).toBe(turned.size);
      expect([...made.mesh.triangles]).toEqual([...ball.triangles]);
    }
  });
});

describe('a hole with the least area', () => {
  /** All ways to part a loop from i to k into triangles. */
  const ways = (i: number, k: number): number[][][] => {
    if (k - i < 2) return [[]];
    const out: number[][][] = [];
    for (let j = i + 1; j < k; j++) for (const a of ways(i, j)) for (const b of ways(j, k)) out.push([[i, j, k], ...a, ...b]);
    return out;
  };
  const areaOf = (p: readonly number[][], [i, j, k]: readonly number[]) => {
    const [u, v] = [j, k].map((o) => p[o].map((x, c) => x - p[i][c]));
    return Math.hypot(u[1] * v[2] - u[2] * v[1], u[2] * v[0] - u[0] * v[2], u[0] * v[1] - u[1] * v[0]) / 2;
  };
  const total = (p: readonly number[][], list: readonly number[][]) => list.reduce((sum, t) => sum + areaOf(p, t), 0);
  const inThrees = (t: readonly number[]) => Array.from({ length: t.length / 3 }, (_, f) => t.slice(f * 3, f * 3 + 3));
  const point = fc.array(fc.integer({ min: -20, max: 20 }), { minLength: 3, maxLength: 3 });

  test('there are as many ways as Euler counted', () => {
    // Catalan numbers: 1, 2, 5, 14, 42, 132. Source: Euler to Goldbach, 1751.
    expect([3, 4, 5, 6, 7, 8].map((n) => ways(0, n - 1).length)).toEqual([1, 2, 5, 14, 42, 132]);
  });
  test('no other way has less', () => {
    fc.assert(
      fc.property(fc.array(point, { minLength: 4, maxLength: 8 }), (loop) => {
        const made = inThrees(leastArea(Float64Array.from(loop.flat())));
        expect(made).toHaveLength(loop.length - 2);
        const least = Math.min(...ways(0, loop.length - 1).map((way) => total(loop, way)));
        expect(total(loop, made)).toBeCloseTo(least, 9);
      }),
      { numRuns: some(300, 50) },
    );
  });
  test('nor with chords and triangles that it may not use; none where every way has one', () => {
    fc.assert(
      fc.property(fc.array(point, { minLength: 4, maxLength: 7 }), fc.integer({ min: 1, max: 1e6 }), (loop, seed) => {
        const throwOf = dice(seed);
        const [edges, triangles] = [new Set<string>(), new Set<string>()];
        for (let i = 0; i < loop.length; i++)
          for (let k = i + 2; k < loop.length; k++) {
            if (throwOf(4) === 0 && !(i === 0 && k === loop.length - 1)) edges.add(`${i} ${k}`);
            for (let j = i + 1; j < k; j++) if (throwOf(6) === 0) triangles.add(`${i} ${j} ${k}`);
          }
        const limits = {
          edge: (i: number, k: number) => edges.has(`${i} ${k}`),
          triangle: (i: number, j: number, k: number) => triangles.has(`${i} ${j} ${k}`),
        };
        const lets = (way: number[][]) => way.every(([i, j, k]) => !triangles.has(`${i} ${j} ${k}`) && ![[i, j], [j, k], [i, k]].some(([a, b]) => edges.has(`${a} ${b}`))); // prettier-ignore
        const left = ways(0, loop.length - 1).filter(lets);
        const made = inThrees(leastArea(Float64Array.from(loop.flat()), limits));
        expect(made.length > 0).toBe(left.length > 0);
        if (left.length === 0) return;
        expect(lets(made)).toBe(true);
        expect(total(loop, made)).toBeCloseTo(Math.min(...left.map((way) => total(loop, way))), 9);
      }),
      { numRuns: some(400, 60) },
    );
  });
  test('the least turn, where there are two ways, is the one whose largest turn is less: from what is beside each side too', () => {
    const normalOf = (a: readonly number[], b: readonly number[], c: readonly number[]) => {
      const [u, v] = [b, c].map((o) => o.map((x, k) => x - a[k]));
      const n = [u[1] * v[2] - u[2] * v[1], u[2] * v[0] - u[0] * v[2], u[0] * v[1] - u[1] * v[0]];
      const long = Math.hypot(...n);
      return n.map((x) => (long > 0 ? x / long : 0));
    };
    const four = fc.array(point, { minLength: 4, maxLength: 4 });
    fc.assert(
      fc.property(four, four, (loop, beside) => {
        // What stands across a side runs along it the other way.
        const across = loop.map((a, i) => normalOf(loop[(i + 1) % 4], a, beside[i]));
        const turn = (way: number[][]) => {
          const normals = way.map(([i, j, k]) => normalOf(loop[i], loop[j], loop[k]));
          const turns = [cosine(normals[0], normals[1])];
          way.forEach(([i, j, k], t) => {
            for (const [a, b] of [[i, j], [j, k], [k, i]]) if ((a + 1) % 4 === b) turns.push(cosine(normals[t], across[a])); // prettier-ignore
          });
          return 1 - Math.min(...turns);
        };
        const cosine = (a: readonly number[], b: readonly number[]) => a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
        const both = ways(0, 3).map(turn);
        const made = inThrees(leastTurn(Float64Array.from(loop.flat()), Float64Array.from(beside.flat())));
        expect(turn(made)).toBeCloseTo(Math.min(...both), 9);
      }),
      { numRuns: some(500, 100) },
    );
    // A loop that is too long for the tables is closed by the least area all the same.
    const n = mostExact + 1;
    const round = Float64Array.from(Array.from({ length: n }, (_, i) => [Math.cos((2 * Math.PI * i) / n), Math.sin((2 * Math.PI * i) / n), 0]).flat());
    expect(leastTurn(round, new Float64Array(n * 3))).toHaveLength((n - 2) * 3);
  });
});

describe('a hole closed as the surface goes on', () => {
  test('the cap of a ball comes back: nearer to the ball than the flat cap by far', () => {
    const r = 20;
    const cut = keep(ballMesh(r, 48, 32), (_x, _y, z) => z < 0.8 * r);
    const rim = Math.max(...[...cut.triangles].map((v) => cut.positions[v * 3 + 2]));
    const { mesh, closed } = holesClosed(cut, { how: 'surface', unitesLater: false }, () => null);
    expect(closed).toBe(1);
    expect(closedByMap(mesh)).toBe(true);
    const off: number[] = [];
    for (let v = cut.positions.length / 3; v < mesh.positions.length / 3; v++) off.push(Math.abs(Math.hypot(...mesh.positions.subarray(v * 3, v * 3 + 3)) - r));
    expect(off.length).toBeGreaterThan(20);
    expect(Math.max(...off)).toBeLessThan(0.3 * (r - rim));
    expect(volume(mesh)).toBeGreaterThan(0.97 * volume(ballMesh(r, 48, 32)));
    // Closed flat, the cap is missing: the volume of a segment, pi h2 (3 r - h) / 3.
    const flat = holesClosed(cut, { how: 'flat', unitesLater: false }, () => null).mesh;
    const h = r - rim;
    expect((volume(ballMesh(r, 48, 32)) - volume(flat)) / ((Math.PI * h * h * (3 * r - h)) / 3)).toBeCloseTo(1, 1);
  });
});

describe('seams', () => {
  test('none where fewer than four fifths of a rim have a partner beside them', () => {
    const ball = ballMesh(20, 60, 40);
    const upper = movedMesh(
      keep(ball, (_x, _y, z) => z >= -1e-9),
      [0, 0, 0.3],
    );
    const lower = keep(ball, (_x, _y, z) => z <= 1e-9);
    /** The lower half with so many of the sixty facets at its rim taken away in one place. */
    const bitten = (share: number) => keep(lower, (x, y, z) => !(z < -1e-9 && z > -1.6 && (Math.atan2(y, x) + Math.PI) / (2 * Math.PI) < share));
    expect(seamsOf(together([upper, lower]))).not.toBe(null);
    expect(seamsOf(together([upper, bitten(0.05)]))).not.toBe(null);
    expect(seamsOf(together([upper, bitten(0.6)]))).toBe(null);
  });
  test.each([
    [5, false],
    [6, true],
  ])('two rims of %i edges beside each other: a seam: %s', (n, seam) => {
    // prettier-ignore
    const disc = (z: number, back: boolean): Mesh => {
      const rim = Array.from({ length: n }, (_, i) => [10 * Math.cos((2 * Math.PI * i) / n), 10 * Math.sin((2 * Math.PI * i) / n), z]);
      return movedMesh(meshOf([...rim.flat(), 0, 0, z], rim.flatMap((_, i) => [i, (i + 1) % n, n])), [0, 0, 0], back); // prettier-ignore
    };
    expect(seamsOf(together([disc(0, true), disc(0.1, false)])) !== null).toBe(seam);
  });
});

describe('the surface made anew, deeper', () => {
  test('by an inset a box has sides less by twice that; a ball too', () => {
    const inset = 2;
    // Rounded off by half a cell along its edges: no more than its faces' area times that.
    expect(Math.abs(volume(wrapped(boxMesh(20, 20, 20), 0.5, undefined, inset)!) - 16 ** 3)).toBeLessThan(6 * 16 ** 2 * 0.25 * 0.5);
    const ball = wrapped(ballMesh(10, 60, 40), 0.5, undefined, inset)!;
    expect(closedByMap(ball)).toBe(true);
    expect(volume(ball) / ((4 / 3) * Math.PI * 8 ** 3)).toBeCloseTo(1, 1.3);
  });
  test('it can be given up', () => {
    expect(wrapped(boxMesh(5, 5, 5), 0.5, () => true)).toBe(null);
  });
});

describe('bodies of a mesh', () => {
  const cube = (side: number, at: number, inverted = false) => movedMesh(boxMesh(side, side, side), [at, at, at], inverted);
  test.each([
    ['as they should', [false, true, false], [1000, 19_000], /^$/],
    [
      'the outermost inward, as its hollow does: that is solid there already, and the innermost is a hollow in it',
      [true, true, false],
      [26_000],
      /One shell was inside out/,
    ],
    ['the innermost inward, in a hollow: it is a body', [false, true, true], [1000, 19_000], /One shell was inside out/],
    ['all outward: one body, solid throughout', [false, false, false], [27_000], /^$/],
  ] as const)('three boxes in each other that face %s', (_, inward, volumes, said) => {
    const { bodies, told } = bodiesOf(together([cube(30, 0, inward[0]), cube(20, 5, inward[1]), cube(10, 10, inward[2])]));
    expect(bodies.map((b) => Math.round(volume(b))).sort((a, b) => a - b)).toEqual(volumes);
    expect(told.join()).toMatch(said);
  });
  test('an inward skin that breaks out of its wall is refused with the way on', () => {
    expect(() => bodiesOf(together([cube(10, 0), cube(10, 5, true)]))).toThrow(/faces inward runs into another/);
    expect(bodiesOf(together([cube(10, 0), cube(10, 5)])).bodies).toHaveLength(2);
  });
  test('what is open says how', () => {
    const open = { ...boxMesh(1, 1, 1), triangles: boxMesh(1, 1, 1).triangles.slice(3) };
    expect(() => bodiesOf(open)).toThrow(/3 open edges/);
    expect(() => bodiesOf(meshOf([0, 0, 0], []))).toThrow(/it has no triangles/);
  });
});

describe('rounds that droop', () => {
  /** A wall 30 mm thick that turns in below from one angle of the vertical to another, in steps of a degree or so. */
  const wall = (from: number, to: number): Mesh => {
    const steps = 12;
    const profile: number[][] = [[0, 60], [30, 60]]; // prettier-ignore
    let [x, z] = [30, 40];
    profile.push([x, z]);
    for (let i = 0; i < steps; i++) {
      const a = ((from + ((to - from) * (i + 0.5)) / steps) * Math.PI) / 180;
      [x, z] = [x - 1.5 * Math.sin(a), z - 1.5 * Math.cos(a)];
      profile.push([x, z]);
    }
    profile.push([x, 0], [0, 0]);
    const n = profile.length;
    const t: number[] = [];
    for (let i = 0; i < n; i++) t.push(i, ((i + 1) % n) + n, (i + 1) % n, i, i + n, ((i + 1) % n) + n);
    for (let i = 1; i + 1 < n; i++) t.push(0, i, i + 1, n, n + i + 1, n + i);
    const made = meshOf(
      [0, 40].flatMap((y) => profile.flatMap(([u, w]) => [u, y, w])),
      t,
    );
    return volume(made) > 0 ? made : movedMesh(made, [0, 0, 0], true);
  };
  test('one turns by fifteen degrees at least, from below the limit to beyond it', () => {
    // The facets' angles lie half a step inside both ends.
    expect(droopingRounds(wall(36, 36 + (15.1 * 12) / 11), 45)).toHaveLength(1);
    expect(droopingRounds(wall(36, 36 + (14.9 * 12) / 11), 45)).toHaveLength(0);
    // All of it beyond the limit: a steep chamfer, told elsewhere.
    expect(droopingRounds(wall(50, 80), 45)).toHaveLength(0);
  });
});
