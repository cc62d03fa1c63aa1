import { chained } from '../curves/chain.ts';
import { contourOf, emptyDrawing, type Contour } from '../curves/drawing.ts';
import { mergedContour } from '../curves/fit.ts';
import { ordered } from '../curves/mend.ts';
import { endOf, pointAt, startOf, turn, type ArcSegment, type LineSegment, type Segment } from '../curves/segment.ts';

/**
 * The border of what several areas cover that do not overlap: where two of them meet, their borders lie on each other and drop out. Pieces on one line
 * or circle are counted stretch by stretch, an even number drops out; other curves drop out in pairs. Lengths in mm.
 * @param near places this near are the same
 */
export function borderOf(pieces: readonly Segment[], near: number): Contour[] {
  const lines = new Map<string, { s: LineSegment; from: number; to: number }[]>();
  const arcs = new Map<string, { s: ArcSegment; from: number; to: number }[]>();
  const others: Segment[] = [];
  const cell = near * 4;
  for (const s of pieces) {
    if (s.kind === 'line') addLine(lines, s, near);
    else if (s.kind === 'arc') {
      const low = s.sweep < 0 ? s.start + s.sweep : s.start;
      add(arcs, [s.centre[0] / cell, s.centre[1] / cell, s.radius / cell], { s, from: low, to: low + Math.abs(s.sweep) });
    } else others.push(s);
  }
  const left: Segment[] = [];
  for (const group of lines.values()) left.push(...oddOnLine(group, near));
  for (const group of arcs.values()) left.push(...oddOnCircle(group, near));
  left.push(...oddOfOthers(others, near));
  const layer = {
    name: 'border',
    colour: null,
    lineType: 'CONTINUOUS',
    contours: left.map((s) => contourOf([s], Math.hypot(startOf(s)[0] - endOf(s)[0], startOf(s)[1] - endOf(s)[1]) < near)),
  };
  const { drawing } = chained({ ...emptyDrawing(), layers: [layer] }, near);
  const merged = { ...drawing, layers: drawing.layers.map((l) => ({ ...l, contours: l.contours.map((c) => mergedContour(c, near)) })) };
  return ordered(merged).drawing.layers.flatMap((l) => l.contours);
}

/** Into the group whose figures are the same when rounded, or rounded the other way: neighbours over a border of rounding are found. */
function add<T>(groups: Map<string, T[]>, figures: readonly number[], value: T): void {
  const ways = figures.map((v) => [Math.round(v), v > Math.round(v) ? Math.round(v) + 1 : Math.round(v) - 1]);
  for (const x of ways[0])
    for (const y of ways[1])
      for (const z of ways[2]) {
        const list = groups.get(`${x} ${y} ${z}`);
        if (!list) continue;
        list.push(value);
        return;
      }
  groups.set(ways.map(([v]) => v).join(' '), [value]);
}

/** Whether a line runs to the right, or straight up. */
function forwards(s: LineSegment): boolean {
  const [x, y] = [s.b[0] - s.a[0], s.b[1] - s.a[1]];
  return Math.abs(x) > 1e-9 * Math.abs(y) ? x > 0 : y > 0;
}

/** Lines on one line come into one group: by direction and distance from zero. */
function addLine(groups: Map<string, { s: LineSegment; from: number; to: number }[]>, s: LineSegment, near: number): void {
  const [p, q] = forwards(s) ? [s.a, s.b] : [s.b, s.a];
  const long = Math.hypot(q[0] - p[0], q[1] - p[1]);
  if (!(long > 0)) return;
  const [ux, uy] = [(q[0] - p[0]) / long, (q[1] - p[1]) / long];
  const along = (p: readonly number[]) => p[0] * ux + p[1] * uy;
  const off = s.a[1] * ux - s.a[0] * uy;
  const [from, to] = [Math.min(along(s.a), along(s.b)), Math.max(along(s.a), along(s.b))];
  // Directions to a ten millionth of a turn or so; the third figure tells up from down.
  add(groups, [ux * 1e6, uy * 1e6, off / (near * 4)], { s, from, to });
}

