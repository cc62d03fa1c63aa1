/** A stretch of a contour made smooth: against circles and ellipses that it was taken from. */
import { describe, expect, test } from 'vitest';
import type { Contour, Drawing } from '../src/curves/drawing.ts';
import { areaOfContour } from '../src/curves/drawing.ts';
import { directionAt, endOf, startOf, type P2, type Segment } from '../src/curves/segment.ts';
import { stretchBounds } from '../src/drawing/bounds.ts';
import { editNode } from '../src/drawing/nodes.ts';
import { nodeSchema } from '../src/drawing/schema.ts';
import { smoothStretch } from '../src/drawing/stretch.ts';
import { flattened } from '../src/curves/flatten.ts';
import { numbers } from './trace/exact.ts';
import { code } from './thrown.ts';

const lines = (points: readonly P2[], closed: boolean): Contour => {
  const ends = closed ? [...points.slice(1), points[0]] : points.slice(1);
  return { segments: ends.map((b, i): Segment => ({ kind: 'line', a: points[i], b })), closed } as Contour;
};
/** A circle drawn by a shaky hand. */
const shaky = (n: number, r: number, shake: number, seed: number): P2[] => {
  const random = numbers(seed);
  return Array.from({ length: n }, (_, k) => {
    const off = r + shake * (2 * random() - 1);
    return [off * Math.cos((2 * Math.PI * k) / n), off * Math.sin((2 * Math.PI * k) / n)];
  });
};

describe('a stretch made smooth', () => {
  test('splinters of a circle become a few curves on that circle; the ends stay, the rest is untouched', () => {
    const contour = lines(shaky(120, 50, 0.02, 3), true);
    const { contour: made, pieces, deviation } = smoothStretch(contour, 10, 70, 0.1);
    expect(pieces[0]).toBe(60);
    expect(pieces[1]).toBeLessThan(8);
    expect(made.segments.length).toBe(60 + pieces[1]);
    const curves = made.segments.slice(0, pieces[1]);
    expect(startOf(curves[0])).toEqual(startOf(contour.segments[10]));
    expect(endOf(curves[curves.length - 1])).toEqual(startOf(contour.segments[70]));
    expect(made.segments.slice(pieces[1])).toEqual([...contour.segments.slice(70), ...contour.segments.slice(0, 10)]);
    for (const [x, y] of flattened(curves, 0.001)) expect(Math.abs(Math.hypot(x, y) - 50)).toBeLessThan(0.13);
    expect(deviation).toBeGreaterThan(0.01);
    expect(deviation).toBeLessThanOrEqual(0.1);
    expect(Math.abs(areaOfContour(made) / (Math.PI * 2500) - 1)).toBeLessThan(0.002);
    // No corner where two curves join.
    for (let i = 0; i + 1 < curves.length; i++) {
      const [u, v] = [directionAt(curves[i], 1), directionAt(curves[i + 1], 0)];
      expect(u[0] * v[0] + u[1] * v[1]).toBeGreaterThan(1 - 1e-9);
    }
  });
  test('round past the first node, and along an open contour', () => {
    const contour = lines(shaky(60, 50, 0, 1), true);
    const wrapped = smoothStretch(contour, 50, 10, 0.2);
    expect(wrapped.pieces[0]).toBe(20);
    expect(wrapped.contour.segments.length).toBe(40 + wrapped.pieces[1]);
    const open = lines(shaky(60, 50, 0, 1), false);
    const { contour: made } = smoothStretch(open, 5, 25, 0.2);
    expect(made.segments.slice(0, 5)).toEqual(open.segments.slice(0, 5));
    expect(made.segments.slice(-34)).toEqual(open.segments.slice(-34));
    for (let i = 0; i + 1 < made.segments.length; i++) expect(endOf(made.segments[i])).toEqual(startOf(made.segments[i + 1]));
    // To its very end.
    expect(smoothStretch(open, 30, 59, 0.2).pieces[0]).toBe(29);
  });
  test('a finer deviation takes more curves and lies nearer', () => {
    const ellipse = lines(
      Array.from({ length: 200 }, (_, k): P2 => [80 * Math.cos((Math.PI * k) / 200), 20 * Math.sin((Math.PI * k) / 200)]),
      false,
    );
    const found = [1, 0.1, 0.01].map((within) => smoothStretch(ellipse, 0, 199, within));
    for (const [i, within] of [1, 0.1, 0.01].entries()) expect(found[i].deviation).toBeLessThanOrEqual(within);
    expect(found[2].pieces[1]).toBeGreaterThan(found[0].pieces[1]);
    expect(found[2].deviation).toBeLessThan(found[0].deviation);
  });
  test('no stretch, or nothing gained: a sentence each', () => {
    const contour = lines(shaky(12, 50, 0, 1), true);
    for (const [from, to] of [[3, 3], [-1, 4], [0, 12], [0.5, 3]] as const) expect(code(() => smoothStretch(contour, from, to, 1))).toBe('no-stretch'); // prettier-ignore
    expect(code(() => smoothStretch(lines(shaky(12, 50, 0, 1), false), 6, 2, 1))).toBe('no-stretch');
    expect(
      code(() => smoothStretch({ segments: [{ kind: 'arc', centre: [0, 0], radius: 5, start: 0, sweep: 2 * Math.PI }], closed: true } as Contour, 0, 1, 1)),
    ).toBe('no-stretch');
    expect(code(() => smoothStretch(contour, 0, 1, 0.001))).toBe('no-smoother');
    // A square's corners are there for a reason: near enough they stay pieces of their own.
    expect(code(() => smoothStretch(lines([[0, 0], [40, 0], [40, 40], [0, 40]], true), 0, 2, 0.01))).toBe('no-smoother'); // prettier-ignore
  });
  test('as a change of a drawing, within its bounds', () => {
    const drawing: Drawing = {
      layers: [{ name: '0', colour: null, lineType: 'CONTINUOUS', contours: [lines(shaky(60, 50, 0, 1), true)] }],
      texts: [],
      points: [],
    };
    const edit = { action: 'smooth-stretch' as const, layer: 0, contour: 0, node: 0, to: 30, within: 0.1 };
    expect(editNode(drawing, edit).layers[0].contours[0].segments.length).toBeLessThan(40);
    const fits = (within: number) => nodeSchema.validate({ ...edit, within }).error === undefined;
    const [least, most] = stretchBounds;
    expect([least * 0.99, least, most, most * 1.01].map(fits)).toEqual([false, true, true, false]);
  });
});
