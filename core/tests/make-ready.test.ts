import { beforeAll, describe, expect, test } from 'vitest';
import { clashes, layOut, polygonArea, smallestBoxTurn, tooNear, turnedOutline, type BedSize, type LayItem } from '../src/beds/layout.ts';
import { readStl } from '../src/formats/stl/read.ts';
import { measureMesh, type Mesh } from '../src/geometry/mesh.ts';
import { turned } from '../src/geometry/placement.ts';
import { together } from '../src/geometry/shells.ts';
import { combine } from '../src/mesh/join/booleans.ts';
import type { Engine } from '../src/engine/engine.ts';
import { nodeEngine } from '../src/engine/load.ts';
import { toolMesh } from '../src/mesh/join/tools.ts';
import { assumptions, layerPaths, printedTogether, printReport, usualPrint, type PrintChoice } from '../src/processes/print.ts';
import { perimeterOf, sliceMesh } from '../src/mesh/sections.ts';
import { hull2 } from '../src/geometry/hull.ts';
import { downOf, stanceCandidates } from '../src/stance/candidates.ts';
import { droopingRounds, leastDroop, overhangAngles, supportVolume } from '../src/stance/overhang.ts';
import { boxMesh, dataFile, prismMesh } from './data.ts';
import { ballMesh, dice, movedMesh } from './data.more.ts';

let engine: Engine;
beforeAll(async () => {
  engine = await nodeEngine();
});
const helix = () => readStl(dataFile('Helix.stl')).blocks[0].mesh;
const print: PrintChoice = { layer: 0.2, bead: 0.4, walls: 2, infill: 0.2, overhang: 45, support: true };

