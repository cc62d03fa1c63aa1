/** Pieces held to each other one by one, what lies in a chain of pieces, and which boxes come near each other: each against the plain way to the same. */
import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { drawingDistance } from '../src/curves/compare.ts';
import { contourOf, type Drawing } from '../src/curves/drawing.ts';
import { flattened } from '../src/curves/flatten.ts';
import { Inside } from '../src/curves/inside.ts';
import { pointInside } from '../src/curves/nest.ts';
import { pairedDistance } from '../src/curves/paired.ts';
import { boxPairs } from '../src/curves/pairs.ts';
import { circle, reversed, type P2, type Segment } from '../src/curves/segment.ts';
import { drawingOf, lines, ring, round } from './drawing.data.ts';

const piece = (s: Segment) => contourOf([s], false);
const spline = (points: P2[], weights: number[] | null = null): Segment => ({ kind: 'spline', degree: 3, knots: [0, 0, 0, 0, ...(points.length > 4 ? [0.5] : []), 1, 1, 1, 1], points, weights }); // prettier-ignore
const moved = (d: Drawing, by: number): Drawing => JSON.parse(JSON.stringify(d), (key, v: unknown) => (key === 'points' && Array.isArray(v) && v.length > 0 ? (v as P2[]).map(([x, y]) => [x + by, y]) : (key === 'a' || key === 'b' || key === 'centre') ? [(v as P2)[0] + by, (v as P2)[1]] : v)) as Drawing; // prettier-ignore

const sample = drawingOf(
  lines([[0, 0], [40, 0], [40, 30], [0, 30]]), // prettier-ignore
  round(20, 15, 12),
  piece({ kind: 'arc', centre: [5, 5], radius: 3, start: 1, sweep: -2.5 }),
  piece({ kind: 'arc', centre: [5, 5], radius: 300, start: 1, sweep: 0.01 }),
  piece({ kind: 'bezier', points: [[1, 2], [3, 9], [6, -2], [8, 4]] }), // prettier-ignore
  piece(spline([[10, 20], [12, 25], [15, 18], [18, 22], [20, 20]])), // prettier-ignore
  piece(spline([[10, 2], [12, 5], [15, 1], [18, 2]], [1, 2, 0.5, 1])), // prettier-ignore
);

describe('pieces one by one', () => {
  test('the bound is never under the distance that places all along both have, and near it', () => {
    for (const by of [0, 1e-9, 3e-7, 1e-5]) {
      const bound = pairedDistance(sample, moved(sample, by), 1e-4)!;
      const measured = drawingDistance(sample, moved(sample, by), 1e-7);
      expect(bound).toBeGreaterThanOrEqual(measured - 2e-7);
      expect(bound).toBeLessThanOrEqual(1.3 * by + 1e-12);
    }
  });
  test('another order, other senses, a Bézier said as a spline, another start of a circle: partners all the same', () => {
    const all = sample.layers[0].contours.flatMap((c) => c.segments);
    const turned = [...all].reverse().map((s, i) => (i % 2 === 0 ? reversed(s) : s));
    const said = turned.map((s): Segment => (s.kind === 'bezier' ? spline(s.points) : s.kind === 'arc' && Math.abs(s.sweep) > 6 ? { ...s, start: 2.2, sweep: -s.sweep } : s)); // prettier-ignore
    expect(pairedDistance(sample, drawingOf(...said.map(piece)), 1e-6)).toBeLessThan(1e-12);
  });
  test.each<[string, (all: Segment[]) => Segment[]]>([
    ['a piece is missing', (all) => all.slice(1)],
    ['a piece is there twice and another not at all', (all) => [all[1], ...all.slice(1)]],
    ['a line became an arc of no height', (all) => [{ kind: 'bezier', points: [[0, 0], [13, 0], [26, 0], [40, 0]] }, ...all.slice(1)]], // prettier-ignore
    ['an arc runs round the other side', (all) => all.map((s) => (s.kind === 'arc' && s.sweep === -2.5 ? { ...s, sweep: 2 * Math.PI - 2.5 } : s))],
    ['a control point is off by more than is let pass', (all) => all.map((s) => (s.kind === 'bezier' ? { ...s, points: [s.points[0], [3, 9.001], ...s.points.slice(2)] } : s))], // prettier-ignore
    ['weights are others', (all) => all.map((s) => (s.kind === 'spline' && s.weights ? { ...s, weights: [1, 2, 0.6, 1] } : s))],
    ['knots are others', (all) => all.map((s) => (s.kind === 'spline' && !s.weights ? { ...s, knots: s.knots.map((k) => (k === 0.5 ? 0.6 : k)) } : s))],
  ])('no partner where %s: places have to be measured', (_, change) => {
    const all = sample.layers[0].contours.flatMap((c) => c.segments);
    expect(pairedDistance(sample, drawingOf(...change(all).map(piece)), 1e-6)).toBeNull();
  });
  test('just within what is let pass, and just beyond; nothing has no partner', () => {
    expect(pairedDistance(drawingOf(round(0, 0, 10)), drawingOf(round(0, 0, 10 + 1.9e-6)), 1e-6)).toBeCloseTo(0.95e-6, 12);
    expect(pairedDistance(drawingOf(round(0, 0, 10)), drawingOf(round(0, 0, 10 + 2.1e-6)), 1e-6)).toBeNull();
    expect(pairedDistance(drawingOf(), drawingOf(), 1)).toBeNull();
  });
  test('thousands of copies on one place: an answer soon, by pairing in order or not at all', () => {
    const copies = drawingOf(...Array.from({ length: 20_000 }, () => piece({ kind: 'line', a: [0, 0], b: [1, 0] })));
    expect(pairedDistance(copies, copies, 1e-6)).toBe(0);
    // Out of step by one: each would have to look past all that are taken already.
    const other = piece({ kind: 'line', a: [0, 5], b: [1, 5] });
    expect(pairedDistance(drawingOf(...copies.layers[0].contours, other), drawingOf(other, ...copies.layers[0].contours), 1e-6)).toBeNull();
  });
});

