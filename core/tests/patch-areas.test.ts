/** Parts of a surface that are drawn round or painted, and cuts by hand: against closed forms of planes, spheres and circles. */
import { describe, expect, test } from 'vitest';
import { readFileSync } from 'node:fs';
import { distance, placeAt, type Vec3 } from '../src/geometry/vector.ts';
import { measureMesh, type Mesh } from '../src/geometry/mesh.ts';
import { areaOf, finestFor } from '../src/patches/area.ts';
import { mostPlaces, spreadBounds, spreadSchema, usualSpread, type SpreadChoice } from '../src/patches/choice.ts';
import { capBound } from '../src/patches/lay.ts';
import { type CutMesh } from '../src/patches/parting.ts';
import { putPoint } from '../src/patches/put.ts';
import { spreadShape, type Spread } from '../src/patches/spread.ts';
import { cutAlong, loopAlong, smoothThrough } from '../src/patches/trail.ts';
import { cap, grid, mesh, sphere } from './patch.data.ts';
import { builder, kernel } from './sheet.data.ts';
import { random } from './tube.data.ts';
import { spreadCommandOn } from './spread.run.ts';
import { code } from './thrown.ts';

const spreadOf = (m: Mesh, some: Partial<SpreadChoice> = {}): Spread =>
  spreadShape(null, { shape: { kind: 'mesh', mesh: m }, scale: 1 }, { ...usualSpread, ...some });
const whole = (m: Mesh): CutMesh => ({ mesh: m, face: new Int32Array(m.triangles.length / 3), cut: new Set() });
const plane = (n: number) => grid(n, n, (u, v) => [200 * u - 100, 200 * v - 100, 0]);
const areaOfMesh = (m: Mesh) => measureMesh(m).area;
const circle = (r: number, z: number, n: number): Vec3[] =>
  Array.from({ length: n }, (_, k) => [r * Math.cos((2 * Math.PI * k) / n), r * Math.sin((2 * Math.PI * k) / n), z]);

describe('a point put into a surface', () => {
  test('lies where it was asked for, and the surface is as large as before', () => {
    const m = plane(9);
    const roll = random(11);
    for (let k = 0; k < 200; k++) {
      const place: Vec3 = [180 * roll() - 90, 180 * roll() - 90, 0];
      const { it, vertex } = putPoint(whole(m), place, null);
      const off = distance(placeAt(it.mesh.positions, vertex), place);
      // Beside an edge of the border it is put there, near a corner that is held on that: no farther off than that share of a side of 22 mm.
      expect(off).toBeLessThan(0.05 * 22.3);
      expect(areaOfMesh(it.mesh)).toBeCloseTo(40_000, 6);
    }
  });
  test('a point that a border or an edge between faces holds is not moved', () => {
    const m = plane(4);
    const it = whole(m);
    const { vertex } = putPoint(it, [-99, -99, 0], null);
    expect(placeAt(m.positions, vertex)).toEqual([-100, -100, 0]);
    const faced = { ...it, face: it.face.map((_, k) => (k < 16 ? 0 : 1)) };
    const put = putPoint(faced, [1, 1, 0], null);
    expect(placeAt(put.it.mesh.positions, put.vertex)).toEqual([0, 0, 0]);
    // Where nothing holds it, it goes there.
    const free = putPoint(it, [1, 1, 0], null);
    expect(placeAt(free.it.mesh.positions, free.vertex)).toEqual([1, 1, 0]);
  });
});