describe('stance candidates', () => {
  test('a flat plate lies down; an L lies on its side or its back rather than hanging its arm out', async () => {
    const plate = (await stanceCandidates(boxMesh(50, 40, 5), 45, engine))!;
    expect(['−Z side', '+Z side']).toContain(plate[0].side);
    expect(plate[0]).toMatchObject({ overhang: 0, support: 0 });
    expect(plate[0].contact).toBeCloseTo(2000, 6);
    expect(plate[0].height).toBeCloseTo(5, 6);
    expect(plate).toHaveLength(6);
    const post = boxMesh(10, 20, 60);
    const arm = movedMesh(boxMesh(40, 20, 10), [10, 0, 50]);
    const ell = combine(engine, 'join', [post, movedMesh(arm, [-1, 0, 0])]).mesh;
    const ranked = (await stanceCandidates(ell, 45, engine))!;
    expect(ranked[0].support).toBe(0);
    const standing = ranked.find((s) => s.side === '−Z side');
    // Standing as modelled, the arm of 39 x 20 hangs 50 above the bed; the foot of 10 x 20 does not hold it: the weight falls outside.
    expect(standing).toBeUndefined();
    const hung = supportVolume(ell, 45);
    expect(hung).toBeCloseTo(39 * 20 * 50, -2);
  });
  test('the face set down points down, and equal stances cost the same whatever way the part came', async () => {
    const [best] = (await stanceCandidates(boxMesh(30, 8, 20), 45, engine))!;
    expect(turned(best.turn, downOf(best.turn)).map((v) => Math.round(v * 1e9) / 1e9)).toEqual([0, 0, -1]);
    const other = (await stanceCandidates(boxMesh(20, 30, 8), 45, engine))!;
    expect(other[0].cost).toBeCloseTo(best.cost, 9);
    expect(await stanceCandidates(boxMesh(1, 1, 1), 45, engine, { most: 8, progress: () => true })).toBeNull();
  });
  test('support below a table: the volume of the air under its top', () => {
    const table = together([boxMesh(4, 4, 20), movedMesh(boxMesh(40, 40, 2), [-18, -18, 20])]);
    expect(supportVolume(table, 45) / ((40 * 40 - 16) * 20)).toBeCloseTo(1, 1);
  });
  test('a round below droops where a chamfer does not (common practice)', () => {
    // A quarter round that starts upright and ends flat, against a 45 degree chamfer.
    const profile = (round: boolean): Mesh => {
      const points: [number, number][] = [[0, 10], [10, 10]]; // prettier-ignore
      for (let i = 0; i <= 16; i++) {
        const a = (i * Math.PI) / 32;
        points.push(round ? [10 - 8 + 8 * Math.cos(a), 8 - 8 * Math.sin(a) + 0] : [10 - i / 2, 8 - i / 2]);
      }
      points.push([0, 0]);
      const n = points.length;
      const positions = Float64Array.from([0, 20].flatMap((y) => points.flatMap(([x, z]) => [x, y, z])));
      const t: number[] = [];
      for (let i = 0; i < n; i++) t.push(i, n + i, n + ((i + 1) % n), i, n + ((i + 1) % n), (i + 1) % n);
      for (let i = 1; i + 1 < n; i++) t.push(0, i, i + 1, n, n + i + 1, n + i);
      const made = { positions, triangles: Uint32Array.from(t) };
      return measureMesh(made).volume > 0 ? made : movedMesh(made, [0, 0, 0], true);
    };
    const [round] = droopingRounds(profile(true), 45);
    expect(round.steepest).toBeGreaterThan(80);
    expect(round.chamfer).toBe(45);
    expect(droopingRounds(profile(false), 45)).toEqual([]);
    expect(Math.max(...overhangAngles(profile(false)).filter((a) => !Number.isNaN(a)))).toBeCloseTo(45, 4);
  });
  test('a round that runs about a plate with sharp corners is one, whatever the turn at the corners; two plates have two', () => {
    // Squares one above the other: upright above, curving in below as a quarter round does up to 70 degrees. At the corners facets turn by 28 degrees and more.
    const steps = 14;
    const levels = Array.from({ length: steps + 1 }, (_, i) => {
      const a = (i * 5 * Math.PI) / 180;
      return { half: 20 - 8 * (1 - Math.cos(a)), z: 8 - 8 * Math.sin(a) };
    }).reverse();
    levels.push({ half: 20, z: 12 });
    const corners = levels.flatMap(({ half: h, z }) => [[-h, -h, z], [h, -h, z], [h, h, z], [-h, h, z]]); // prettier-ignore
    const t: number[] = [0, 2, 1, 0, 3, 2];
    for (let l = 0; l + 1 < levels.length; l++)
      for (let k = 0; k < 4; k++) {
        const [a, b] = [l * 4 + k, l * 4 + ((k + 1) % 4)];
        t.push(a, b, b + 4, a, b + 4, a + 4);
      }
    const top = (levels.length - 1) * 4;
    t.push(top, top + 1, top + 2, top, top + 2, top + 3);
    const plate: Mesh = { positions: Float64Array.from(corners.flat()), triangles: Uint32Array.from(t) };
    expect(measureMesh(plate).volume).toBeGreaterThan(0);
    const [round, ...others] = droopingRounds(plate, 45);
    expect(others).toEqual([]);
    expect(round.triangles).toHaveLength(4 * 2 * 5);
    expect(round.steepest).toBeCloseTo(67.5, 6);
    expect(droopingRounds(together([plate, movedMesh(plate, [100, 0, 0])]), 45)).toHaveLength(2);
    // Made smaller: what droops is just enough to be told, and just not.
    const small = (area: number): Mesh => ({ ...plate, positions: plate.positions.map((v) => v * Math.sqrt(area / round.area)) });
    expect(droopingRounds(small(leastDroop * 1.01), 45)).toHaveLength(1);
    expect(droopingRounds(small(leastDroop * 0.99), 45)).toHaveLength(0);
  });
});