describe('inside', () => {
  test('a circle, an ellipse and a ring of Béziers by their own formulas, on a grid', () => {
    const k = 0.5522847498307936; // cubic circle, Goldapp 1991 (from memory): off by 2.7e-4 of the radius
    const bezier = [0, 1, 2, 3].map((q): Segment => {
      const turned = ([x, y]: P2): P2 => (q === 0 ? [x, y] : q === 1 ? [-y, x] : q === 2 ? [-x, -y] : [y, -x]);
      return { kind: 'bezier', points: ([[5, 0], [5, 5 * k], [5 * k, 5], [0, 5]] as P2[]).map(turned) }; // prettier-ignore
    });
    const arcs: Segment[] = [circle([0, 0], 5)];
    const ellipse: Segment[] = [{ kind: 'ellipse', centre: [0, 0], u: [6, 0], ratio: 0.5, start: 0.3, sweep: 2 * Math.PI }];
    const [inBezier, inArc, inEllipse] = [bezier, arcs, ellipse].map((pieces) => new Inside(pieces, 1e-7));
    for (let x = -6.5; x <= 6.5; x += 0.37)
      for (let y = -6.5; y <= 6.5; y += 0.41) {
        const r = Math.hypot(x, y);
        if (Math.abs(r - 5) > 0.01) expect([inBezier.has([x, y]), inArc.has([x, y])]).toEqual([r < 5, r < 5]);
        const e = Math.hypot(x / 6, y / 3);
        if (Math.abs(e - 1) > 0.01) expect(inEllipse.has([x, y])).toBe(e < 1);
      }
  });
  test('random polygons with curved sides: as counting crossings of fine chords says', () => {
    fc.assert(
      fc.property(
        fc.array(fc.tuple(fc.double({ min: 2, max: 10, noNaN: true }), fc.double({ min: -0.8, max: 0.8, noNaN: true })), { minLength: 3, maxLength: 9 }),
        fc.array(fc.tuple(fc.double({ min: -11, max: 11, noNaN: true }), fc.double({ min: -11, max: 11, noNaN: true })), { minLength: 5, maxLength: 20 }),
        (corners, points) => {
          const at = (i: number): P2 => {
            const a = (2 * Math.PI * i) / corners.length;
            return [corners[i % corners.length][0] * Math.cos(a), corners[i % corners.length][0] * Math.sin(a)];
          };
          const pieces = corners.map(([, bow], i): Segment => {
            const [p, q] = [at(i), at(i + 1)];
            const side: P2 = [(q[1] - p[1]) * bow, -(q[0] - p[0]) * bow];
            const mid = (t: number): P2 => [p[0] + (q[0] - p[0]) * t + side[0], p[1] + (q[1] - p[1]) * t + side[1]];
            return { kind: 'bezier', points: [p, mid(1 / 3), mid(2 / 3), q] };
          });
          const chords = flattened(pieces, 1e-5).flat();
          const inside = new Inside(pieces, 1e-5);
          for (const p of points) expect(inside.has(p)).toBe(pointInside(chords, p[0], p[1]));
        },
      ),
      { numRuns: 80, seed: 5 },
    );
  });
  test('a ray through corners counts them once: points level with every corner of a star', () => {
    const star = ring([0, 0], 5, 10).map(([x, y], i): P2 => (i % 2 === 0 ? [x, y] : [x / 2, y / 2]));
    const chain = lines(star);
    const inside = new Inside(chain.segments, 1e-6);
    for (const [, y] of star) for (let x = -6; x <= 6; x += 0.313) expect(inside.has([x, y])).toBe(pointInside(star.flat(), x, y));
  });
});

