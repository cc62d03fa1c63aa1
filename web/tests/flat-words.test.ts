/** The sheet's table: what is drawn of a solid, what is shown over what, and what a machine takes a file for. */
import { describe, expect, test } from 'vitest';
import type { FlatReceived } from '../workers/flat.ts';
import { aligned } from '../flat-table/aligned.ts';
import { askedView, faceOf, fitTyped, pathOf, type Typed } from '../flat-table/draw.ts';
import { nearestLine, printsOf, type FlatPicture } from '../flat-table/FlatStage.ts';
import { mustFit, takenFor, typedNumber } from '../flat-table/panels/recipe.ts';

describe('drawing a solid', () => {
  const typed: Typed = { kind: 'view', view: 'left', edges: 'hidden', axis: 'x', height: '12,5', pitch: '3' };
  test('each kind asks for its own', () => {
    expect(askedView(typed)).toEqual({ kind: 'view', view: 'left', edges: 'hidden' });
    expect(askedView({ ...typed, kind: 'section' })).toEqual({ kind: 'section', height: 12.5, axis: 'x' });
    expect(askedView({ ...typed, kind: 'stack' })).toEqual({ kind: 'stack', pitch: 3 });
    expect(askedView({ ...typed, kind: 'face' })).toBe(null);
  });
  test.each([
    ['0.05', true],
    ['0.049', false],
    ['', false],
    ['thin', false],
  ])('a pitch of "%s" mm is asked for: %s', (pitch, asked) => {
    expect(askedView({ ...typed, kind: 'stack', pitch }) !== null).toBe(asked);
  });
  test('a section at no height is none; one below zero is', () => {
    expect(askedView({ ...typed, kind: 'section', height: ' ' })).toBe(null);
    expect(askedView({ ...typed, kind: 'section', height: '-4' })).toMatchObject({ height: -4 });
  });
  test('arcs are fitted above 0 and to 5 mm', () => {
    expect(['0', '0.001', '5', '5.01', ''].map(fitTyped)).toEqual([null, 0.001, 5, null, null]);
  });
  test('a triangle belongs to the last face that begins at it or before; a mesh has none', () => {
    const shape = (starts: number[]) => ({ starts: Uint32Array.from(starts) }) as Parameters<typeof faceOf>[0];
    expect([0, 1, 2, 6, 7, 11].map((t) => faceOf(shape([0, 2, 7, 12]), t))).toEqual([0, 0, 1, 1, 2, 2]);
    expect(faceOf(shape([]), 3)).toBe(-1);
  });
  test('lines become two paths at most, Y downwards', () => {
    const lines = { points: Float32Array.from([0, 0, 10, 0, 10, 5, 1, 1, 2, 2]), starts: [0, 3, 5], closed: [true, false], dashed: [false, true] };
    expect(pathOf(lines, false)).toBe('M0.000 0.000L10.000 0.000L10.000 -5.000Z');
    expect(pathOf(lines, true)).toBe('M1.000 -1.000L2.000 -2.000');
  });
});

describe('prints over each other', () => {
  const view = { box: [0, 0, 40, 20] } as FlatPicture['view'];
  const received = { points: new Float32Array() } as FlatPicture['received'];
  const proposed = { points: new Float32Array(), starts: [], closed: [] };
  const of = (change: Partial<FlatPicture>) => printsOf({ view, received, proposed: null, shown: 'both', split: 0.3, beneath: null, ...change });
  test('both, one, or beside each other by more than the width', () => {
    expect(of({})).toEqual({ designed: view, over: received, offset: 0, split: null });
    expect(of({ shown: 'designed' })).toMatchObject({ designed: view, over: null });
    expect(of({ shown: 'received' })).toMatchObject({ designed: null, over: received });
    expect(of({ shown: 'beside' }).offset).toBeGreaterThan(40);
    expect(of({ shown: 'beside', received: null }).offset).toBe(0);
  });
  test('split only where there is something on the right', () => {
    expect(of({ shown: 'split' }).split).toBe(0.3);
    expect(of({ shown: 'split', received: null }).split).toBe(null);
  });
  test('a proposal goes before what was received; over a picture it stands alone', () => {
    expect(of({ proposed })).toMatchObject({ designed: view, over: proposed });
    expect(of({ proposed, beneath: {} as FlatPicture['beneath'] }).designed).toBe(null);
    expect(of({ beneath: {} as FlatPicture['beneath'] }).designed).toBe(view);
  });
});

