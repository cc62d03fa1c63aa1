/** Nodes of contours of every kind of piece: what moves is what was meant, the rest stays, and nothing comes apart. */
import { describe, expect, test } from 'vitest';
import { contourOf, type Contour } from '../src/curves/drawing.ts';
import { flattened } from '../src/curves/flatten.ts';
import { directionAt, distance, endOf, pointAt, startOf, type P2, type Segment } from '../src/curves/segment.ts';
import { editNode, nodesOf, type NodeEdit } from '../src/drawing/nodes.ts';
import { drawingOf, lines, round } from './drawing.data.ts';
import { code } from './thrown.ts';

type Edit = NodeEdit extends infer E ? (E extends NodeEdit ? Omit<E, 'layer' | 'contour'> : never) : never;
const edited = (c: Contour, edit: Edit): Contour => editNode(drawingOf(c), { ...edit, layer: 0, contour: 0 } as NodeEdit).layers[0].contours[0];

const line = (a: P2, b: P2): Segment => ({ kind: 'line', a, b });
/** Pieces from (20, 0) to (40, 0), one of each kind. */
const pieces: [string, Segment][] = [
  ['line', line([20, 0], [40, 0])],
  ['half a circle', { kind: 'arc', centre: [30, 0], radius: 10, start: Math.PI, sweep: -Math.PI }],
  ['a shallow arc', { kind: 'arc', centre: [30, -10], radius: Math.hypot(10, 10), start: (3 * Math.PI) / 4, sweep: -Math.PI / 2 }],
  ['half an ellipse', { kind: 'ellipse', centre: [30, 0], u: [10, 0], ratio: 0.4, start: Math.PI, sweep: -Math.PI }],
  ['cubic', { kind: 'bezier', points: [[20, 0], [22, 8], [36, 9], [40, 0]] }],
  ['quadratic', { kind: 'bezier', points: [[20, 0], [30, 12], [40, 0]] }],
  ['spline of one span', { kind: 'spline', degree: 3, knots: [0, 0, 0, 0, 1, 1, 1, 1], points: [[20, 0], [25, 9], [33, -4], [40, 0]], weights: null }],
  ['spline of four spans', { kind: 'spline', degree: 3, knots: [0, 0, 0, 0, 1, 2, 3, 4, 4, 4, 4], points: [[20, 0], [22, 6], [26, 9], [30, 2], [33, -6], [38, -3], [40, 0]], weights: null }],
  ['rational spline', { kind: 'spline', degree: 2, knots: [0, 0, 0, 1, 1, 1], points: [[20, 0], [30, 10], [40, 0]], weights: [1, Math.SQRT1_2, 1] }],
  // A uniform cubic begins at (p0 + 4 p1 + p2) / 6: at (20, 0), and ends at (40, 0).
  ['spline that goes on beyond its ends', { kind: 'spline', degree: 3, knots: [-3, -2, -1, 0, 1, 2, 3, 4, 5], points: [[10, 0], [20, 0], [30, 0], [40, 0], [50, 0]], weights: null }],
]; // prettier-ignore

/** A contour with a piece between a line before and one behind it, and a ring of the same. */
const open = (s: Segment) => contourOf([line([0, 5], startOf(s)), s, line(endOf(s), [60, 5])], false);
const ring = (s: Segment) => contourOf([s, line(endOf(s), [40, -30]), line([40, -30], [20, -30]), line([20, -30], startOf(s))], true);

/** Every piece begins where the one before it ends; a closed contour ends where it begins. */
function held({ segments, closed }: Contour): void {
  segments.forEach((s, i) => {
    const next = segments[i + 1] ?? (closed ? segments[0] : null);
    if (next) expect(distance(endOf(s), startOf(next))).toBeLessThan(1e-9);
  });
}
const lies = (p: P2, c: Contour): number => {
  const points = flattened(c.segments, 1e-5);
  let least = Infinity;
  for (let i = 0; i + 1 < points.length; i++) {
    const [a, b] = [points[i], points[i + 1]];
    const [dx, dy] = [b[0] - a[0], b[1] - a[1]];
    const t = Math.max(0, Math.min(1, ((p[0] - a[0]) * dx + (p[1] - a[1]) * dy) / (dx * dx + dy * dy || 1)));
    least = Math.min(least, Math.hypot(p[0] - a[0] - dx * t, p[1] - a[1] - dy * t));
  }
  return least;
};
const placesOn = (c: Contour): P2[] => c.segments.flatMap((s) => [0, 0.2, 0.4, 0.6, 0.8].map((t) => pointAt(s, t)));
const apart = (c: Contour, d: Contour): number => Math.max(...placesOn(c).map((p) => lies(p, d)), ...placesOn(d).map((p) => lies(p, c)));
const has = (c: Contour, p: P2): boolean => nodesOf(c).some((n) => distance(n, p) < 1e-6);

