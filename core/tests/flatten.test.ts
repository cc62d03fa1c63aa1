/** Curves as chords: no place of the curve lies farther from them than was asked for; places of splines by the recursion of Cox and de Boor, written out here. */
import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { flattened } from '../src/curves/flatten.ts';
import { pointAt, splineAt, type P2, type Segment, type SplineSegment } from '../src/curves/segment.ts';
import { soundSegment } from '../src/curves/sound.ts';
import { some } from './some.ts';
import { random } from './tube.data.ts';

/** A basis function on one span. Source: The NURBS Book, 2.5. */
function basis(i: number, p: number, t: number, { knots, span }: { knots: readonly number[]; span: number }): number {
  if (p === 0) return i === span ? 1 : 0;
  const left = knots[i + p] > knots[i] ? ((t - knots[i]) / (knots[i + p] - knots[i])) * basis(i, p - 1, t, { knots, span }) : 0;
  const right = knots[i + p + 1] > knots[i + 1] ? ((knots[i + p + 1] - t) / (knots[i + p + 1] - knots[i + 1])) * basis(i + 1, p - 1, t, { knots, span }) : 0;
  return left + right;
}

function placeOf({ degree, knots, points, weights }: SplineSegment, t: number): P2 {
  // The spans of the range that have a length; the last of them counts its end in.
  const spans = points.map((_, k) => k).filter((k) => k >= degree && knots[k + 1] > knots[k]);
  const span = spans.findLast((k) => knots[k] <= t) ?? spans[0];
  let [x, y, w] = [0, 0, 0];
  points.forEach(([px, py], i) => {
    const b = basis(i, degree, t, { knots, span }) * (weights?.[i] ?? 1);
    x += b * px;
    y += b * py;
    w += b;
  });
  return [x / w, y / w];
}

/** Splines of any degree, with knots that stand together, clamped or not, with weights or without. */
function splineFrom(seed: number, degree: number, rational: boolean): SplineSegment {
  const next = random(seed);
  const count = degree + 1 + Math.floor(next() * 8);
  const clamped = next() < 0.7;
  const inner: number[] = [];
  for (let i = 0, at = 0; i < count + degree + 1; i++) {
    if (next() < 0.8) at += 0.2 + next();
    inner.push(at);
  }
  const knots = clamped ? inner.map((_, i) => inner[Math.min(count, Math.max(degree, i))]) : inner;
  // A range of no length is none.
  if (!(knots[count] > knots[degree])) return splineFrom(seed + 1, degree, rational);
  const points = Array.from({ length: count }, (): P2 => [next() * 50, next() * 50]);
  return { kind: 'spline', degree, knots, points, weights: rational ? points.map(() => 0.2 + next() * 3) : null };
}

const fromChord = (p: P2, a: P2, b: P2): number => {
  const [dx, dy] = [b[0] - a[0], b[1] - a[1]];
  const t = Math.max(0, Math.min(1, ((p[0] - a[0]) * dx + (p[1] - a[1]) * dy) / (dx * dx + dy * dy || 1)));
  return Math.hypot(p[0] - a[0] - t * dx, p[1] - a[1] - t * dy);
};
const fromChords = (p: P2, chords: readonly P2[]): number => Math.min(...chords.slice(1).map((b, i) => fromChord(p, chords[i], b)));

const degrees = fc.integer({ min: 1, max: 6 });
const runs = some(400, 60);

test('places and directions of splines are those of the recursion, at knots and at the ends too', () => {
  fc.assert(
    fc.property(fc.integer(), degrees, fc.boolean(), (seed, degree, rational) => {
      const s = splineFrom(seed, degree, rational);
      const [from, to] = [s.knots[degree], s.knots[s.points.length]];
      const at = [from, to, ...s.knots.filter((k) => k > from && k < to), ...Array.from({ length: 7 }, (_, i) => from + ((to - from) * (i + 0.37)) / 7)];
      for (const t of at) {
        const [x, y] = splineAt(s, t).point;
        const wanted = placeOf(s, t);
        // Where as many knots stand together as the degree and one more, the curve may jump: then either side counts.
        const together = s.knots.filter((k) => k === t).length > degree && t > from && t < to;
        if (!together) expect(Math.hypot(x - wanted[0], y - wanted[1])).toBeLessThan(1e-9);
      }
      const hair = (to - from) * 1e-6;
      for (const t of [0.23, 0.51, 0.83].map((u) => from + (to - from) * u)) {
        if (s.knots.some((k) => Math.abs(k - t) < 2 * hair)) continue;
        const [a, b] = [placeOf(s, t - hair), placeOf(s, t + hair)];
        const { velocity } = splineAt(s, t);
        const slope = [(b[0] - a[0]) / (2 * hair), (b[1] - a[1]) / (2 * hair)];
        expect(Math.hypot(velocity[0] - slope[0], velocity[1] - slope[1])).toBeLessThan(1e-3 * (1 + Math.hypot(...slope)));
      }
    }),
    { numRuns: runs },
  );
});

