/** Closed sheet parts ripped open: flat sizes by hand (perimeter of the neutral fibre, inner walls, slant heights), and what is refused. */
import type { Rip } from '../src/sheet/asked.ts';
import { execFileSync } from 'node:child_process';
import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { beforeAll, describe, expect, test } from 'vitest';
import { ripOf } from '../src/cli/flatten.ts';
import { readBrepText } from '../src/surfaces/brep-text.ts';
import { SolidBuilder, type Solid } from '../src/kernel/build.ts';
import { OpenSolid } from '../src/kernel/facets.ts';
import type { Kernel } from '../src/kernel/kernel.ts';
import { workingKernel } from '../src/kernel/load.ts';
import { contoursOf } from '../src/curves/drawing.ts';
import { flattenShape } from '../src/sheet/flatten.ts';
import { usualFlatten, type FlattenChoice, type Pattern } from '../src/sheet/pattern.ts';
import { flattenSchema } from '../src/sheet/schema.ts';
import { seamGap } from '../src/sheet/slit.ts';
import { middleOfFace, topologyOf } from '../src/sheet/topology.ts';
import { run } from './cli.data.ts';

type P3 = [number, number, number];
const T = 2;
const K = 0.44;
let kernel: Kernel;
let b: SolidBuilder;
beforeAll(async () => {
  kernel = await workingKernel();
  b = new SolidBuilder(kernel);
});

function flat(solid: Solid, rips: Rip[], more: Partial<FlattenChoice> = {}): Pattern {
  return flattenShape(
    kernel,
    { shape: { kind: 'solid', brep: b.brep(solid) }, scale: 1, volume: null },
    { ...usualFlatten, rule: { kind: 'k', k: K }, rips, ...more },
  );
}
/** Numbers of the faces of a kind whose middle passes. */
function faces(solid: Solid, kind: string, at: (p: P3) => boolean): number[] {
  const brep = b.brep(solid);
  const open = new OpenSolid(kernel, brep);
  const top = topologyOf(readBrepText(brep), open.facets(0.05, 0.4));
  open.close();
  return top.faces.flatMap((f, i) => (f.surface.kind === kind && at(middleOfFace(top, i) as P3) ? [i] : []));
}
const is = (axis: 0 | 1 | 2, v: number) => (p: P3) => Math.abs(p[axis] - v) < 1e-6;
const size = (p: Pattern) => [p.box[2] - p.box[0], p.box[3] - p.box[1]].sort((m, n) => m - n);
const codes = (p: Pattern) => p.findings.map((f) => `${f.severity} ${f.code}`);
const between = (m: number, n: number): Rip => ({ between: [m, n] });

/** 60 x 40 outside, rounded by 5 outside and 3 inside, 100 long. */
function squareTube(): Solid {
  const round = (s: Solid, r: number, z: number) => b.rounded(s, r, (m) => Math.abs(m[2] - z) < 1e-6);
  return b.cut(round(b.box([0, 0, 0], [60, 40, 100]), 5, 50), round(b.box([T, T, -1], [56, 36, 102]), 3, 50));
}
const openBox = () => b.cut(b.box([0, 0, 0], [80, 60, 50]), b.box([T, T, T], [76, 56, 60]));
const closedBox = () => b.cut(b.box([0, 0, 0], [80, 60, 50]), b.box([T, T, T], [76, 56, 46]));
const roundTube = () => b.cut(b.cylinder([0, 0, 0], [0, 0, 1], 30, 120), b.cylinder([0, 0, -1], [0, 0, 1], 28, 130));
const ring = (x: number, y: number, z: number): P3[] => [
  [-x, -y, z],
  [x, -y, z],
  [x, y, z],
  [-x, y, z],
];
/** Slanted walls of one thickness: 40 x 40 below, 100 x 80 above, 60 high. */
function hopper(): Solid {
  const [inX, inY] = [T * Math.hypot(1, 0.5), T * Math.hypot(1, 1 / 3)];
  const inside = b.lofted([ring(20 - inX - 0.5, 20 - inY - 1 / 3, -1), ring(50 - inX + 0.5, 40 - inY + 1 / 3, 61)]);
  return b.cut(b.lofted([ring(20, 20, 0), ring(50, 40, 60)]), inside);
}

