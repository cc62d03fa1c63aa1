/** The router that carves in the mind: what it leaves of the sheet, how long it takes, and what it can't do; just inside and just outside of each limit. */
import { beforeAll, describe, expect, test } from 'vitest';
import { contourOf, type Contour, type Drawing } from '../src/curves/drawing.ts';
import type { Meaning } from '../src/curves/drawing.ts';
import { firstDrawingRecipe } from '../src/model/drawing-recipe.ts';
import { meantContours } from '../src/drawing/meaning.ts';
import type { Engine } from '../src/engine/engine.ts';
import { nodeEngine } from '../src/engine/load.ts';
import { carve, type CarveChoice } from '../src/processes/carve.ts';
import { readyReceivers } from '../src/receivers/ready.ts';
import { receiverIn } from '../src/receivers/receivers.ts';
import { round } from './drawing.data.ts';

type P2 = [number, number];
let engine: Engine;
beforeAll(async () => {
  engine = await nodeEngine();
});
const way = (points: P2[], closed: boolean): Contour =>
  contourOf(
    points.slice(closed ? 0 : 1).map((b, i) => ({ kind: 'line' as const, a: points[closed ? (i + points.length - 1) % points.length : i], b })),
    closed,
  );
const box = (x: number, y: number, w: number, h: number) => way([[x, y], [x + w, y], [x + w, y + h], [x, y + h]], true); // prettier-ignore
const drawing = (contours: Contour[]): Drawing => ({ layers: [{ name: 'work', colour: null, lineType: '', contours }], texts: [], points: [] });
const cutter = receiverIn(readyReceivers, 'martin').cutter!;
const usual: CarveChoice = { stock: { width: 100, height: 80, thickness: 10 }, bit: 6, side: 'on', below: 0.2, pocketDepth: 4, engraveDepth: 2 };
const carved = (contours: Contour[], meanings: Meaning[], change: Partial<CarveChoice> = {}, tool = cutter) => {
  const byContour = Object.fromEntries(meanings.map((m, i) => [String(i), m]));
  return carve(engine, meantContours(drawing(contours), { ...firstDrawingRecipe(), byContour }), tool, { ...usual, ...change });
};
const codes = (...args: Parameters<typeof carved>) => carved(...args).findings.map((f) => f.code);

describe('what it leaves', () => {
  test('a slot along a line: bit times length and the round ends, through the sheet and no deeper than it', () => {
    const { removed, deepest } = carved([way([[20, 40], [80, 40]], false)], ['cut']); // prettier-ignore
    expect(removed / ((60 * 6 + 9 * Math.PI) * 10)).toBeCloseTo(1, 2);
    // What goes into the bed takes nothing of the sheet.
    expect(deepest).toBeCloseTo(10.2, 5);
  });
  test('a depth that a contour says itself counts, where it is a pocket or a line; a cut goes through', () => {
    const own = (c: Contour, depth: number): Contour => ({ ...c, depth });
    expect(carved([own(box(20, 20, 30, 30), 7)], ['pocket']).deepest).toBeCloseTo(7, 6);
    expect(carved([own(way([[20, 20], [60, 20]], false), 3)], ['engrave']).deepest).toBeGreaterThan(2.5); // prettier-ignore
    expect(carved([own(box(20, 20, 30, 30), 3)], ['cut']).deepest).toBeCloseTo(10.2, 5);
    // None, or nothing sensible, is as usual.
    expect(carved([own(box(20, 20, 30, 30), 0)], ['pocket']).deepest).toBeCloseTo(4, 6);
    expect(carved([own(box(20, 20, 30, 30), -1)], ['pocket']).deepest).toBeCloseTo(4, 6);
  });
  test('what is no work is left alone: the sheet itself, labels, lines to bend at', () => {
    for (const meaning of ['stock', 'label', 'bend'] as const) expect([meaning, carved([box(10, 10, 40, 40)], [meaning]).removed]).toEqual([meaning, 0]);
  });
  test('a pocket in a pocket is not dug twice: the deeper one decides', () => {
    const one = carved([box(20, 20, 40, 40)], ['pocket']).removed;
    const two = carved([box(20, 20, 40, 40), { ...box(20, 20, 40, 40), depth: 2 }], ['pocket', 'pocket']).removed;
    expect(two).toBeCloseTo(one, 6);
  });
  test('only where something is cut is looked at: the field begins three bits beside it, within the sheet', () => {
    const { x, y, columns, rows, cell } = carved([box(50, 40, 10, 10)], ['cut']);
    expect([x, y]).toEqual([32, 22]);
    expect([x + columns * cell, y + rows * cell]).toEqual([expect.closeTo(78, 6), expect.closeTo(68, 6)]);
    expect(carved([box(5, 5, 90, 70)], ['cut'])).toMatchObject({ x: 0, y: 0 });
  });
});

