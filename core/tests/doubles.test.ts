/**
 * What lies on something else is taken away once: what is left is as long as the union of what there was, by arithmetic of intervals, and nothing of it
 * lies on anything.
 */
import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { checkDrawing } from '../src/curves/check.ts';
import { withoutDoubles } from '../src/curves/doubles.ts';
import type { Contour, Drawing } from '../src/curves/drawing.ts';
import { lengthOfDrawing } from '../src/curves/mend.ts';
import type { Segment } from '../src/curves/segment.ts';
import { drawingOf, lines } from './drawing.data.ts';
import { some } from './some.ts';

const tolerance = 1e-4;
const turn = 2 * Math.PI;
const open = (...segments: Segment[]): Contour => ({ closed: false, segments }) as Contour;
const of = drawingOf;
const segmentsOf = (drawing: Drawing) => drawing.layers.flatMap((l) => l.contours.flatMap((c) => c.segments));
/** Nothing lies on anything. */
const single = (drawing: Drawing) => {
  const { doubles, overlaps } = checkDrawing(drawing, tolerance);
  return doubles.length + overlaps.length === 0;
};

/** Length of a union of intervals. */
function union(intervals: readonly (readonly [number, number])[]): number {
  let [sum, to] = [0, -Infinity];
  for (const [a, b] of [...intervals].sort((x, y) => x[0] - y[0])) {
    if (b > to) sum += b - Math.max(a, to);
    to = Math.max(to, b);
  }
  return sum;
}

// Whole steps, so that ends either meet or lie well apart.
const step = fc.integer({ min: 0, max: 12 });
const runs = some(500, 80);

describe('open pieces', () => {
  test('lines on one line, in either sense: the union is left', () => {
    fc.assert(
      fc.property(fc.array(fc.tuple(step, step, fc.boolean()), { minLength: 1, maxLength: 12 }), fc.double({ min: 0, max: 6, noNaN: true }), (list, angle) => {
        const way = ([a, b]: [number, number]): Segment => ({
          kind: 'line',
          a: [a * Math.cos(angle), a * Math.sin(angle)],
          b: [b * Math.cos(angle), b * Math.sin(angle)],
        });
        const spans = list.filter(([a, b]) => a !== b).map(([a, b, back]): [number, number] => (back ? [b, a] : [a, b]));
        const { drawing, dropped, length } = withoutDoubles(of(...spans.map((s) => open(way(s)))), tolerance);
        const wanted = union(spans.map(([a, b]) => [Math.min(a, b), Math.max(a, b)]));
        expect(lengthOfDrawing(drawing)).toBeCloseTo(wanted, 6);
        expect(single(drawing)).toBe(true);
        const before = spans.reduce((n, [a, b]) => n + Math.abs(b - a), 0);
        expect(length).toBeCloseTo(before - wanted, 6);
        expect(dropped).toBeLessThan(Math.max(1, spans.length));
      }),
      { numRuns: runs },
    );
  });

  test('arcs of one circle, in either sense: the union is left, also where one lies on both ends of another', () => {
    const radius = 7;
    const part = turn / 16;
    fc.assert(
      fc.property(
        fc.array(fc.tuple(fc.integer({ min: 0, max: 15 }), fc.integer({ min: 1, max: 15 }), fc.boolean()), { minLength: 1, maxLength: 6 }),
        (list) => {
          const arcs = list.map(([from, size, back]): Segment => ({ kind: 'arc', centre: [3, -2], radius, start: (back ? from + size : from) * part, sweep: (back ? -size : size) * part })); // prettier-ignore
          const { drawing } = withoutDoubles(of(...arcs.map((a) => open(a))), tolerance);
          const steps = new Set(list.flatMap(([from, size]) => Array.from({ length: size }, (_, k) => (from + k) % 16)));
          expect(lengthOfDrawing(drawing)).toBeCloseTo(steps.size * part * radius, 5);
          expect(single(drawing)).toBe(true);
        },
      ),
      { numRuns: runs },
    );
  });

  test('what comes later goes, a curve as a whole', () => {
    const bow: Segment = { kind: 'bezier', points: [[0, 0], [1, 3], [4, 3], [5, 0]] }; // prettier-ignore
    const back: Segment = { kind: 'bezier', points: [...bow.points].reverse() };
    const oval: Segment = { kind: 'ellipse', centre: [20, 0], u: [6, 0], ratio: 0.5, start: 0, sweep: 3 };
    const turned: Segment = { ...oval, start: 3, sweep: -3 };
    for (const [list, left] of [
      [[bow, bow], [bow]],
      [[bow, back], [bow]],
      [[oval, turned], [oval]],
      [[turned, oval], [turned]],
    ] as const) {
      const done = withoutDoubles(of(...list.map((s) => open(s))), tolerance);
      expect(segmentsOf(done.drawing)).toEqual(left);
      expect(done.dropped).toBe(1);
      expect(single(done.drawing)).toBe(true);
    }
  });

  test('of three on one place two went, told once each', () => {
    const line = lines([[0, 0], [10, 0]], false); // prettier-ignore
    expect(withoutDoubles(of(line, line, line), tolerance)).toMatchObject({ dropped: 2, length: 20 });
  });

  test('curves that lie on each other in part stay and are still found', () => {
    const oval = (start: number): Segment => ({ kind: 'ellipse', centre: [0, 0], u: [6, 0], ratio: 0.5, start, sweep: 2 });
    const done = withoutDoubles(of(open(oval(0)), open(oval(1))), tolerance);
    expect(segmentsOf(done.drawing)).toHaveLength(2);
    expect(done.dropped).toBe(0);
    expect(checkDrawing(done.drawing, tolerance).overlaps).toHaveLength(1);
  });

  test('a chain is parted where a piece of it goes, and keeps what it means', () => {
    const chain = { ...lines([[0, 0], [10, 0], [10, 10], [0, 10]], false), meaning: 'engrave' } as Contour; // prettier-ignore
    const done = withoutDoubles(of(lines([[10, -5], [10, 15]], false), chain), tolerance); // prettier-ignore
    const contours = done.drawing.layers[0].contours;
    expect(contours.map((c) => c.segments.length)).toEqual([1, 1, 1]);
    expect(contours.slice(1).map((c) => c.meaning)).toEqual(['engrave', 'engrave']);
    expect(done).toMatchObject({ dropped: 1, length: 10 });
  });
});

