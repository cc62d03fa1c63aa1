import { beforeAll, describe, expect, test } from 'vitest';
import { measureMesh, type Mesh } from '../src/geometry/mesh.ts';
import { dividedIntoShells } from '../src/geometry/shells.ts';
import { identityRows } from '../src/geometry/rows.ts';
import { combine, relation } from '../src/mesh/join/booleans.ts';
import { cutByPlane, cutOffBelow } from '../src/mesh/join/cut.ts';
import type { Engine } from '../src/engine/engine.ts';
import { nodeEngine } from '../src/engine/load.ts';
import { alignment, factorForSize, mirrored, scaled, shifted, toBed, turnedAbout } from '../src/mesh/join/move.ts';
import { blockMesh, reliefSolid } from '../src/mesh/join/relief.ts';
import { raised, segmentsFor, toolMesh } from '../src/mesh/join/tools.ts';
import { boxOf } from '../src/geometry/box.ts';
import { placedMesh } from '../src/processes/receive.ts';
import { boxMesh } from './data.ts';
import { ballMesh, closedByMap, eulerOf, movedMesh } from './data.more.ts';
import { some } from './some.ts';

let engine: Engine;
beforeAll(async () => {
  engine = await nodeEngine();
});
const volume = (mesh: Mesh) => measureMesh(mesh).volume;
/** A cylinder of equal area along an axis through the origin, faceted finely. */
const rod = (axis: [number, number, number], r: number, length: number) =>
  toolMesh(
    engine,
    { kind: 'cylinder', at: axis.map((a) => (a * length) / 2) as [number, number, number], normal: axis, diameter: 2 * r, depth: length },
    r / 20000,
  );

describe('booleans against known volumes', () => {
  test('two crossed cylinders have 16 r^3 / 3 in common, three 8 (2 - sqrt 2) r^3 (Steinmetz solids)', () => {
    const r = 10;
    const two = combine(engine, 'common', [rod([1, 0, 0], r, 50), rod([0, 1, 0], r, 50)]).mesh;
    expect(Math.abs(volume(two) / ((16 * r ** 3) / 3) - 1)).toBeLessThan(1e-3);
    const three = combine(engine, 'common', [rod([1, 0, 0], r, 50), rod([0, 1, 0], r, 50), rod([0, 0, 1], r, 50)]).mesh;
    expect(Math.abs(volume(three) / (8 * (2 - Math.SQRT2) * r ** 3) - 1)).toBeLessThan(1e-3);
    expect(closedByMap(three)).toBe(true);
    // Inclusion and exclusion: |A or B| = |A| + |B| - |A and B|.
    const union = combine(engine, 'join', [rod([1, 0, 0], r, 50), rod([0, 1, 0], r, 50)]).mesh;
    // A body reaches out of its face by a hundredth of its depth.
    const bars = 2 * Math.PI * r * r * 50 * 1.01;
    expect(Math.abs(volume(union) / (bars - (16 * r ** 3) / 3) - 1)).toBeLessThan(1e-3);
  });
  test('a ball drilled through, h long, keeps pi h^3 / 6 whatever its radius (the napkin-ring problem)', () => {
    for (const R of some([10, 14], [7, 9])) {
      const h = 12;
      const drill = rod([0, 0, 1], Math.sqrt(R * R - (h / 2) ** 2), 4 * R);
      const ring = combine(engine, 'subtract', [ballMesh(R, some(600, 240), some(480, 192)), drill]).mesh;
      expect(Math.abs(volume(ring) / ((Math.PI * h ** 3) / 6) - 1)).toBeLessThan(1e-3);
      expect(eulerOf(ring)).toBe(0);
    }
  });
  test('joining is a union, not one list: what only touches stays several pieces, and says so', () => {
    const over = combine(engine, 'join', [boxMesh(10, 10, 10), movedMesh(boxMesh(10, 10, 10), [5, 0, 0])]);
    expect(over).toMatchObject({ pieces: 1, note: null });
    expect(volume(over.mesh)).toBeCloseTo(1500, 6);
    const edge = combine(engine, 'join', [boxMesh(10, 10, 10), movedMesh(boxMesh(10, 10, 10), [10, 10, 0])]);
    expect(edge.pieces).toBe(2);
    expect(edge.note).toMatch(/only touch or lie apart/);
    expect(dividedIntoShells(edge.mesh)).toHaveLength(2);
    expect(relation(engine, boxMesh(10, 10, 10), movedMesh(boxMesh(10, 10, 10), [12, 0, 0]))).toMatchObject({ how: 'apart' });
    expect(relation(engine, boxMesh(10, 10, 10), movedMesh(boxMesh(10, 10, 10), [12, 0, 0])).gap).toBeCloseTo(2, 6);
    expect(relation(engine, boxMesh(10, 10, 10), movedMesh(boxMesh(10, 10, 10), [5, 0, 0])).shared).toBeCloseTo(500, 5);
  });
  test('an open mesh is refused with its remedy; nothing in common is said', () => {
    const open = boxMesh(10, 10, 10);
    open.triangles = open.triangles.slice(3);
    expect(() => combine(engine, 'join', [open, boxMesh(5, 5, 5)])).toThrow(/not one closed solid/);
    expect(() => combine(engine, 'common', [boxMesh(5, 5, 5), movedMesh(boxMesh(5, 5, 5), [50, 0, 0])])).toThrow(/nothing in common/);
    expect(() => combine(engine, 'join', [])).toThrow(/two parts or more/);
    expect(() => combine(engine, 'subtract', [boxMesh(5, 5, 5)])).toThrow(/two parts or more/);
    expect(combine(engine, 'join', [boxMesh(5, 5, 5)])).toMatchObject({ pieces: 1, note: 'It is one body already, so nothing was joined.' });
  });
  test('parts of a few micrometres and parts far from zero are cut like any other', () => {
    const tiny = 1e-3;
    const cut = combine(engine, 'subtract', [boxMesh(tiny, tiny, tiny), movedMesh(boxMesh(tiny, tiny, tiny), [tiny / 2, 0, 0])]).mesh;
    expect(volume(cut) / (tiny ** 3 / 2)).toBeCloseTo(1, 4);
    const far = combine(engine, 'join', [movedMesh(boxMesh(10, 10, 10), [1e5, 0, 0]), movedMesh(boxMesh(10, 10, 10), [1e5 + 5, 0, 0])]).mesh;
    expect(volume(far)).toBeCloseTo(1500, 2);
  });
});