describe('cuts by hand', () => {
  const pathOf = (it: CutMesh) => it.cut.size;
  test('from place to place: each side as long as its places are apart, and only what is crossed is parted', () => {
    const m = plane(20);
    const made = cutAlong(whole(m), { from: [-61, -33, 0], through: [[5, 47, 0]], to: [72, -12, 0] }, null);
    const straight = Math.hypot(66, 80) + Math.hypot(67, 59);
    // Its places stand within a twentieth of a facet's height (7 mm) of where they were asked for.
    expect(Math.abs(made.length - straight)).toBeLessThan(0.7);
    expect(areaOfMesh(made.cut.mesh)).toBeCloseTo(40_000, 6);
    expect(pathOf(made.cut)).toBeGreaterThan(20);
    // Facets far from the way are the ones there were.
    const corner = (it: Mesh) => {
      let count = 0;
      for (let t = 0; t < it.triangles.length; t += 3) if ([0, 1, 2].every((i) => it.positions[it.triangles[t + i] * 3 + 1] < -60)) count++;
      return count;
    };
    expect(corner(made.cut.mesh)).toBe(corner(m));
  });
  test('a smooth curve through places of a circle is as long as its arc', () => {
    const arc = circle(60, 0, 24).slice(0, 13);
    const made = cutAlong(whole(plane(36)), { from: arc[0], through: arc.slice(1, -1), to: arc[12], round: true }, null);
    expect(Math.abs(made.length / (Math.PI * 60) - 1)).toBeLessThan(0.01);
    const chords = cutAlong(whole(plane(36)), { from: arc[0], through: [arc[6]], to: arc[12] }, null);
    expect(chords.length).toBeCloseTo(2 * Math.SQRT2 * 60, -1);
  });
  test('through a place and on to the border; to one that is there already nothing is cut', () => {
    const made = cutAlong(whole(plane(20)), { from: [0, 0, 0], through: [[40, 10, 0]], to: null }, null);
    expect(made.to[0]).toBeCloseTo(100, 6);
    expect(cutAlong(whole(plane(20)), { from: [0, 0, 0], through: [[0, 0, 0]], to: [0, 0, 0] }, null).cut.cut.size).toBe(0);
  });
  test('a cut that bends on a dome opens it: both sides are as long', () => {
    const { seams, laid } = spreadOf(cap(60, 14, 200), { facet: 1000, lines: [{ from: [0, 0, 200], through: [[70, 30, 180]], to: null, round: true }] });
    expect([seams.length, laid.length]).toEqual([1, 1]);
    expect(Math.abs(seams[0].flat[0] - seams[0].flat[1])).toBeLessThan(0.01);
  });
  test('the smooth way goes through every place, straight on where they lie in a line, and round where it closes', () => {
    const line: Vec3[] = [[0, 0, 0], [10, 0, 0], [30, 0, 0]]; // prettier-ignore
    for (const [, y, z] of smoothThrough(line, 1, false)) expect([y, z]).toEqual([0, 0]);
    const given = circle(50, 3, 12);
    const way = smoothThrough(given, 2, true);
    for (const p of given) expect(Math.min(...way.map((q) => distance(p, q)))).toBe(0);
    // Centripetal Catmull-Rom through 12 places of a circle keeps within half a hundredth of its radius.
    for (const [x, y] of way) expect(Math.abs(Math.hypot(x, y) - 50)).toBeLessThan(0.25);
  });
});