describe('what was received, where the drawing lies', () => {
  const received = { points: Float32Array.from([0, 0, 10, 5]), box: [0, 0, 10, 5], order: [{ start: [10, 5] }] } as unknown as FlatReceived;
  const view = { box: [100, -20, 110, -15] as [number, number, number, number] };
  test('a page has its own zero: it is moved with its cuts; a DXF is not, so that a shift is seen', () => {
    const moved = aligned(received, view, 'svg');
    expect([...moved.points]).toEqual([100, -20, 110, -15]);
    expect(moved).toMatchObject({ box: view.box, order: [{ start: [110, -15] }] });
    expect(aligned(received, view, 'dxf')).toBe(received);
    // What was received is not itself changed.
    expect([...received.points]).toEqual([0, 0, 10, 5]);
  });
});

describe('the nearest contour', () => {
  const points = Float32Array.from([0, 0, 10, 0, 10, 10, 50, 0, 60, 0]);
  const view = { points, lines: [{ number: 7, from: 0, to: 3, closed: true }, { number: 8, from: 3, to: 5, closed: false }] } as never; // prettier-ignore
  test('within reach, on the closing side too; not past an open end', () => {
    expect(nearestLine(view, [5, 0.4], 0.5)).toBe(7);
    expect(nearestLine(view, [5, -0.6], 0.5)).toBe(null);
    // The third side goes from (10, 10) back to (0, 0).
    expect(nearestLine(view, [5, 5.2], 0.5)).toBe(7);
    expect(nearestLine(view, [60.4, 0], 0.5)).toBe(8);
    expect(nearestLine(view, [60.6, 0], 0.5)).toBe(null);
  });
});

describe('what a machine takes numbers for', () => {
  const laser = { readsUnit: false, perInch: null, curves: true };
  test('a DXF in another unit than it takes; not where it reads the unit', () => {
    expect(takenFor({ format: 'dxf', unit: 'mm' }, 'in', laser)).toBe('in');
    expect(takenFor({ format: 'dxf', unit: 'in' }, 'in', laser)).toBe(null);
    expect(takenFor({ format: 'dxf', unit: 'mm' }, 'in', { ...laser, readsUnit: true })).toBe(null);
  });
  test('an SVG at another number of points an inch', () => {
    expect(takenFor({ format: 'svg', unit: '96dpi' }, 'mm', { ...laser, perInch: 72 })).toBe('72 per inch');
    expect(takenFor({ format: 'svg', unit: '72dpi' }, 'mm', { ...laser, perInch: 72 })).toBe(null);
    expect(takenFor({ format: 'svg', unit: 'mm' }, 'mm', laser)).toBe(null);
    expect(takenFor({ format: 'pdf', unit: 'mm' }, 'mm', { ...laser, perInch: 72 })).toBe(null);
  });
  test('curves go where the version or the machine has none', () => {
    expect(mustFit('dxf', 'R12', laser)).toBe(true);
    expect(mustFit('dxf', '2000', laser)).toBe(false);
    expect(mustFit('dxf', '2000', { curves: false })).toBe(true);
    expect(mustFit('svg', 'R12', { curves: false })).toBe(false);
  });
  test('numbers as people type them', () => {
    expect(['1,5', ' 2 ', '', '1e3', '1 000', 'Infinity', '-0.5'].map(typedNumber)).toEqual([1.5, 2, null, 1000, null, null, -0.5]);
  });
});