describe.each(pieces)('%s', (_, s) => {
  test.each([open(s), ring(s)])('each node is where it was moved to; all others stay; nothing comes apart', (c) => {
    nodesOf(c).forEach((at, node) => {
      const to: P2 = [at[0] + 1.5, at[1] + 2.5];
      const moved = edited(c, { action: 'move', node, to });
      held(moved);
      expect(moved.closed).toBe(c.closed);
      expect(has(moved, to)).toBe(true);
      expect(has(moved, at)).toBe(false);
      nodesOf(c).forEach((other, i) => i !== node && expect(has(moved, other)).toBe(true));
    });
  });
  test.each([0.1, 0.37, 0.5, 0.9])('a node at the share %f of it is there, and the shape stays', (share) => {
    const c = open(s);
    const more = edited(c, { action: 'add', segment: 1, share });
    held(more);
    expect(more.segments.length).toBeGreaterThan(c.segments.length);
    expect(nodesOf(more).some((n) => distance(n, pointAt(s, share)) < 2e-4)).toBe(true);
    expect(apart(c, more)).toBeLessThan(1.2e-4);
  });
  test('smooth: one direction on both sides; what is not next to the node stays', () => {
    for (const c of [open(s), ring(s)]) {
      for (const [node, at] of nodesOf(c).entries()) {
        if (!c.closed && (node === 0 || node === nodesOf(c).length - 1)) continue;
        const smooth = edited(c, { action: 'smooth', node });
        held(smooth);
        const after = smooth.segments.findIndex((p) => distance(startOf(p), at) < 1e-9);
        const before = smooth.segments[(after + smooth.segments.length - 1) % smooth.segments.length];
        const [u, v] = [directionAt(before, 1), directionAt(smooth.segments[after], 0)];
        expect(u[0] * v[0] + u[1] * v[1]).toBeGreaterThan(1 - 1e-9);
        nodesOf(c).forEach((other) => expect(has(smooth, other)).toBe(true));
        // Half of the piece beyond the one next to the node is as it was.
        const far = c.closed ? c.segments[(node + 2) % c.segments.length] : c.segments[node === 1 ? 2 : 0];
        for (const t of [0.3, 0.7]) expect(lies(pointAt(far, t), smooth)).toBeLessThan(1e-4);
      }
    }
  });
  test('sharp: straight to the node on both sides', () => {
    const sharp = edited(open(s), { action: 'sharp', node: 1 });
    held(sharp);
    const after = sharp.segments.findIndex((p) => distance(startOf(p), [20, 0]) < 1e-9);
    expect(directionAt(sharp.segments[after - 1], 1)).toEqual([20 / Math.hypot(20, 5), -5 / Math.hypot(20, 5)].map((x) => expect.closeTo(x, 9)));
    expect(lies([50, 2.5], sharp)).toBeLessThan(1e-9);
  });
  test('each node taken away: the others stay, and it goes on from one to the next', () => {
    for (const c of [open(s), ring(s)])
      for (const [node, at] of nodesOf(c).entries()) {
        const less = edited(c, { action: 'delete', node });
        held(less);
        expect(less.segments).toHaveLength(c.segments.length - 1);
        expect(has(less, at)).toBe(false);
      }
  });
});