describe('a rip along an edge', () => {
  test('a square tube: four walls and four bends of its perimeter, whichever of the two faces is named', () => {
    const tube = squareTube();
    const [x0] = faces(tube, 'plane', is(0, 0));
    const [y0] = faces(tube, 'plane', is(1, 0));
    const [round] = faces(tube, 'cylinder', (p) => p[0] < 5 && p[1] < 5);
    const perimeter = 2 * (50 + 30) + 2 * Math.PI * (3 + K * T);
    for (const rip of [between(x0, y0), between(y0, x0), between(x0, round)]) {
      const p = flat(tube, [rip]);
      expect(size(p)[0]).toBeCloseTo(100, 9);
      expect(size(p)[1]).toBeCloseTo(perimeter, 9);
      expect(p.bends).toHaveLength(4);
      expect(p.foldBack!.distance).toBeLessThan(1e-9);
      // The bend that came loose has no flange a press could hold.
      expect(codes(p)).toEqual(['look bend-without-flange', 'clear ripped']);
    }
    expect(() => flat(tube, [])).toThrow(/closes on itself/);
  });
  test('an open box with four corners ripped: the inner walls about the floor, and the open corners told', () => {
    const box = openBox();
    const wall = (axis: 0 | 1, v: number) => faces(box, 'plane', is(axis, v))[0];
    const corners = [0, 80].flatMap((x) => [0, 60].map((y) => between(wall(0, x), wall(1, y))));
    const p = flat(box, corners);
    const bend = (Math.PI / 2) * K * T;
    expect(size(p)[0]).toBeCloseTo(56 + 2 * (bend + 48), 9);
    expect(size(p)[1]).toBeCloseTo(76 + 2 * (bend + 48), 9);
    expect(p.area).toBeCloseTo(76 * 56 + 2 * (76 + 56) * (bend + 48), 6);
    expect(codes(p)).toEqual(['look sharp-corners', 'look ripped']);
    expect(p.findings.find((f) => f.code === 'ripped')!.count).toBe(4);
    // One corner fewer still closes on itself; the refusal names the edge to rip.
    expect(() => flat(box, corners.slice(1))).toThrow(/closes on itself/);
  });
  test('a box that is closed all round has two skins and is one body', () => {
    const box = closedBox();
    const wall = (axis: 0 | 1 | 2, v: number) => faces(box, 'plane', is(axis, v))[0];
    const sides = [0, 80].flatMap((x) => [0, 60].map((y) => between(wall(0, x), wall(1, y))));
    const lid = [between(wall(0, 0), wall(2, 50)), between(wall(0, 80), wall(2, 50)), between(wall(1, 0), wall(2, 50))];
    const p = flat(box, [...sides, ...lid]);
    const bend = (Math.PI / 2) * K * T;
    expect(p.bends).toHaveLength(5);
    expect(p.area).toBeCloseTo(2 * 76 * 56 + 2 * (76 + 56) * 46 + bend * (2 * (76 + 56) + 76), 6);
  });
  test('a hopper: trapezoids of the inner walls, each as long as its slant', () => {
    const part = hopper();
    const [a] = faces(part, 'plane', (p) => p[0] < -40);
    const [c] = faces(part, 'plane', (p) => p[1] < -35);
    const p = flat(part, [between(a, c)]);
    expect(p.bends).toHaveLength(3);
    expect(p.foldBack!.distance).toBeLessThan(1e-9);
    const [inX, inY] = [T * Math.hypot(1, 0.5), T * Math.hypot(1, 1 / 3)];
    // Inner walls by hand, wide as the inside is below and above; the rims lean, so that the blank reaches further, by the slope: T / 3 and T / 2.
    const walls = 2 * ((40 - 2 * inX + 100 - 2 * inX) / 2) * 60 * Math.hypot(1, 1 / 3) + 2 * ((40 - 2 * inY + 80 - 2 * inY) / 2) * 60 * Math.hypot(1, 0.5);
    const corner = Math.hypot(30, 20, 60);
    const turn = Math.acos((0.5 * (1 / 3)) / (Math.hypot(1, 0.5) * Math.hypot(1, 1 / 3)));
    const rims = (T / 3) * 2 * (100 - 2 * inX) + (T / 2) * 2 * (80 - 2 * inY);
    expect(Math.abs(p.area - walls - 3 * turn * K * T * corner - rims)).toBeLessThan(0.002 * p.area);
    expect(p.findings.find((f) => f.code === 'edges-bevelled')!.message).toMatch(/0\.667 mm .* 1 mm .*wider outline/);
  });
  test('a round tube down a side: its neutral fibre less the seam', () => {
    const tube = roundTube();
    const [round] = faces(tube, 'cylinder', () => true);
    const p = flat(tube, [{ face: round, towards: [0, -1, 0] }]);
    // The slot is of parallel sides: on the side that lies up, the outer one, its angle is 2 asin(g / 2r).
    const sweep = 2 * Math.PI - 2 * Math.asin(seamGap / 2 / 30);
    expect(size(p)[0]).toBeCloseTo(120, 9);
    expect(size(p)[1]).toBeCloseTo(sweep * (28 + K * T), 6);
    expect(codes(p)).toEqual(['clear ripped']);
    // The seam looks where it was asked: the border of the flat folds to y = -30 there.
    const ys = p.edges.flatMap((e) => Array.from({ length: e.points.length / 3 }, (_, i) => e.points[i * 3 + 1]));
    expect(Math.min(...ys)).toBeCloseTo(-Math.sqrt(30 ** 2 - (seamGap / 2) ** 2), 6);
  });
  test('a square tube down the middle of a wall: its perimeter less the seam, all four bends between walls', () => {
    const tube = squareTube();
    const walls = faces(tube, 'plane', is(0, 60));
    // Outside and inside of one wall give the same seam.
    for (const wall of [walls[0], faces(tube, 'plane', is(0, 58))[0]]) {
      const p = flat(tube, [{ face: wall, middle: true }]);
      expect(size(p)[0]).toBeCloseTo(100, 9);
      expect(size(p)[1]).toBeCloseTo(2 * (50 + 30) + 2 * Math.PI * (3 + K * T) - seamGap, 9);
      expect(p.bends.map((x) => x.rolled)).toEqual([false, false, false, false]);
      expect(codes(p)).toEqual(['clear ripped']);
      // Half of that wall on each side of the flat, less half of the seam.
      const xs = p.edges.flatMap((e) => Array.from({ length: e.points.length / 3 }, (_, i) => [e.points[i * 3], e.points[i * 3 + 1]]));
      const seam = xs.filter(([x, y]) => x > 55 && y > 6 && y < 34).map(([, y]) => y);
      expect([Math.min(...seam), Math.max(...seam)]).toEqual([expect.closeTo(20 - seamGap / 2, 9), expect.closeTo(20 + seamGap / 2, 9)]);
    }
    expect(() => flat(tube, [{ face: faces(tube, 'cylinder', () => true)[0], middle: true }])).toThrow(/is not flat/);
  });
  test('numbers of faces stay those of the whole part when a seam is cut', () => {
    const tube = roundTube();
    const rounds = faces(tube, 'cylinder', () => true);
    const [inner] = rounds.filter((f) => faces(tube, 'cylinder', (p) => Math.hypot(p[0], p[1]) < 29).includes(f));
    expect(() => flat(tube, [{ face: inner, towards: [1, 0, 0] }], { face: inner, up: 'face' })).toThrow(/is not flat/);
  });
  test('what can not be ripped says why', () => {
    const tube = squareTube();
    const at = (axis: 0 | 1, v: number) => faces(tube, 'plane', is(axis, v))[0];
    expect(() => flat(tube, [between(at(0, 0), at(0, 60))])).toThrow(/do not meet in a bend or a corner/);
    expect(() => flat(tube, [between(at(0, 0), at(1, 0)), between(at(0, 60), at(1, 0))])).toThrow(/falls in two/);
    expect(() => flat(tube, [between(0, 999)])).toThrow(/no face 1000/);
    const round = roundTube();
    const [r] = faces(round, 'cylinder', () => true);
    const [end] = faces(round, 'plane', () => true);
    expect(() => flat(round, [{ face: r, towards: [0, 0, 1] }])).toThrow(/along the axis/);
    expect(() => flat(round, [{ face: end, towards: [1, 0, 0] }])).toThrow(/no round wall/);
  });
  test('the other side up at ripped sharp corners would overlap, and is a stop', () => {
    const box = openBox();
    const wall = (axis: 0 | 1 | 2, v: number) => faces(box, 'plane', is(axis, v))[0];
    const corners = [0, 80].flatMap((x) => [0, 60].map((y) => between(wall(0, x), wall(1, y))));
    expect(codes(flat(box, corners, { face: wall(2, 0), up: 'face' }))).toContain('stop flat-overlaps');
  });
});