describe('within a loop', () => {
  test('straight on a plane: the area of the polygon, by the shoelace', () => {
    const ring: Vec3[] = [[-60, -50, 0], [70, -40, 0], [50, 60, 0], [-30, 40, 0]]; // prettier-ignore
    const taken = areaOf(whole(plane(25)), { by: 'loop', through: ring, round: false, inside: [0, 0, 0] }, null);
    const shoelace = ring.reduce((sum, [x, y], i) => sum + x * ring[(i + 1) % 4][1] - ring[(i + 1) % 4][0] * y, 0) / 2;
    // Corners stand within a twentieth of a facet's height (6 mm) of where they were asked for.
    expect(Math.abs(areaOfMesh(taken.mesh) / shoelace - 1)).toBeLessThan(0.005);
    const rest = areaOf(whole(plane(25)), { by: 'loop', through: ring, round: false, inside: [90, 90, 0] }, null);
    expect(areaOfMesh(rest.mesh) + areaOfMesh(taken.mesh)).toBeCloseTo(40_000, 6);
  });
  test('round on a ball: the cap that the circle cuts off, laid flat with the least stretch that such a cap has', () => {
    const [r, angle] = [100, (40 * Math.PI) / 180];
    const ring = circle(r * Math.sin(angle), r * Math.cos(angle), 16);
    const spread = spreadOf(sphere(r, 4), { area: { by: 'loop', through: ring, round: true, inside: [0, 0, r] } });
    // Archimedes, On the Sphere and Cylinder I, 42: as large as the circle whose radius is the chord from pole to border.
    const area = spread.laid.reduce((sum, l) => sum + l.rest.area, 0);
    expect(Math.abs(area / (Math.PI * (2 * r * Math.sin(angle / 2)) ** 2) - 1)).toBeLessThan(0.01);
    expect(spread.laid.length).toBe(1);
    const { largest, least } = spread.stretches[0];
    // Milnor 1969: a cap of this angle from pole to border. Its facets are those of the ball, cut off where the circle runs.
    expect(largest / least / capBound(angle)!).toBeLessThan(1.06);
    expect(largest / least / capBound(angle)!).toBeGreaterThan(0.995);
  });
  test('on a solid: within one face of a cylinder, its points on the exact face', () => {
    const solid = builder.cylinder([0, 0, 0], [0, 0, 1], 30, 80);
    const shape = { kind: 'solid' as const, brep: builder.brep(solid) };
    const ring: Vec3[] = ([[-0.5, 20], [0.5, 20], [0.5, 60], [-0.5, 60]] as const).map(([a, z]) => [30 * Math.cos(a), 30 * Math.sin(a), z]); // prettier-ignore
    const wall = spreadShape(kernel, { shape, scale: 1 }, { ...usualSpread, area: { by: 'loop', through: ring, round: false, inside: [30, 0, 40] } });
    const [piece] = wall.laid;
    for (let v = 0; v < piece.piece.mesh.positions.length; v += 3)
      expect(Math.hypot(piece.piece.mesh.positions[v], piece.piece.mesh.positions[v + 1])).toBeCloseTo(30, 5);
    // A radian of the wall, 40 high, unrolled: 30 x 40.
    expect(Math.abs(piece.rest.area / 1200 - 1)).toBeLessThan(0.02);
    expect(wall.stretches[0].largest / wall.stretches[0].least).toBeLessThan(1.005);
  });
  test('what parts nothing, too few places: a sentence each', () => {
    expect(code(() => loopAlong(whole(plane(5)), [[0, 0, 0], [9, 0, 0]], false, null))).toBe('loop-too-short'); // prettier-ignore
    // Along the border of a plane and back: nothing lies on its other side.
    const torus = grid(24, 12, (u, v) => [(60 + 20 * Math.cos(2 * Math.PI * v)) * Math.cos(2 * Math.PI * u), (60 + 20 * Math.cos(2 * Math.PI * v)) * Math.sin(2 * Math.PI * u), 20 * Math.sin(2 * Math.PI * v)]); // prettier-ignore
    const joined = welded(torus);
    const round = Array.from({ length: 12 }, (_, k): Vec3 => [60 + 20 * Math.cos((2 * Math.PI * k) / 12), 0, 20 * Math.sin((2 * Math.PI * k) / 12)]);
    expect(code(() => areaOf(whole(joined), { by: 'loop', through: round, round: false, inside: [-80, 0, 0] }, null))).toBe('open-loop');
  });
});

/** Points at one place made one. */
function welded(m: Mesh): Mesh {
  const names = new Map<string, number>();
  const positions: number[] = [];
  const name = Array.from({ length: m.positions.length / 3 }, (_, v) => {
    const p = placeAt(m.positions, v);
    const key = p.map((x) => x.toFixed(6)).join(' ');
    if (!names.has(key)) {
      names.set(key, names.size);
      positions.push(...p);
    }
    return names.get(key)!;
  });
  return mesh(
    positions,
    Array.from(m.triangles, (v) => name[v]),
  );
}