describe('long pieces', () => {
  test('of a long spline only the span next to the node becomes smooth', () => {
    const n = 20;
    const points = Array.from({ length: n }, (_, i): P2 => [i * 5, i % 2 ? 8 : 0]);
    const knots = [0, 0, 0, ...Array.from({ length: n - 2 }, (_, i) => i), n - 3, n - 3, n - 3];
    const wave: Segment = { kind: 'spline', degree: 3, knots, points, weights: null };
    const c = contourOf([line([-10, -10], [0, 0]), wave], false);
    const smooth = edited(c, { action: 'smooth', node: 1 });
    held(smooth);
    for (const t of [0.1, 0.3, 0.5, 0.7, 0.95]) expect(lies(pointAt(wave, t), smooth)).toBeLessThan(1.5e-5);
  });
  test('of three quarters of a circle two stay an arc', () => {
    const big: Segment = { kind: 'arc', centre: [0, 0], radius: 50, start: 0, sweep: 1.5 * Math.PI };
    const c = contourOf([line([60, -20], [50, 0]), big], false);
    const smooth = edited(c, { action: 'smooth', node: 1 });
    expect(smooth.segments.map((p) => p.kind)).toEqual(['bezier', 'bezier', 'arc']);
    expect(smooth.segments[2]).toMatchObject({ radius: 50, sweep: expect.closeTo(Math.PI, 9) });
    // The quarter beside the node keeps its far handle: that of a circle (Goldapp).
    const { points } = smooth.segments[1] as { points: P2[] };
    expect(points[3][0] - points[2][0]).toBeCloseTo(-50 * (4 / 3) * Math.tan(Math.PI / 8), 9);
    expect(points[2][1]).toBeCloseTo(50, 9);
  });
  test('a closed contour of one spline: its only node moves with both ends, and is made smooth', () => {
    const loop: Segment = { kind: 'spline', degree: 3, knots: [0, 0, 0, 0, 1, 2, 3, 3, 3, 3], points: [[0, 0], [10, -6], [20, 4], [12, 14], [-6, 8], [0, 0]], weights: null }; // prettier-ignore
    const c = contourOf([loop], true);
    const moved = edited(c, { action: 'move', node: 0, to: [-3, -3] });
    held(moved);
    expect(startOf(moved.segments[0])).toEqual([-3, -3]);
    const smooth = edited(c, { action: 'smooth', node: 0 });
    held(smooth);
    const [first, last] = [smooth.segments[0], smooth.segments[smooth.segments.length - 1]];
    const [u, v] = [directionAt(last, 1), directionAt(first, 0)];
    expect(u[0] * v[0] + u[1] * v[1]).toBeGreaterThan(1 - 1e-9);
  });
});

describe('what can not be done', () => {
  const square = lines([[0, 0], [10, 0], [10, 10], [0, 10]]); // prettier-ignore
  test.each([
    ['no-such-node', square, { action: 'move', node: 4, to: [1, 1] }],
    ['no-such-node', square, { action: 'move', node: -1, to: [1, 1] }],
    ['no-such-node', square, { action: 'move', node: NaN, to: [1, 1] }],
    ['no-such-node', round(0, 0, 5), { action: 'delete', node: 0 }],
    ['no-such-node', square, { action: 'add', segment: 4, share: 0.5 }],
    ['no-such-node', square, { action: 'add', segment: 0, share: 0 }],
    ['no-such-node', square, { action: 'add', segment: 0, share: 1 }],
    ['end-node', lines([[0, 0], [5, 0], [5, 5]], false), { action: 'smooth', node: 0 }],
    ['end-node', lines([[0, 0], [5, 0], [5, 5]], false), { action: 'sharp', node: 2 }],
    ['too-few-nodes', lines([[0, 0], [5, 0]], false), { action: 'delete', node: 1 }],
    ['too-few-nodes', contourOf([line([0, 0], [5, 0]), { kind: 'arc', centre: [2.5, 0], radius: 2.5, start: 0, sweep: Math.PI }], true), { action: 'delete', node: 0 }],
  ] as [string, Contour, Edit][])('%s', (why, c, edit) => expect(code(() => edited(c, edit))).toBe(why)); // prettier-ignore
  test('a triangle may lose a corner and an open line of three an end', () => {
    expect(edited(lines([[0, 0], [5, 0], [5, 5]]), { action: 'delete', node: 0 }).segments).toHaveLength(2); // prettier-ignore
    expect(nodesOf(edited(lines([[0, 0], [5, 0], [5, 5]], false), { action: 'delete', node: 2 }))).toEqual([[0, 0], [5, 0]]); // prettier-ignore
  });
});
