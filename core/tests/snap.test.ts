/** Contours followed on facets, put back onto the exact lines and circles that they came from: corners by formula. */
import { describe, expect, test } from 'vitest';
import { areaOfContour, contourOf, type Contour } from '../src/curves/drawing.ts';
import { circle, endOf, fromBulge, startOf, type ArcSegment, type P2, type Segment } from '../src/curves/segment.ts';
import { snappedTo } from '../src/curves/snap.ts';
import { lines } from './drawing.data.ts';
import { random } from './tube.data.ts';

const line = (a: P2, b: P2): Segment => ({ kind: 'line', a, b });
const arc = (centre: P2, radius: number, start: number, sweep: number): ArcSegment => ({ kind: 'arc', centre, radius, start, sweep });
/** The same pieces, each end off by up to so much, still joined. */
function shaken(c: Contour, by: number, seed: number): Contour {
  const dice = random(seed);
  const off = (): number => (dice() * 2 - 1) * by;
  const ends = c.segments.map((s): P2 => [endOf(s)[0] + off(), endOf(s)[1] + off()]);
  const n = ends.length;
  const segments = c.segments.map((s, i): Segment => {
    const [a, b] = [ends[(i + n - 1) % n], ends[i]];
    if (s.kind !== 'arc') return line(a, b);
    // As much bulged as it was, and a little: by what shifts its middle by so much.
    const half = Math.hypot(b[0] - a[0], b[1] - a[1]) / 2;
    return fromBulge(a, b, Math.tan(s.sweep / 4) + off() / half);
  });
  return { ...c, segments };
}
const joined = (c: Contour) => c.segments.every((s, i) => Math.hypot(endOf(s)[0] - startOf(c.segments[(i + 1) % c.segments.length])[0], endOf(s)[1] - startOf(c.segments[(i + 1) % c.segments.length])[1]) < 1e-9); // prettier-ignore

/** A disc of radius 10 cut off by the line x = 6; a lens of two circles; a slot; all counter-clockwise. */
const up = Math.acos(0.6);
const shapes: [string, Contour, number][] = [
  ['a rectangle', lines([[0, 0], [40, 0], [40, 25], [0, 25]]), 1000], // prettier-ignore
  ['a disc cut off by a line, the large part', contourOf([arc([0, 0], 10, up, 2 * Math.PI - 2 * up), line([6, -8], [6, 8])], true), 100 * (Math.PI - up) + 48],
  ['the small part', contourOf([arc([0, 0], 10, -up, 2 * up), line([6, 8], [6, -8])], true), 100 * up - 48],
  // Circles of 10 about (0, 0) and of 10 about (12, 0) meet at (6, ±8).
  ['a lens of two circles', contourOf([arc([0, 0], 10, -up, 2 * up), arc([12, 0], 10, Math.PI - up, 2 * up)], true), 2 * (100 * up - 48)],
  ['a slot, whose lines touch its rounds', contourOf([line([0, -5], [30, -5]), arc([30, 0], 5, -Math.PI / 2, Math.PI), line([30, 5], [0, 5]), arc([0, 0], 5, Math.PI / 2, Math.PI)], true), 300 + 25 * Math.PI],
]; // prettier-ignore

describe.each(shapes)('%s', (_, exact, area) => {
  test('is what it says', () => expect(areaOfContour(exact)).toBeCloseTo(area, 9));
  test.each([0, 0.001, 0.004])('followed within %d mm it becomes exactly that again, joined, either way round', (by) => {
    for (let seed = 1; seed <= 10; seed++) {
      const { contour: found, rough } = snappedTo(shaken(exact, by, seed), exact.segments, 0.05);
      expect(rough).toBeNull();
      expect(found.segments.map((s) => s.kind)).toEqual(exact.segments.map((s) => s.kind));
      expect(joined(found)).toBe(true);
      // Where a line touches a round, its end is as exact as a square root lets it be.
      expect(Math.abs(areaOfContour(found) / area - 1)).toBeLessThan(1e-4);
      for (const s of found.segments) if (s.kind === 'arc') expect(exact.segments).toContainEqual(expect.objectContaining({ kind: 'arc', centre: s.centre, radius: s.radius })); // prettier-ignore
      const turned = {
        ...exact,
        segments: [...exact.segments]
          .reverse()
          .map((s): Segment => (s.kind === 'arc' ? arc(s.centre, s.radius, s.start + s.sweep, -s.sweep) : line(endOf(s), startOf(s)))),
      };
      expect(areaOfContour(snappedTo(shaken(turned, by, seed), exact.segments, 0.05).contour) / -area).toBeCloseTo(1, 3);
    }
  });
});

describe('what fits nothing', () => {
  const square = lines([[0, 0], [40, 0], [40, 25], [0, 25]]); // prettier-ignore
  const sides = square.segments;
  test('a side just within the tolerance is put back, one just beyond stays', () => {
    const off = (by: number) => lines([[0, by], [40, by], [40, 25], [0, 25]]); // prettier-ignore
    expect(areaOfContour(snappedTo(off(0.049), sides, 0.05).contour)).toBeCloseTo(1000, 9);
    expect(areaOfContour(snappedTo(off(0.051), sides, 0.05).contour)).toBeCloseTo(40 * (25 - 0.051), 9);
  });
  test('a circle takes the centre and radius of the exact one; a line is no circle', () => {
    const ring = contourOf([circle([0.01, -0.01], 10.02)], true);
    expect(snappedTo(ring, [circle([0, 0], 10), ...sides], 0.05).contour.segments[0]).toMatchObject({ kind: 'arc', centre: [0, 0], radius: 10 });
    expect(snappedTo(ring, sides, 0.05)).toEqual({ contour: ring, rough: 0 });
    expect(snappedTo(ring, [circle([0, 0], 10.1)], 0.05)).toEqual({ contour: ring, rough: 0 });
  });
  test('nothing exact: as it came, and told', () => expect(snappedTo(square, [], 0.05)).toEqual({ contour: square, rough: 0 }));
  test('an arc that fits nothing stays an arc between the corners of its neighbours, and how far it was moved is told', () => {
    const [, slot] = shapes[4];
    const round = slot.segments.filter((s) => s.kind === 'arc');
    const sidesOnly = snappedTo(slot, slot.segments.filter((s) => s.kind === 'line'), 0.05); // prettier-ignore
    expect(sidesOnly.contour.segments.map((s) => s.kind)).toEqual(['line', 'arc', 'line', 'arc']);
    expect([areaOfContour(sidesOnly.contour), sidesOnly.rough]).toEqual([expect.closeTo(300 + 25 * Math.PI, 9), expect.closeTo(0, 9)]);
    const off = snappedTo(shaken(slot, 0.004, 3), [slot.segments[0], slot.segments[2], round[0]], 0.05);
    expect(off.contour.segments.map((s) => s.kind)).toEqual(['line', 'arc', 'line', 'arc']);
    expect(off.rough! > 0 && off.rough! < 0.01).toBe(true);
    expect(joined(off.contour)).toBe(true);
  });
});