describe('cutting', () => {
  test('a plane through a box: both halves closed, volumes add up', () => {
    const halves = cutByPlane(engine, boxMesh(20, 10, 30), { normal: [0, 0, 2], offset: 12 });
    expect(volume(halves.below!)).toBeCloseTo(20 * 10 * 12, 5);
    expect(volume(halves.above!)).toBeCloseTo(20 * 10 * 18, 5);
    expect(halves.area).toBeCloseTo(200, 6);
    expect(closedByMap(halves.above!) && closedByMap(halves.below!)).toBe(true);
    expect(boxOf(cutOffBelow(engine, boxMesh(20, 10, 30), 12).positions).min[2]).toBeCloseTo(12, 6);
    const slanted = cutByPlane(engine, boxMesh(10, 10, 10), { normal: [1, 1, 0], offset: Math.SQRT1_2 * 10 });
    expect(volume(slanted.above!)).toBeCloseTo(500, 3);
  });
  test('pegs: added to one half, drilled with clearance into the other', () => {
    const pegs = { count: 2 as const, diameter: 4, depth: 5, clearance: 0.2 };
    const { above, below, pegs: places } = cutByPlane(engine, boxMesh(40, 20, 30), { normal: [0, 0, 1], offset: 15 }, pegs);
    expect(places).toHaveLength(2);
    expect(volume(below!)).toBeCloseTo(40 * 20 * 15 + 2 * Math.PI * 4 * 5, -1);
    expect(volume(above!)).toBeCloseTo(40 * 20 * 15 - 2 * Math.PI * 2.2 ** 2 * 5.2, -1);
    expect(relation(engine, above!, below!).shared).toBe(0);
    for (const [x, y, z] of places) expect(x > 3 && x < 37 && y > 3 && y < 17 && Math.abs(z - 15) < 1e-6).toBe(true);
    expect(() => cutByPlane(engine, boxMesh(3, 3, 30), { normal: [0, 0, 1], offset: 15 }, pegs)).toThrow(/room for 0 of 2 pegs/);
    expect(() => cutByPlane(engine, boxMesh(3, 3, 30), { normal: [0, 0, 1], offset: 99 })).toThrow(/does not go through/);
  });
});

