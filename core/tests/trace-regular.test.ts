/** Regular shapes in pictures: rendered by exact shares of pixels, found by what they are, and what is nearly one but is not left alone. */
import { describe, expect, test } from 'vitest';
import { areaOfContour, contoursOf, type Contour } from '../src/curves/drawing.ts';
import { directionAt, endOf, startOf, type P2, type Segment } from '../src/curves/segment.ts';
import { usualTrace, traceSchema, type TraceChoice } from '../src/trace/choice.ts';
import { trace } from '../src/trace/trace.ts';
import { coverage, picture, placed, ring, rounded } from './trace/exact.ts';

const [width, height] = [200, 170];
const size = { size: { kind: 'per inch' as const, value: 25.4 } };
const traced = (rings: readonly P2[][], choice: Partial<TraceChoice> = {}, how: Parameters<typeof picture>[3] = {}) =>
  trace(picture(coverage(rings, width, height), width, height, how), { ...usualTrace, ...size, ...choice });
const segments = (c: Contour): Segment[] => c.segments;
const square = (u: P2, v: P2): number => Math.abs(u[0] * v[0] + u[1] * v[1]);

describe('regular shapes', () => {
  test.each([
    ['clean', { noise: 0 }],
    ['with 2 % noise', { noise: 0.02 }],
  ])('a rounded rectangle, a slot and a ring, askew, %s: each found, and made exactly so on request', (_, how) => {
    const rings = [
      placed(rounded(80, 50, 9), 0.23, [60, 55]),
      placed(rounded(70, 24, 12), -0.4, [140, 120]),
      ring(40.3, 130.2, 20.4),
      ring(40.3, 130.2, 9.7, -1),
    ];
    expect(traced(rings, {}, how).regular).toEqual({ circles: 2, rectangles: 0, rounded: 1, slots: 1, mirrored: 0 });
    const { drawing, pieces } = traced(rings, { regular: true }, how);
    expect(pieces).toBe(8 + 4 + 1 + 1);
    const round = contoursOf(drawing).find((c) => c.segments.length === 8)!;
    const radii = segments(round).flatMap((s) => (s.kind === 'arc' ? [s.radius] : []));
    expect(Math.max(...radii) - Math.min(...radii)).toBeLessThan(1e-9);
    expect(Math.abs(radii[0] - 9)).toBeLessThan(how.noise ? 0.2 : 0.03);
    // Smooth and square to the last digit: each piece runs on as the one before it ended.
    segments(round).forEach((s, i, all) => {
      const next = all[(i + 1) % all.length];
      expect(Math.hypot(endOf(s)[0] - startOf(next)[0], endOf(s)[1] - startOf(next)[1])).toBeLessThan(1e-9);
      expect(1 - square(directionAt(s, 1), directionAt(next, 0))).toBeLessThan(1e-9);
    });
    const sides = segments(round).filter((s) => s.kind === 'line');
    expect(square(directionAt(sides[0], 0), directionAt(sides[1], 0))).toBeLessThan(1e-9);
    const slot = contoursOf(drawing).find((c) => c.segments.length === 4)!;
    const ends = segments(slot).flatMap((s) => (s.kind === 'arc' ? [s] : []));
    expect(ends.every((s) => Math.abs(Math.abs(s.sweep) - Math.PI) < 1e-9 && Math.abs(s.radius - 12) < (how.noise ? 0.2 : 0.03))).toBe(true);
    // The area of the picture's own shapes: nothing was moved by more than it tells.
    const meant = 80 * 50 - (4 - Math.PI) * 81 + 46 * 24 + Math.PI * 144 + Math.PI * (20.4 ** 2 - 9.7 ** 2);
    expect(contoursOf(drawing).reduce((sum, c) => sum + areaOfContour(c), 0)).toBeCloseTo(meant, how.noise ? -1 : 0);
    expect(drawing.picture.distance.largest).toBeLessThan(how.noise ? 1 : 0.5);
  });
  test('a rectangle is square to the last digit; one with a side two degrees off, and one whose rounds differ by a pixel, are none', () => {
    const plain = placed(rounded(90, 60, 0), 0.31, [100, 80]);
    const { regular, drawing } = traced([plain], { regular: true });
    expect(regular!.rectangles).toBe(1);
    const [contour] = contoursOf(drawing);
    segments(contour).forEach((s, i, all) => expect(square(directionAt(s, 0), directionAt(all[(i + 1) % 4], 0))).toBeLessThan(1e-9));
    // A corner 60 sin 2° = 2.1 px farther out.
    const skew = placed([[-45, -30], [45, -30], [47.1, 30], [-45, 30]], 0.31, [100, 80]); // prettier-ignore
    expect(traced([skew]).regular!.rectangles).toBe(0);
    const odd = [...rounded(80, 60, 12).filter(([x]) => x <= 0), ...rounded(80, 60, 14).filter(([x]) => x > 0)].sort(
      (a, b) => Math.atan2(a[1], a[0]) - Math.atan2(b[1], b[0]),
    );
    const uneven = traced([placed(odd, 0.2, [100, 80])]);
    expect(uneven.regular!.rounded).toBe(0);
  });
  test('alike on both sides of a line: a kite with its tail, and two sails beside it; one moved by two pixels is none', () => {
    const angle = 0.37;
    const kite: P2[] = [[0, -60], [34, -18], [12, 30], [20, 52], [-20, 52], [-12, 30], [-34, -18]]; // prettier-ignore
    const sail = (side: number): P2[] => { const r: P2[] = [[44, 0], [66, 8], [52, 34]]; const m = r.map(([x, y]): P2 => [side * x, y]); return side > 0 ? m : m.reverse(); }; // prettier-ignore
    const at = (ringOf: P2[]) => placed(ringOf, angle, [100, 85]);
    const whole = [at(kite), at(sail(1)), at(sail(-1))];
    expect(traced(whole).regular!.mirrored).toBe(3);
    const { drawing, pieces } = traced(whole, { regular: true });
    expect(pieces).toBe(7 + 3 + 3);
    // Its corners mirror each other about the line through the kite's own tips, to the last digit.
    const corners = contoursOf(drawing).flatMap((c) => segments(c).map(startOf));
    const mirrorless = corners.filter((p) => !corners.some((q) => Math.hypot(...sub(mirrorIn(axisOf(corners), p), q)) < 1e-6));
    expect(mirrorless).toEqual([]);
    const moved = [at(kite), at(sail(1)), at(sail(-1).map(([x, y]): P2 => [x, y + 2]))];
    expect(traced(moved).regular!.mirrored).toBe(1);
    const bent = at(kite.map(([x, y]): P2 => (x === 34 ? [36.5, y] : [x, y])));
    expect(traced([bent]).regular!.mirrored).toBe(0);
  });
  test('a round across the line runs on as one: as many pieces as before; a small blob tells no line', () => {
    // A drop: two straight sides that touch a circle from a tip.
    const [r, h] = [30, 75];
    const a = Math.acos(r / h);
    const drop: P2[] = [[0, h], ...Array.from({ length: 200 }, (_, k): P2 => { const t = Math.PI / 2 + a + (k / 199) * (2 * Math.PI - 2 * a); return [r * Math.cos(t), r * Math.sin(t)]; })]; // prettier-ignore
    const plain = traced([placed(drop, 0.3, [100, 75])]);
    const regular = traced([placed(drop, 0.3, [100, 75])], { regular: true });
    expect([plain.regular!.mirrored, regular.pieces]).toEqual([1, plain.pieces]);
    const [contour] = contoursOf(regular.drawing);
    const sides = segments(contour).filter((s) => s.kind === 'line');
    const arc = segments(contour).find((s) => s.kind === 'arc')!;
    expect(segments(contour)).toHaveLength(3);
    expect(Math.abs(arc.radius - r)).toBeLessThan(0.02);
    // Both sides equally long and equally far from the round's middle.
    const [p, q] = sides.map((s) => Math.hypot(...sub(s.a, s.b)));
    expect(Math.abs(p - q)).toBeLessThan(1e-9);
    const blob = (scale: number) => traced([placed(drop.map(([x, y]): P2 => [x * scale, y * scale]), 0.3, [100, 75])]).regular!.mirrored; // prettier-ignore
    expect([blob(0.45), blob(0.2)]).toEqual([1, 0]);
  });
  test('what was chosen is checked, and absent in choices that were made before', () => {
    expect(traceSchema.validate({ ...usualTrace, regular: true }).error).toBeUndefined();
    expect(traceSchema.validate(usualTrace).error).toBeUndefined();
    expect(traceSchema.validate({ ...usualTrace, regular: 'yes' }).error).toBeDefined();
    expect(traced([ring(80, 75, 30)], { way: 'strokes' }, { noise: 0 }).regular).toBeNull();
  });
});

const sub = (a: P2, b: P2): P2 => [a[0] - b[0], a[1] - b[1]];
/** The line through the corner that is farthest up the kite and the middle of all corners: both lie on its axis. */
function axisOf(corners: readonly P2[]): { at: P2; angle: number } {
  const n = corners.length;
  const at: P2 = [corners.reduce((s, p) => s + p[0], 0) / n, corners.reduce((s, p) => s + p[1], 0) / n];
  const tip = corners.reduce((far, p) => (Math.hypot(...sub(p, at)) > Math.hypot(...sub(far, at)) ? p : far));
  return { at, angle: Math.atan2(tip[1] - at[1], tip[0] - at[0]) };
}
function mirrorIn({ at, angle }: { at: P2; angle: number }, p: P2): P2 {
  const [dx, dy] = sub(p, at);
  const [c, s] = [Math.cos(2 * angle), Math.sin(2 * angle)];
  return [at[0] + c * dx + s * dy, at[1] + s * dx - c * dy];
}