describe('pairs of boxes', () => {
  const plain = (boxes: Float64Array, slack: number): string[] => {
    const out: string[] = [];
    const n = boxes.length / 4;
    for (let a = 0; a < n; a++)
      for (let b = a + 1; b < n; b++) {
        const [p, q] = [boxes.subarray(a * 4, a * 4 + 4), boxes.subarray(b * 4, b * 4 + 4)];
        if (p[0] - slack <= q[2] && q[0] <= p[2] + slack && p[1] - slack <= q[3] && q[1] <= p[3] + slack) out.push(`${a} ${b}`);
      }
    return out;
  };
  const found = (boxes: Float64Array, slack: number): string[] => {
    const out: string[] = [];
    boxPairs(boxes, slack, (a, b) => {
      out.push(`${a} ${b}`);
      return false;
    });
    return out;
  };
  test('each pair once, a before b, in rising order of a: as asking every pair gives, swept and by the tree', () => {
    fc.assert(
      fc.property(
        fc.array(fc.tuple(fc.integer({ min: 0, max: 60 }), fc.integer({ min: 0, max: 60 }), fc.integer({ min: 0, max: 9 }), fc.integer({ min: 0, max: 9 })), { minLength: 1, maxLength: 60 }), // prettier-ignore
        fc.constantFrom(0, 0.5, 1),
        (list, slack) => {
          const boxes = Float64Array.from(list.flatMap(([x, y, w, h]) => [x, y, x + w, y + h]));
          const pairs = found(boxes, slack);
          expect([...pairs].sort()).toEqual(plain(boxes, slack).sort());
          const firsts = pairs.map((p) => Number(p.split(' ')[0]));
          expect(firsts).toEqual([...firsts].sort((a, b) => a - b));
        },
      ),
      { numRuns: 100, seed: 3 },
    );
    // Stacked: all lie over each other from left to right, which a sweep gives up on.
    const stack = Float64Array.from(Array.from({ length: 400 }, (_, i) => [0, 3 * i, 100, 3 * i + 1]).flat());
    expect(found(stack, 2).length).toBe(399);
    expect(found(stack, 1.9).length).toBe(0);
    // All begin at one place, in falling order of their numbers.
    const same = Float64Array.from(Array.from({ length: 300 }, (_, i) => [i === 0 ? 50 : 0, i * 2, i === 0 ? 51 : 1, i * 2 + 1]).flat());
    expect(found(same, 0.9).length).toBe(0);
  });
  test('an end is obeyed, a box without numbers does no harm', () => {
    const boxes = Float64Array.from(Array.from({ length: 50 }, () => [0, 0, 1, 1]).flat());
    let asked = 0;
    boxPairs(boxes, 0, () => ++asked === 7);
    expect(asked).toBe(7);
    const odd = Float64Array.from([0, 0, 1, 1, NaN, NaN, NaN, NaN, 0.5, 0.5, 2, 2]);
    expect(found(odd, 0)).toContain('0 2');
  });
});