describe('painted', () => {
  test('one dab on a plane is a disc; on a ball the cap with its radius as chord; two that overlap are counted once', () => {
    const disc = areaOf(whole(plane(100)), { by: 'painted', dabs: [{ at: [3, 7, 0], radius: 40 }] }, null);
    expect(Math.abs(areaOfMesh(disc.mesh) / (Math.PI * 1600) - 1)).toBeLessThan(0.003);
    // Archimedes again: whatever the ball's radius.
    const on = areaOf(whole(sphere(100, 5)), { by: 'painted', dabs: [{ at: [0, 0, 100], radius: 50 }] }, null);
    expect(Math.abs(areaOfMesh(on.mesh) / (Math.PI * 2500) - 1)).toBeLessThan(0.01);
    const two = areaOf(whole(plane(100)), { by: 'painted', dabs: [{ at: [0, 0, 0], radius: 30 }, { at: [30, 0, 0], radius: 30 }] }, null); // prettier-ignore
    // Two circles of radius r whose middles are r apart share (2 pi / 3 - sqrt(3) / 2) r2.
    const union = (2 * Math.PI - (2 * Math.PI) / 3 + Math.sqrt(3) / 2) * 900;
    expect(Math.abs(areaOfMesh(two.mesh) / union - 1)).toBeLessThan(0.003);
  });
  test('the other side of a thin plate is not reached, though it lies nearer than the brush', () => {
    const top = grid(40, 40, (u, v) => [200 * u, 200 * v, 1]);
    const under = grid(40, 40, (u, v) => [200 * u, 200 * v, 0]);
    const n = top.positions.length / 3;
    const both = mesh([...top.positions, ...under.positions], [...top.triangles, ...Array.from(under.triangles, (v) => v + n)]);
    const taken = areaOf(whole(both), { by: 'painted', dabs: [{ at: [100, 100, 1], radius: 50 }] }, null);
    expect(areaOfMesh(taken.mesh)).toBeLessThan(1.001 * Math.PI * 2500);
    for (let v = 2; v < taken.mesh.positions.length; v += 3) expect(taken.mesh.positions[v]).toBe(1);
  });
  test('facets are made fine enough for the brush; off the surface nothing is painted', () => {
    expect(finestFor({ by: 'painted', dabs: [{ at: [0, 0, 0], radius: 30 }, { at: [0, 0, 0], radius: 5 }] })).toBe(2); // prettier-ignore
    expect(finestFor(null)).toBe(Infinity);
    const coarse = spreadOf(plane(3), { area: { by: 'painted', dabs: [{ at: [10, 5, 0], radius: 12 }] } });
    expect(Math.abs(coarse.laid[0].rest.area / (Math.PI * 144) - 1)).toBeLessThan(0.03);
    expect(code(() => areaOf(whole(plane(10)), { by: 'painted', dabs: [{ at: [0, 0, 90], radius: 20 }] }, null))).toBe('nothing-painted');
  });
});

describe('asked for', () => {
  const fits = (some: object) => spreadSchema.validate({ ...usualSpread, ...some }).error === undefined;
  const places = (n: number) => Array.from({ length: n }, (_, k) => [k, 0, 0]);
  test('bounds of loops and brushes, just inside and just outside', () => {
    const loop = (n: number) => ({ area: { by: 'loop', through: places(n), round: true, inside: [0, 0, 0] } });
    expect([2, 3, mostPlaces, mostPlaces + 1].map((n) => fits(loop(n)))).toEqual([false, true, true, false]);
    const [least, most] = spreadBounds.brush;
    const brush = (radius: number) => ({ area: { by: 'painted', dabs: [{ at: [0, 0, 0], radius }] } });
    expect([least * 0.99, least, most, most * 1.01].map((r) => fits(brush(r)))).toEqual([false, true, true, false]);
    expect(fits({ lines: [{ from: [0, 0, 0], to: null, through: places(mostPlaces), round: true }] })).toBe(true);
    expect(fits({ lines: [{ from: [0, 0, 0], to: null, through: places(mostPlaces + 1) }] })).toBe(false);
    // What was asked for before there were areas.
    const { area: _, ...before } = { ...usualSpread, area: null };
    expect(fits(before)).toBe(true);
  });
  test('on the command line, down to the file', () => {
    const run = spreadCommandOn(sphere(100, 4));
    const ring = circle(100 * Math.sin(0.6), 100 * Math.cos(0.6), 12).map((p) => p.map((v) => v.toFixed(4)).join(','));
    const report = JSON.parse(run('--loop', ring.join('/'), '--within', '0,0,100', '--curved')) as {
      surface: { area: number };
      verdict: string;
      written: { file: string }[];
    };
    expect(Math.abs(report.surface.area / (Math.PI * (200 * Math.sin(0.3)) ** 2) - 1)).toBeLessThan(0.015);
    expect(['clear', 'look']).toContain(report.verdict);
    expect(readFileSync(report.written[0].file).toString('latin1')).toContain('SECTION');
    expect(run('--loop', ring.join('/'))).toContain('need a place within them');
    expect(run('--paint', '0,0,100,40', '--loop', ring.join('/'), '--within', '0,0,100')).toContain('one of --loop, --up-to and --paint');
    expect(run('--paint', '0,0,100')).toContain('a place and a radius');
    expect(run('--loop', ring.slice(0, 2).join('/'), '--within', '0,0,100')).toContain('3 to 100 places');
  });
});