describe('how long it takes', () => {
  test('passes by the depth of one, and none more: a cut of 10.2 mm by 5 mm takes three, one of 10 mm two', () => {
    const five = { ...cutter, pass: 5 };
    expect(carved([box(20, 20, 30, 30)], ['cut'], {}, five).passes).toBe(3);
    expect(carved([box(20, 20, 30, 30)], ['cut'], { below: 0 }, five).passes).toBe(2);
    expect(carved([box(20, 20, 30, 30)], ['cut'], {}, { ...cutter, pass: 0 }).passes).toBe(1);
    // A line is engraved at once, however deep.
    expect(carved([way([[20, 20], [60, 20]], false)], ['engrave'], { engraveDepth: 9 }, five).passes).toBe(1); // prettier-ignore
  });
  test('length over feed, and a plunge for each pass', () => {
    const tool = { ...cutter, pass: 5, feed: 1200, pierce: 2 };
    const { length, time, passes } = carved([box(20, 20, 30, 30)], ['cut'], {}, tool);
    expect(length).toBeCloseTo(3 * 120, 9);
    expect(time).toBeCloseTo((360 / 1200) * 60 + 2 * passes, 9);
  });
  test('a pocket is as long as its area by half a bit, as often as it takes passes (common practice, no source)', () => {
    const { length } = carved([box(20, 20, 40, 40)], ['pocket'], {}, { ...cutter, pass: 2 });
    const swept = 1600 - (4 - Math.PI) * 9;
    expect(length / ((swept / 3) * 2)).toBeCloseTo(1, 3);
  });
});

describe('what can not be', () => {
  test.each([
    [9.99, false],
    [10, true],
    [12, true],
  ])('a pocket of %f mm in a sheet of 10: told as through: %s', (pocketDepth, told) => {
    expect(codes([box(20, 20, 30, 30)], ['pocket'], { pocketDepth }).includes('pocket-through')).toBe(told);
  });
  test.each([
    [6.02, false],
    [5.98, true],
  ])('a pocket %f mm wide for a bit of 6: too narrow: %s', (width, told) => {
    expect(codes([box(20, 20, width, 30)], ['pocket']).includes('pocket-too-narrow')).toBe(told);
  });
  test.each([
    [6.02, false],
    [5.98, true],
  ])('a hole of %f mm for a bit of 6, cut on its waste side: too small: %s', (d, told) => {
    const outer = box(0, 0, 100, 80);
    expect(codes([outer, round(50, 40, d)], ['cut', 'hole'], { side: 'waste' }).includes('hole-too-small')).toBe(told);
  });
  test('on the line a hole of any size is followed', () => {
    expect(codes([box(0, 0, 100, 80), round(50, 40, 3)], ['cut', 'hole'])).toEqual([]);
  });
  test.each([
    [1, false],
    [1.01, true],
  ])('%f mm below the sheet: told: %s', (below, told) => {
    expect(codes([box(20, 20, 30, 30)], ['cut'], { below }).includes('into-the-bed')).toBe(told);
  });
  test('beyond the sheet on any side, by more than a rounding; how many contours are', () => {
    const at = (x: number, y: number) => codes([box(x, y, 30, 30)], ['cut']).includes('off-the-stock');
    expect([at(0, 0), at(70, 50), at(-1e-7, 0), at(0, 50 + 1e-7)]).toEqual([false, false, false, false]);
    expect([at(-1e-5, 0), at(0, -1e-5), at(70 + 1e-5, 0), at(0, 50 + 1e-5)]).toEqual([true, true, true, true]);
    const two = carved([box(-5, 0, 20, 20), box(90, 0, 20, 20), box(40, 40, 10, 10)], ['cut', 'cut', 'cut']).findings.find((f) => f.code === 'off-the-stock')!;
    expect(two).toMatchObject({ count: 2, message: expect.stringContaining('2 contours reach beyond the sheet of 100 × 80 mm') });
  });
});