describe('beds', () => {
  const bed: BedSize = { width: 100, length: 80, height: 60, spacing: 4, margin: 5 };
  const rect = (id: string, w: number, h: number, copies = 1, height = 10): LayItem => ({ id, name: id, copies, height, outline: [[0, 0], [w, 0], [w, h], [0, h]] }); // prettier-ignore
  test('corner to corner counts as far as it is: octagons with corners towards each other', () => {
    // Corners at 0 and 180 degrees: the gap between two such circles 24 apart is 24 - 2 x 10, though no side keeps them more than 4 cos 22.5 apart.
    const octagon = (x: number, y: number) =>
      Array.from({ length: 8 }, (_, i): [number, number] => [x + 10 * Math.cos((i * Math.PI) / 4), y + 10 * Math.sin((i * Math.PI) / 4)]);
    expect([3.9, 3.999, 4.001, 4.1].map((spacing) => tooNear(octagon(0, 0), octagon(24, 0), spacing))).toEqual([false, false, true, true]);
    expect(tooNear(octagon(0, 0), octagon(24, 0), 4)).toBe(false);
    // Across, corner to corner the same way.
    const along = 24 / Math.SQRT2;
    expect([3.999, 4.001].map((spacing) => tooNear(octagon(0, 0), octagon(along, along), spacing))).toEqual([false, true]);
    // One over the other, and one within the other.
    expect(tooNear(octagon(0, 0), octagon(15, 0), 0)).toBe(true);
    expect(
      tooNear(
        octagon(0, 0),
        octagon(0, 0).map(([x, y]): [number, number] => [x / 4, y / 4]),
        0,
      ),
    ).toBe(true);
  });
  test('as few beds as the area allows, nothing clashes, nothing off the bed', () => {
    // Sixteen of 18.5 x 13.5 and their spacing fill 90 x 70 exactly four by four (22.5 x 17.5 each, less the last spacing).
    const items = [rect('a', 18.5, 13.5, 16)];
    const laid = layOut(items, bed);
    expect(laid.beds).toBe(1);
    expect(clashes(items, laid.laid, bed)).toEqual({ pairs: [], off: [] });
    expect(layOut([rect('a', 18.5, 13.5, 17)], bed).beds).toBe(2);
    const random = dice(3);
    const many = Array.from({ length: 40 }, (_, i) => rect(`r${i}`, 5 + random(40), 5 + random(35), 1 + random(3)));
    const all = layOut(many, bed);
    expect(all.laid).toHaveLength(many.reduce((n, i) => n + i.copies, 0));
    expect(clashes(many, all.laid, bed)).toEqual({ pairs: [], off: [] });
    const area = many.reduce((n, i) => n + i.copies * Math.abs(polygonArea(i.outline)), 0);
    expect(all.beds).toBeLessThanOrEqual(Math.ceil((area / (90 * 70)) * 1.6));
  });
  test('a slanted bar is turned to its smallest box; a part that fits no bed says by how much', () => {
    const slanted: LayItem = { ...rect('bar', 85, 10), outline: turnedOutline(rect('bar', 85, 10).outline, 33) };
    expect(Math.abs(smallestBoxTurn(slanted.outline))).toBeCloseTo(33, 6);
    expect(layOut([slanted], bed).misfits).toEqual([]);
    expect(layOut([rect('long', 95, 10)], bed).misfits).toMatchObject([{ over: 5, along: 'width' }]);
    expect(layOut([rect('tall', 10, 10, 1, 75)], bed).misfits).toMatchObject([{ over: 15, along: 'height' }]);
    expect(layOut([], bed)).toMatchObject({ beds: 0, laid: [] });
  });
  test('moved by hand: overlap, too near and off the bed are found', () => {
    const items = [rect('a', 20, 20), rect('b', 20, 20)];
    const at = (x: number, y: number, id: string, turn = 0) => ({ id, copy: 0, bed: 0, turn, x, y });
    expect(clashes(items, [at(10, 10, 'a'), at(34, 10, 'b')], bed)).toEqual({ pairs: [], off: [] });
    expect(clashes(items, [at(10, 10, 'a'), at(33, 10, 'b')], bed).pairs).toEqual([[0, 1]]);
    expect(clashes(items, [at(2, 10, 'a')], bed).off).toEqual([0]);
    const square = hull2(rect('s', 10, 10).outline);
    const diamond = turnedOutline(square, 45).map(([x, y]) => [x + 17, y] as [number, number]);
    // A diamond whose corner is 10 - (17 - 7.07) = 0.07 inside.
    expect(tooNear(square, diamond, 0)).toBe(true);
  });
});