describe('no place of a curve lies farther from its chords than was asked for', () => {
  const deviations = fc.constantFrom(1, 0.1, 0.01);
  test('splines without weights, for certain', () => {
    fc.assert(
      fc.property(fc.integer(), degrees, deviations, (seed, degree, deviation) => {
        const s = splineFrom(seed, degree, false);
        // A curve that comes apart at knots is drawn from piece to piece.
        if (s.knots.some((k, i) => i > 0 && i + degree < s.knots.length && s.knots[i + degree] === k && k > s.knots[degree] && k < s.knots[s.points.length]))
          return;
        const chords = flattened([s], deviation);
        const [from, to] = [s.knots[degree], s.knots[s.points.length]];
        for (let i = 0; i <= 200; i++) expect(fromChords(placeOf(s, from + ((to - from) * i) / 200), chords)).toBeLessThanOrEqual(deviation * (1 + 1e-6));
        const [a, b] = [placeOf(s, from), placeOf(s, to)];
        expect(
          Math.hypot(chords[0][0] - a[0], chords[0][1] - a[1]) + Math.hypot(chords[chords.length - 1][0] - b[0], chords[chords.length - 1][1] - b[1]),
        ).toBeLessThan(1e-9);
      }),
      { numRuns: runs },
    );
  });
  test('of them fewer are made where more is allowed, about by the root of it', () => {
    const s = splineFrom(7, 3, false);
    const [coarse, fine] = [flattened([s], 0.1).length, flattened([s], 0.001).length];
    expect(fine / coarse).toBeGreaterThan(6);
    expect(fine / coarse).toBeLessThan(11);
  });
  test('arcs, ellipses and Béziers', () => {
    fc.assert(
      fc.property(fc.integer(), deviations, (seed, deviation) => {
        const next = random(seed);
        const size = () => 2 + next() * 40;
        const bezier = (n: number): Segment => ({ kind: 'bezier', points: Array.from({ length: n }, (): P2 => [next() * 50, next() * 50]) });
        const made: Segment[] = [
          { kind: 'arc', centre: [next(), next()], radius: size(), start: next() * 6, sweep: (next() - 0.5) * 12 },
          { kind: 'ellipse', centre: [3, 4], u: [size(), size()], ratio: 0.05 + next() * 2, start: next() * 6, sweep: (next() - 0.5) * 12 },
          bezier(3),
          bezier(4),
        ];
        for (const s of made) {
          const chords = flattened([s], deviation);
          for (let i = 0; i <= 100; i++) expect(fromChords(pointAt(s, i / 100), chords)).toBeLessThanOrEqual(deviation * (1 + 1e-6));
        }
      }),
      { numRuns: some(200, 40) },
    );
  });
});

describe('numbers that make no curve', () => {
  const spline: SplineSegment = { kind: 'spline', degree: 2, knots: [0, 0, 0, 1, 1, 1], points: [[0, 0], [5, 8], [10, 0]], weights: null }; // prettier-ignore
  test.each<[string, Segment, boolean]>([
    ['a plain spline', spline, true],
    ['weights above 0', { ...spline, weights: [1, 1e-9, 5] }, true],
    ['a weight of 0, by which an end is nowhere', { ...spline, weights: [0, 1, 1] }, false],
    ['a weight below 0', { ...spline, weights: [1, -1, 1] }, false],
    ['too few weights', { ...spline, weights: [1, 1] }, false],
    ['knots that fall', { ...spline, knots: [0, 0, 0, 1, 0.5, 1] }, false],
    ['a knot too few', { ...spline, knots: [0, 0, 0, 1, 1] }, false],
    ['knots of no length', { ...spline, knots: [1, 1, 1, 1, 1, 1] }, false],
    ['a knot that is no number', { ...spline, knots: [0, 0, 0, NaN, 1, 1] }, false],
    ['an ellipse of no width', { kind: 'ellipse', centre: [0, 0], u: [3, 0], ratio: 1e-10, start: 0, sweep: 1 }, false],
    ['an arc of no radius', { kind: 'arc', centre: [0, 0], radius: 0, start: 0, sweep: 1 }, false],
    ['a line beyond all drawings', { kind: 'line', a: [0, 0], b: [1e12, 0] }, false],
    ['a line just within', { kind: 'line', a: [0, 0], b: [1e12 - 1, 0] }, true],
  ])('%s', (_, segment, sound) => expect(soundSegment(segment)).toBe(sound));
});