describe('bodies, reliefs, drawings', () => {
  test('a hole of typed size on a face takes out pi r^2 h; a pocket width times length times depth', () => {
    const hole = toolMesh(engine, { kind: 'cylinder', at: [20, 10, 30], normal: [0, 0, 1], diameter: 6, depth: 12 });
    expect(volume(combine(engine, 'subtract', [boxMesh(40, 20, 30), hole]).mesh)).toBeCloseTo(40 * 20 * 30 - Math.PI * 9 * 12, 1);
    const pocket = toolMesh(engine, { kind: 'box', at: [40, 10, 15], normal: [1, 0, 0], width: 5, length: 8, depth: 3, turn: 30 });
    expect(volume(combine(engine, 'subtract', [boxMesh(40, 20, 30), pocket]).mesh)).toBeCloseTo(40 * 20 * 30 - 5 * 8 * 3, 2);
    // Fewest segments for r 10, d 0.05 are 32 (published: sagitta of a chord); rounded up to fours.
    expect(segmentsFor(10, 0.05)).toBe(32);
  });
  test('a terrain becomes a solid: thickened, closed to a base, cut out of a block', () => {
    const n = 20;
    const positions = new Float64Array((n + 1) ** 2 * 3);
    const t: number[] = [];
    const height = (x: number, y: number) => 5 + Math.sin(x / 3) + Math.cos(y / 4);
    for (let j = 0; j <= n; j++) for (let i = 0; i <= n; i++) positions.set([i, j, height(i, j)], (j * (n + 1) + i) * 3);
    for (let j = 0; j < n; j++) for (let i = 0; i < n; i++) t.push(j * (n + 1) + i, j * (n + 1) + i + 1, (j + 1) * (n + 1) + i + 1, j * (n + 1) + i, (j + 1) * (n + 1) + i + 1, (j + 1) * (n + 1) + i); // prettier-ignore
    const terrain = { positions, triangles: Uint32Array.from(t) };
    const thick = reliefSolid(engine, terrain, { kind: 'thicken', thickness: 2 });
    expect(closedByMap(thick)).toBe(true);
    expect(volume(thick)).toBeCloseTo(n * n * 2, 6);
    const based = reliefSolid(engine, terrain, { kind: 'base', height: 0 });
    // The prism below each triangle: its area times the mean height of its corners.
    let sum = 0;
    for (let i = 0; i < t.length; i += 3) sum += 0.5 * ((positions[t[i] * 3 + 2] + positions[t[i + 1] * 3 + 2] + positions[t[i + 2] * 3 + 2]) / 3);
    expect(volume(based)).toBeCloseTo(sum, 6);
    expect(boxOf(based.positions).min[2]).toBe(0);
    const block = reliefSolid(engine, terrain, { kind: 'block', margin: 5, height: 0 });
    expect(boxOf(block.positions).max[0] - boxOf(block.positions).min[0]).toBeCloseTo(10, 6);
    // Turned over it is taken all the same; a base above it, a closed part and an overhang are refused.
    expect(volume(reliefSolid(engine, movedMesh(terrain, [0, 0, 0], true), { kind: 'base', height: 0 }))).toBeCloseTo(sum, 6);
    expect(() => reliefSolid(engine, terrain, { kind: 'base', height: 6 })).toThrow(/not below the lowest point/);
    expect(() => reliefSolid(engine, boxMesh(1, 1, 1), { kind: 'base', height: -1 })).toThrow(/closed already/);
  });
  test('contours with a hole raised to a thickness', () => {
    const square = (a: number, b: number): [number, number][] => [[a, a], [b, a], [b, b], [a, b]]; // prettier-ignore
    const plate = raised(engine, [square(0, 30), square(10, 20)], 4);
    expect(volume(plate)).toBeCloseTo((900 - 100) * 4, 6);
    expect(eulerOf(plate)).toBe(0);
  });
});

describe('moving exactly', () => {
  const box = { min: [1, 2, 3] as [number, number, number], max: [11, 7, 5] as [number, number, number] };
  test('offsets, turns, alignment by face, middle and gap, down to the bed', () => {
    const there = placedMesh(blockMesh(box.min, box.max), shifted(identityRows, [10, -2, 0.5]));
    expect(boxOf(there.positions)).toEqual({ min: [11, 0, 3.5], max: [21, 5, 5.5] });
    const turned = placedMesh(blockMesh(box.min, box.max), turnedAbout(identityRows, 2, 90, [0, 0, 0]));
    expect(boxOf(turned.positions).min.map((v) => Math.round(v * 1e9) / 1e9)).toEqual([-7, 1, 3]);
    const other = { min: [100, 0, 0] as [number, number, number], max: [120, 10, 10] as [number, number, number] };
    expect(alignment(box, other, { axis: 0, by: 'high to low', gap: 0.5 })).toEqual([88.5, 0, 0]);
    expect(alignment(box, other, { axis: 1, by: 'middle to middle' })).toEqual([0, 0.5, 0]);
    expect(alignment(box, other, { axis: 2, by: 'low to low' })).toEqual([0, 0, -3]);
    expect(toBed(box)).toEqual([0, 0, -3]);
  });
  test('mirrored stays right side out; scaled to a size on one axis', () => {
    const m = mirrored(blockMesh(box.min, box.max), 0, 0);
    expect(volume(m)).toBeCloseTo(10 * 5 * 2, 9);
    expect(boxOf(m.positions).min[0]).toBe(-11);
    const f = factorForSize(box, 1, 12.5);
    expect(f).toBe(2.5);
    expect(volume(scaled(blockMesh(box.min, box.max), f))).toBeCloseTo(100 * 2.5 ** 3, 6);
    expect(() => factorForSize(box, 1, 0)).toThrow(RangeError);
  });
});