describe('slicing', () => {
  test('area times layer height is the volume within 1 % (and within 0.1 % for a fine layer)', () => {
    for (const [mesh, height, within] of [
      [helix(), 0.2, 0.01],
      [ballMesh(20, 80, 60), 0.2, 0.01],
      [prismMesh(60, 10, 33.3), 0.1, 0.001],
    ] as const) {
      // prettier-ignore
      const sum = sliceMesh(mesh, height)!.reduce((s, l) => s + l.area * height, 0);
      expect(Math.abs(sum / measureMesh(mesh).volume - 1)).toBeLessThan(within);
    }
  });
  test('contours of a box with a hole: two that close, holes clockwise, perimeter and area exact', () => {
    const hole = toolMesh(engine, { kind: 'box', at: [10, 10, 5], normal: [0, 0, 1], width: 6, length: 8, depth: 5, turn: 0 });
    const frame = combine(engine, 'subtract', [boxMesh(20, 20, 5), hole]).mesh;
    const layers = sliceMesh(frame, 0.25)!;
    expect(layers).toHaveLength(20);
    for (const layer of layers) {
      expect(Array.from(layer.closed)).toEqual([1, 1]);
      expect(layer.area).toBeCloseTo(400 - 48, 6);
      expect(perimeterOf(layer)).toBeCloseTo(80 + 28, 6);
    }
  });
  test('an open mesh gives open contours, a vertex on the plane does not break one, and it can be given up', () => {
    const open = boxMesh(10, 10, 10);
    open.triangles = open.triangles.slice(0, -6);
    const layers = sliceMesh(open, 1)!;
    expect(layers.every((l) => l.closed.some((c) => c === 0))).toBe(true);
    // Planes at 0.5, 1.5 ...: every ring of this ball's vertices lies exactly on one of them.
    const rings = ballMesh(10, 12, 8);
    for (let v = 2; v < rings.positions.length; v += 3) rings.positions[v] = Math.round(rings.positions[v] * 2) / 2;
    expect(sliceMesh(rings, 0.5)!.every((l) => Array.from(l.closed).every(Boolean))).toBe(true);
    expect(sliceMesh(helix(), 0.2, () => true)).toBeNull();
  });
  test('a wall of 1 mm is laid as two beads of 0.4 or one of 0.8; one of 0.3 stays unfilled', () => {
    const wall = boxMesh(40, 1, 6);
    const beads = (bead: number, mesh = wall) => printReport(engine, mesh, { ...print, bead })!.report;
    expect(beads(0.4)).toMatchObject({ leastBeads: 2, mostBeads: 2, thinLayers: 0 });
    expect(beads(0.8)).toMatchObject({ leastBeads: 1, mostBeads: 1, thinLayers: 0 });
    const thin = beads(0.4, boxMesh(40, 0.3, 6));
    expect(thin).toMatchObject({ leastBeads: 0, thinLayers: 30 });
    expect(thin.findings.map((f) => [f.code, f.severity])).toEqual([['thin-walls', 'stop']]);
  });
  test('what a careful person sees: islands, hanging, several bodies, open layers; support under an arm', () => {
    const codes = (mesh: Mesh) => printReport(engine, mesh, print)!.report.findings.map((f) => f.code);
    expect(codes(boxMesh(10, 10, 10))).toEqual([]);
    const floating = together([boxMesh(10, 10, 10), movedMesh(boxMesh(5, 5, 5), [20, 0, 4])]);
    expect(codes(floating)).toEqual(['islands', 'hanging', 'several-bodies']);
    const open = boxMesh(10, 10, 10);
    open.triangles = open.triangles.slice(0, -6);
    expect(codes(open)).toContain('open-layers');
    const arm = combine(engine, 'join', [boxMesh(10, 10, 20), movedMesh(boxMesh(30, 10, 5), [0, 0, 15])]).mesh;
    const { report } = printReport(engine, arm, print)!;
    expect(report.islands).toEqual([]);
    expect(report.supportVolume / (20 * 10 * 15)).toBeCloseTo(1, 1);
  });
  test('parts side by side take what they take sliced as one mesh; a layer that several have is gone up to once', () => {
    const choice = usualPrint({ layer: 0.2, bead: 0.4, overhang: 45 });
    const [low, high] = [boxMesh(20, 20, 10), boxMesh(12, 8, 30)];
    const of = (mesh: Mesh) => printReport(engine, mesh, choice)!.report;
    const whole = of(together([low, movedMesh(low, [40, 0, 0]), movedMesh(high, [80, 0, 0])]));
    const summed = printedTogether([
      { report: of(low), copies: 2 },
      { report: of(high), copies: 1 },
    ]);
    // Which layers of the lower ones are solid differs a little where a higher one goes on.
    expect(Math.abs(summed.minutes / whole.minutes - 1)).toBeLessThan(0.02);
    expect(Math.abs(summed.grams / whole.filamentMass - 1)).toBeLessThan(0.02);
    const [two, both] = [printedTogether([{ report: of(low), copies: 2 }]), of(together([low, movedMesh(low, [40, 0, 0])]))];
    expect(two.minutes).toBeCloseTo(both.minutes, 6);
    expect(two.grams).toBeCloseTo(both.filamentMass, 6);
    expect(summed.minutes).toBeLessThan(2 * of(low).minutes + of(high).minutes - (49 * 2 * assumptions.change) / 60);
    expect(printedTogether([])).toEqual({ minutes: 0, grams: 0 });
  });
  test('filament: a solid block takes its volume over 2.405 mm2, weighing 1.24 g/cm3', () => {
    const { report } = printReport(engine, boxMesh(20, 20, 10), { ...print, infill: 1 })!;
    expect(report.filamentLength).toBeCloseTo(4000 / (Math.PI * 0.875 ** 2), -1);
    expect(report.filamentMass).toBeCloseTo(4 * 1.24, 1);
    const light = printReport(engine, boxMesh(20, 20, 10), print)!.report;
    expect(light.filamentMass).toBeLessThan(report.filamentMass);
    expect(light.minutes).toBeGreaterThan(0);
  });
  test('paths: outer wall half a bead inside the contour, infill lines at the pitch, turned from layer to layer', () => {
    const layers = sliceMesh(boxMesh(20, 20, 1), 0.2)!;
    const paths = [0, 1].map((i) => layerPaths(engine, layers[i], i, print));
    const xs = Array.from(paths[0].walls[0]).filter((_, i) => i % 2 === 0);
    expect([Math.min(...xs), Math.max(...xs)].map((v) => Math.round(v * 1e4) / 1e4)).toEqual([0.2, 19.8]);
    expect(paths[0].walls).toHaveLength(2);
    const angle = (p: Float32Array) => Math.round((Math.atan2(p[3] - p[1], p[2] - p[0]) * 180) / Math.PI + 180) % 180;
    expect(Math.abs(angle(paths[0].infill) - angle(paths[1].infill))).toBe(90);
    // Length of all lines times the pitch is the area inside the walls.
    let length = 0;
    for (let i = 0; i < paths[0].infill.length; i += 4)
      length += Math.hypot(paths[0].infill[i] - paths[0].infill[i + 2], paths[0].infill[i + 1] - paths[0].infill[i + 3]);
    expect((length * (0.4 / 0.2)) / 18.4 ** 2).toBeCloseTo(1, 1);
  });
});