describe('how a rip is typed', () => {
  test('3/7, 5@-y, 5@1,1,0 and 7@middle; faces from 1', () => {
    expect(ripOf('7@middle')).toEqual({ face: 6, middle: true });
    expect(ripOf('3/7')).toEqual({ between: [2, 6] });
    expect(ripOf('5@-y')).toEqual({ face: 4, towards: [0, -1, 0] });
    expect(ripOf('5@1,1,0')).toEqual({ face: 4, towards: [1, 1, 0] });
    for (const bad of ['3', '3/3', '0/2', '5@', '5@q', '0@x', '3/7/9']) expect(() => ripOf(bad)).toThrow(/must be like/);
  });
  test('a choice from outside without rips is taken as before; bad ones are refused', () => {
    const { rips, ...older } = usualFlatten;
    expect(rips).toEqual([]);
    expect(flattenSchema.validate(older).value.rips).toEqual([]);
    expect(flattenSchema.validate({ ...older, rips: [{ between: [1] }] }).error).toBeDefined();
    expect(flattenSchema.validate({ ...older, rips: [{ between: [1, 2] }, { face: 3, towards: [0, 0, 1] }] }).error).toBeUndefined();
  });
  test('the command line writes the ripped flat; the outline read by another reader is the tube, laid flat', () => {
    const folder = mkdtempSync(join(tmpdir(), 'tall-kite-rip-'));
    const tube = squareTube();
    writeFileSync(join(folder, 'tube.step'), b.step('tube', [{ name: 'tube', colour: '#888888', shape: tube, places: [[0, 0, 0]] }]));
    const flatten = (...rest: string[]) => run('flatten', join(folder, 'tube.step'), '--out', folder, '--k', '0.44', '--json', ...rest).stdout;
    const whole = JSON.parse(flatten()) as { error: { message: string; remedy: string } };
    expect(whole.error.remedy).toMatch(/Rip it there \(Rip: \d+\/\d+\)/);
    const asked = /Rip: (\d+@middle)/.exec(whole.error.remedy)![1];
    const report = JSON.parse(flatten('--rip', asked)) as { written: { file: string }[]; findings: { code: string }[] };
    expect(report.findings.map((f) => f.code)).toContain('ripped');
    const script = fileURLToPath(new URL('./readers/dxf.py', import.meta.url));
    const [read] = JSON.parse(execFileSync('/usr/bin/python3', [script, report.written[0].file], { encoding: 'utf8' })) as { min: number[]; max: number[] }[];
    const sizes = [0, 1].map((c) => read.max[c] - read.min[c]).sort((m, n) => m - n);
    expect(sizes).toEqual([100, 2 * (50 + 30) + 2 * Math.PI * (3 + K * T) - seamGap].map((v) => expect.closeTo(v, 6)));
  });
});

test('a rip leaves no contour open', () => {
  const tube = squareTube();
  const [x0] = faces(tube, 'plane', is(0, 0));
  const [y0] = faces(tube, 'plane', is(1, 0));
  const cuts = contoursOf(flat(tube, [between(x0, y0)]).drawing).filter((c) => c.meaning === 'cut' || c.meaning === 'hole');
  expect(cuts.map((c) => c.closed)).toEqual([true]);
});