/** Stretches that an odd number of pieces covers: one sweep over their ends. */
function odd(group: readonly { from: number; to: number }[], near: number): [number, number][] {
  const ends = group.flatMap((g) => [[g.from, 1], [g.to, -1]]).sort((a, b) => a[0] - b[0]); // prettier-ignore
  const out: [number, number][] = [];
  let over = 0;
  for (let i = 0; i < ends.length; i++) {
    const [at] = ends[i];
    const before = i > 0 ? ends[i - 1][0] : at;
    if (at - before > near && over % 2 === 1) {
      const last = out[out.length - 1];
      if (last && before - last[1] <= near) last[1] = at;
      else out.push([before, at]);
    }
    over += ends[i][1];
  }
  return out;
}

function oddOnLine(group: readonly { s: LineSegment; from: number; to: number }[], near: number): Segment[] {
  if (group.length === 1) return [group[0].s];
  const [{ s, from, to }] = group;
  // In the direction that the group is measured in, which may run against this piece.
  const [a, b] = forwards(s) ? [s.a, s.b] : [s.b, s.a];
  // Ends that are there already keep their figures.
  const ends = group.flatMap((g) => [g.s.a, g.s.b]);
  const at = (v: number): [number, number] => {
    const t = (v - from) / (to - from);
    const p: [number, number] = [a[0] + (b[0] - a[0]) * t, a[1] + (b[1] - a[1]) * t];
    return ends.find((e) => Math.hypot(e[0] - p[0], e[1] - p[1]) < near) ?? p;
  };
  return odd(group, near).map(([u, v]) => ({ kind: 'line', a: at(u), b: at(v) }));
}

function oddOnCircle(group: readonly { s: ArcSegment; from: number; to: number }[], near: number): Segment[] {
  if (group.length === 1) return [group[0].s];
  const [{ s }] = group;
  const slack = near / Math.max(s.radius, near);
  // Angles from the first beginning on, each stretch within one turn; what runs over the end is cut there.
  const zero = group[0].from;
  const spans = group.flatMap(({ from, to }) => {
    const long = to - from;
    if (long >= turn - slack) return [{ from: 0, to: turn }];
    let begin = (((from - zero) % turn) + turn) % turn;
    if (turn - begin < slack) begin = 0;
    return begin + long <= turn + slack ? [{ from: begin, to: Math.min(turn, begin + long) }] : [{ from: begin, to: turn }, { from: 0, to: begin + long - turn }]; // prettier-ignore
  });
  return odd(spans, slack).map(([u, v]): Segment => ({ kind: 'arc', centre: s.centre, radius: s.radius, start: zero + u, sweep: v - u }));
}

function oddOfOthers(list: readonly Segment[], near: number): Segment[] {
  // The same curve has the same middle, whichever way it runs: only those are compared.
  const groups = new Map<string, Segment[]>();
  for (const s of list) {
    const [x, y] = pointAt(s, 0.5);
    add(groups, [x / (near * 40), y / (near * 40), 0], s);
  }
  const left: Segment[] = [];
  for (const group of groups.values()) {
    const odd: Segment[] = [];
    for (const s of group) {
      const k = odd.findIndex((o) => sameCurve(o, s, near * 10));
      if (k >= 0) odd.splice(k, 1);
      else odd.push(s);
    }
    left.push(...odd);
  }
  return left;
}

/** Whether two curves lie on each other at their ends and middle, either way round. */
function sameCurve(a: Segment, b: Segment, near: number): boolean {
  const apart = ([x, y]: readonly number[], [u, v]: readonly number[]) => Math.hypot(x - u, y - v);
  return a.kind === b.kind && [0, 0.5, 1].every((t) => Math.min(apart(pointAt(a, t), pointAt(b, t)), apart(pointAt(a, t), pointAt(b, 1 - t))) < near);
}