describe('closed contours', () => {
  const square = (x: number, y: number, size = 10) => lines([[x, y], [x + size, y], [x + size, y + size], [x, y + size]], true); // prettier-ignore

  test('of copies the first stays, however many there are', () => {
    for (const copies of [1, 2, 5]) {
      const done = withoutDoubles(of(...Array.from({ length: copies }, () => square(0, 0))), tolerance);
      expect(done.drawing.layers[0].contours).toEqual([square(0, 0)]);
      expect(done).toMatchObject({ dropped: 4 * (copies - 1), shared: 0, length: 40 * (copies - 1) });
    }
  });

  test('neighbours keep the edge that they share; it is told', () => {
    const neighbours = of(square(0, 0), square(10, 0));
    expect(withoutDoubles(neighbours, tolerance)).toEqual({ drawing: neighbours, dropped: 0, shared: 1, length: 0 });
  });

  test('one whose edges lie on those of several others is no copy of any', () => {
    const field = Array.from({ length: 9 }, (_, i) => square((i % 3) * 10, Math.floor(i / 3) * 10));
    expect(withoutDoubles(of(...field), tolerance)).toMatchObject({ drawing: of(...field), dropped: 0, shared: 12 });
    const around = lines([[0, 0], [20, 0], [20, 10], [0, 10]], true); // prettier-ignore
    for (const list of [
      [square(0, 0), square(10, 0), around],
      [around, square(0, 0), square(10, 0)],
    ])
      expect(withoutDoubles(of(...list), tolerance).drawing).toEqual(of(...list));
  });

  test('a copy with more corners on its edges is one too, and goes whichever comes first', () => {
    const more = lines([[0, 0], [5, 0], [10, 0], [10, 10], [4, 10], [0, 10]], true); // prettier-ignore
    for (const list of [
      [more, square(0, 0)],
      [square(0, 0), more],
    ])
      expect(withoutDoubles(of(...list), tolerance).drawing).toEqual(of(square(0, 0)));
  });

  test('an open piece on a closed one goes, whichever comes first', () => {
    const piece = lines([[2, 0], [8, 0]], false); // prettier-ignore
    for (const list of [
      [piece, square(0, 0)],
      [square(0, 0), piece],
    ]) {
      const done = withoutDoubles(of(...list), tolerance);
      expect(done.drawing.layers[0].contours).toEqual([square(0, 0)]);
      expect(done).toMatchObject({ dropped: 1, length: 6 });
    }
  });

  test('a drawing that is there twice comes to be there once', () => {
    const all = Array.from({ length: 400 }, (_, i) => square((i % 20) * 15, Math.floor(i / 20) * 15));
    const done = withoutDoubles(of(...all, ...all), tolerance);
    expect(done.drawing.layers[0].contours).toEqual(all);
  });
});

test('pieces just within the tolerance lie on each other, just outside they do not', () => {
  const off = (y: number) => withoutDoubles(of(lines([[0, 0], [10, 0]], false), lines([[0, y], [10, y]], false)), tolerance).dropped; // prettier-ignore
  expect(off(tolerance * 0.99)).toBe(1);
  expect(off(tolerance * 1.01)).toBe(0);
});
