import Flatbush from 'flatbush';
import { derivativeOf, rootsOf, valueOf } from './bernstein.ts';
import { pieceOf, pointAt, velocityAt, type BezierSegment, type LineSegment, type P2, type Segment } from './segment.ts';

/** Pieces that outlines of letters are made of. */
export type Stroke = LineSegment | BezierSegment;
/** A closed way of such pieces. */
export type Ring = readonly Stroke[];

/** Places nearer than this are one, as a share of the largest side. */
export const samePlace = 1e-9;
/** Lines shorter than this share of the largest side say nothing. */
const crumb = 2e-6;
/** How often a pair of curves is cut in two at most, and how many pairs of stretches are looked at. */
const deepest = 30;
const mostAsked = 20_000;
/** Pairs of parts and of stretches that one union looks at; where ways overlap more than that they stay as they are. */
const mostWork = 2_000_000;
/** Meetings of one pair at most; more is one curve lying on another. */
const mostMeetings = 12;

/** A part of a ring's piece that goes one way in x and in y, between two shares of the piece. */
interface Part {
  of: number;
  from: number;
  to: number;
  a: P2;
  b: P2;
}

/**
 * What lies within closed ways by the rule that a place is inside when the ways go round it, in sum, other than not at all (non-zero fill): overlaps
 * vanish, what is drawn twice counts once. Pieces that nothing crosses come out exactly as they went in; crossed ones are cut at the meeting.
 * Outer ways come out counter-clockwise, holes clockwise. Null when pieces do not close (curves that lie along each other for a while).
 * Method: cut at all meetings, keep the parts with inside on one side only (winding numbers by rays), chain; after Foley and others, Computer
 * Graphics, 19.1, with parts that go one way in x and y so that a ray's crossings are counted by ends alone.
 * @example unionOf([square, squareBesideIt]) // one ring where both overlap
 */
export const unionOf = (rings: readonly Ring[], rule: FillRule = 'nonzero'): Stroke[][] | null =>
  woundOf(rings, rule === 'nonzero' ? (n) => n !== 0 : (n) => n % 2 !== 0);

/** What is inside of closed ways: where they go round in sum other than not at all, or an odd number of times. Source: SVG 1.1, 11.3; ISO 32000-1, 8.5.3.3. */
export type FillRule = 'nonzero' | 'evenodd';

/** What lies in both of two shapes, the first by non-zero fill, the other by its rule; null when pieces do not close. */
export function commonOf(a: readonly Ring[], b: readonly Ring[], rule: FillRule = 'nonzero'): Stroke[][] | null {
  const [one, other] = [unionOf(a), unionOf(b, rule)];
  return one && other && woundOf([...one, ...other], (n) => n >= 2);
}

/** What ways go round so often, in sum, that it counts as inside. */
function woundOf(rings: readonly Ring[], inside: Inside): Stroke[][] | null {
  for (const shift of nudges) {
    const found = woundOnce(shift === 0 ? rings : rings.map((ring, i) => nudged(ring, shift * i)), inside);
    if (found !== 'open') return found;
  }
  return null;
}

/** Shares of the size by which ways that lie along each other are set apart, when they do not close as they are. */
const nudges = [0, 1e-7, 3e-7, -2e-7];

function nudged(ring: Ring, share: number): Stroke[] {
  const by = reachOfStrokes(ring) * share;
  const move = ([x, y]: P2): P2 => [x + by, y + by * 0.618];
  return ring.map((s) => (s.kind === 'line' ? { kind: 'line', a: move(s.a), b: move(s.b) } : { kind: 'bezier', points: s.points.map(move) }));
}

/** The ways; null when it is too much to look at, and "open" when pieces do not close. */
function woundOnce(rings: readonly Ring[], inside: Inside): Stroke[][] | null | 'open' {
  const strokes = rings.flat();
  const reach = reachOfStrokes(strokes);
  if (reach === 0) return [];
  const near = reach * samePlace;
  const parts = cutAtMeetings(strokes, near);
  if (!parts) return null;
  const ring = rings.flatMap((r, i) => r.map(() => i));
  const kept = parts.length > 0 ? keptOf({ parts, strokes, ring, rings: rings.length, near, inside }) : [];
  return chain(kept, strokes, near) ?? 'open';
}

function reachOfStrokes(strokes: readonly Stroke[]): number {
  let [l, b, r, t] = [Infinity, Infinity, -Infinity, -Infinity];
  for (const s of strokes)
    for (const [x, y] of pointsOf(s)) {
      l = Math.min(l, x);
      r = Math.max(r, x);
      b = Math.min(b, y);
      t = Math.max(t, y);
    }
  return Math.max(r - l, t - b, 0);
}

const pointsOf = (s: Stroke): readonly P2[] => (s.kind === 'line' ? [s.a, s.b] : s.points);
const along = (s: Stroke, axis: 0 | 1): number[] => pointsOf(s).map((p) => p[axis]);

/** Shares at which a curve turns back in x or y. */
function turnsOf(s: Stroke): number[] {
  if (s.kind === 'line') return [];
  return ([0, 1] as const).flatMap((axis) => rootsOf(derivativeOf(along(s, axis)))).filter((t) => t > 1e-9 && t < 1 - 1e-9);
}

function cutAtMeetings(strokes: readonly Stroke[], near: number): Part[] | null {
  const cuts = strokes.map((s) => [0, ...turnsOf(s), 1].sort((a, b) => a - b));
  const whole = cuts.flatMap((list, of) => spans(list, strokes[of], of, near));
  const index = [...whole].sort((p, q) => Math.min(p.a[0], p.b[0]) - Math.min(q.a[0], q.b[0]));
  // A sweep along x: only parts whose boxes meet are looked at as pairs.
  const cutting: Cutting = { strokes, cuts, near, left: mostWork };
  let open: Part[] = [];
  for (const p of index) {
    const left = Math.min(p.a[0], p.b[0]) - near;
    open = open.filter((q) => Math.max(q.a[0], q.b[0]) >= left);
    for (const q of open) if (beside(p, q, near)) meet(p, q, cutting);
    if ((cutting.left -= open.length) < 0) return null;
    open.push(p);
  }
  return cuts.flatMap((list, of) =>
    spans(
      list.sort((a, b) => a - b),
      strokes[of],
      of,
      near,
    ),
  );
}

const beside = (p: Part, q: Part, near: number): boolean =>
  Math.min(p.a[1], p.b[1]) <= Math.max(q.a[1], q.b[1]) + near && Math.min(q.a[1], q.b[1]) <= Math.max(p.a[1], p.b[1]) + near;

/** The parts between cuts, without those of no length. */
function spans(list: readonly number[], s: Stroke, of: number, near: number): Part[] {
  const out: Part[] = [];
  let from = list[0];
  let a = pointAt(s, from);
  for (let i = 1; i < list.length; i++) {
    const to = list[i];
    const b = pointAt(s, to);
    if (Math.hypot(b[0] - a[0], b[1] - a[1]) <= 4 * near && i < list.length - 1) continue;
    if (Math.hypot(b[0] - a[0], b[1] - a[1]) <= 4 * near && out.length > 0) {
      out[out.length - 1] = { ...out[out.length - 1], to, b };
    } else if (Math.hypot(b[0] - a[0], b[1] - a[1]) > 0) out.push({ of, from, to, a, b });
    from = to;
    a = b;
  }
  return out;
}

/** What is being cut: pieces, where each is cut so far, and what distance is none. */
interface Cutting {
  strokes: readonly Stroke[];
  cuts: number[][];
  near: number;
  /** How much may still be looked at. */
  left: number;
}

/** Notes where two parts meet, for both pieces. */
function meet(p: Part, q: Part, cutting: Cutting): void {
  const { strokes, cuts } = cutting;
  endsUpon(p, q, cutting);
  endsUpon(q, p, cutting);
  if (p.of === q.of && (p.to === q.from || q.to === p.from)) return;
  for (const [u, v] of meetingsOf([strokes[p.of], p], [strokes[q.of], q], cutting)) {
    cuts[p.of].push(u);
    cuts[q.of].push(v);
  }
}

/** Ends of one part that lie on another cut it. */
function endsUpon(p: Part, q: Part, { strokes, cuts, near }: Cutting): void {
  for (const end of [p.a, p.b]) {
    const share = shareOn(strokes[q.of], q, end, near);
    if (share !== null) cuts[q.of].push(share);
  }
}

/** Shares of two pieces at which parts of them meet. */
function meetingsOf([s, p]: [Stroke, Part], [t, q]: [Stroke, Part], cutting: Cutting): [number, number][] {
  if (s.kind === 'line') return t.kind === 'line' ? linesMeet(s, t) : lineMeets(s, t, q);
  if (t.kind === 'line') return lineMeets(t, s, p).map(([v, u]) => [u, v]);
  return alike(s.points, t.points) ? [] : curvesMeet([s, p], [t, q], cutting);
}

function linesMeet(s: LineSegment, t: LineSegment): [number, number][] {
  const [dx, dy] = [s.b[0] - s.a[0], s.b[1] - s.a[1]];
  const [ex, ey] = [t.b[0] - t.a[0], t.b[1] - t.a[1]];
  const cross = dx * ey - dy * ex;
  if (Math.abs(cross) <= 1e-12 * Math.hypot(dx, dy) * Math.hypot(ex, ey)) return [];
  const [fx, fy] = [t.a[0] - s.a[0], t.a[1] - s.a[1]];
  const [u, v] = [(fx * ey - fy * ex) / cross, (fx * dy - fy * dx) / cross];
  return u >= 0 && u <= 1 && v >= 0 && v <= 1 ? [[u, v]] : [];
}

/** The same curve drawn twice has no meetings but all of it. */
const alike = (a: readonly P2[], b: readonly P2[]): boolean =>
  a.length === b.length && (a.every((p, i) => apart(p, b[i]) === 0) || a.every((p, i) => apart(p, b[b.length - 1 - i]) === 0));

/** Where on a part a place lies; null when it does not, or at the part's own ends. */
function shareOn(s: Stroke, part: Part, at: P2, near: number): number | null {
  const [l, r] = [Math.min(part.a[0], part.b[0]), Math.max(part.a[0], part.b[0])];
  const [b, t] = [Math.min(part.a[1], part.b[1]), Math.max(part.a[1], part.b[1])];
  if (at[0] < l - near || at[0] > r + near || at[1] < b - near || at[1] > t + near) return null;
  if (Math.hypot(at[0] - part.a[0], at[1] - part.a[1]) <= 2 * near || Math.hypot(at[0] - part.b[0], at[1] - part.b[1]) <= 2 * near) return null;
  const axis = r - l > t - b ? 0 : 1;
  const share = shareAt(s, part, axis, at[axis]);
  const [x, y] = pointAt(s, share);
  return Math.hypot(x - at[0], y - at[1]) <= 2 * near ? share : null;
}

/** Share at which a part, which goes one way, comes to a coordinate: regula falsi within its span, halved when slow. */
function shareAt(s: Stroke, { from, to }: Pick<Part, 'from' | 'to'>, axis: 0 | 1, value: number): number {
  if (s.kind === 'line') return Math.min(1, Math.max(0, (value - s.a[axis]) / (s.b[axis] - s.a[axis] || 1)));
  const c = along(s, axis);
  let [lo, hi] = [from, to];
  const [first, last] = [valueOf(c, lo), valueOf(c, hi)];
  if ((first - value) * (last - value) > 0) return Math.abs(first - value) < Math.abs(last - value) ? lo : hi;
  const up = last > first;
  let t = lo + ((value - first) / (last - first || 1)) * (hi - lo);
  for (let i = 0; i < 60 && hi - lo > 1e-16; i++) {
    const f = valueOf(c, t) - value;
    if (f === 0) return t;
    if (f > 0 === up) hi = t;
    else lo = t;
    const slope = velocityAt(s, t)[axis];
    const next = t - f / slope;
    t = next > lo && next < hi ? next : (lo + hi) / 2;
    if (Math.abs(f) < 1e-15 * (Math.abs(value) + 1)) return t;
  }
  return t;
}

/** Where a line meets a curve's part: roots of the curve's distance from the line. */
function lineMeets(line: LineSegment, curve: BezierSegment, { from, to }: Part): [number, number][] {
  const [dx, dy] = [line.b[0] - line.a[0], line.b[1] - line.a[1]];
  const length = dx * dx + dy * dy;
  return rootsOf(curve.points.map(([x, y]) => (x - line.a[0]) * dy - (y - line.a[1]) * dx))
    .filter((v) => v >= from - 1e-12 && v <= to + 1e-12)
    .map((v): [number, number] => {
      const [x, y] = pointAt(curve, v);
      return [((x - line.a[0]) * dx + (y - line.a[1]) * dy) / length, v];
    })
    .filter(([u]) => u >= 0 && u <= 1);
}

/** A stretch of a curve with its ends and how far it may lie off its chord. */
interface Stretch {
  from: number;
  to: number;
  a: P2;
  b: P2;
  off: number;
}

/** Largest second derivative of a curve: what it lies off its chord at most, times 8, over a whole run. Source: Filip and others 1986, (1). */
function bendOf({ points }: BezierSegment): number {
  const n = points.length - 1;
  let most = 0;
  for (let i = 0; i + 2 <= n; i++)
    most = Math.max(most, Math.hypot(points[i][0] - 2 * points[i + 1][0] + points[i + 2][0], points[i][1] - 2 * points[i + 1][1] + points[i + 2][1]));
  return n * (n - 1) * most;
}

const halved = (s: BezierSegment, { from, to, a, b, off }: Stretch): [Stretch, Stretch] => {
  const middle = (from + to) / 2;
  const m = pointAt(s, middle);
  return [
    { from, to: middle, a, b: m, off: off / 4 },
    { from: middle, to, a: m, b, off: off / 4 },
  ];
};

/** Whether two stretches lie apart: by their boxes (they go one way in x and y), or by one's chord. */
function apartForSure(p: Stretch, q: Stretch): boolean {
  for (const k of [0, 1] as const) if (Math.max(p.a[k], p.b[k]) < Math.min(q.a[k], q.b[k]) || Math.max(q.a[k], q.b[k]) < Math.min(p.a[k], p.b[k])) return true;
  return beyondChord(p, q) || beyondChord(q, p);
}

function beyondChord({ a, b, off }: Stretch, q: Stretch): boolean {
  const [dx, dy] = [b[0] - a[0], b[1] - a[1]];
  const length = Math.hypot(dx, dy);
  const [c, d] = [dx * (q.a[1] - a[1]) - dy * (q.a[0] - a[0]), dx * (q.b[1] - a[1]) - dy * (q.b[0] - a[0])];
  const room = (off + q.off) * length;
  return (c > room && d > room) || (c < -room && d < -room);
}

/**
 * Where two curves meet: both cut in two while they may, until both are straight, then as lines, then Newton's method. Curves that go along each
 * other give no more than a few places.
 */
function curvesMeet([s, p]: [BezierSegment, Part], [t, q]: [BezierSegment, Part], cutting: Cutting): [number, number][] {
  const { near } = cutting;
  const found: [number, number][] = [];
  let asked = 0;
  const ask = (g: Stretch, h: Stretch, depth: number): void => {
    if (found.length >= mostMeetings || ++asked > mostAsked || apartForSure(g, h)) return;
    if (depth < deepest && Math.max(g.off, h.off) > near / 8) {
      const [g1, g2] = halved(s, g);
      const [h1, h2] = halved(t, h);
      for (const [x, y] of [[g1, h1], [g1, h2], [g2, h1], [g2, h2]] as const) ask(x, y, depth + 1); // prettier-ignore
      return;
    }
    const [dx, dy] = [g.b[0] - g.a[0], g.b[1] - g.a[1]];
    const [ex, ey] = [h.b[0] - h.a[0], h.b[1] - h.a[1]];
    const cross = dx * ey - dy * ex;
    if (Math.abs(cross) <= 1e-12 * Math.hypot(dx, dy) * Math.hypot(ex, ey)) return;
    const [fx, fy] = [h.a[0] - g.a[0], h.a[1] - g.a[1]];
    const [u, v] = [(fx * ey - fy * ex) / cross, (fx * dy - fy * dx) / cross];
    if (u < -1e-6 || u > 1 + 1e-6 || v < -1e-6 || v > 1 + 1e-6) return;
    const at: [number, number] = [g.from + (g.to - g.from) * u, h.from + (h.to - h.from) * v];
    if (!found.some(([x, y]) => Math.abs(x - at[0]) < 1e-7 && Math.abs(y - at[1]) < 1e-7)) found.push(at);
  };
  const whole = (c: BezierSegment, { from, to, a, b }: Part): Stretch => ({ from, to, a, b, off: (bendOf(c) * (to - from) ** 2) / 8 });
  ask(whole(s, p), whole(t, q), 0);
  cutting.left -= asked;
  return found.map(([u, v]) => {
    const [x, y] = newton(s, t, u, v);
    return [Math.min(1, Math.max(0, x)), Math.min(1, Math.max(0, y))];
  });
}

function newton(s: BezierSegment, t: BezierSegment, u: number, v: number): [number, number] {
  for (let i = 0; i < 4; i++) {
    const [p, q] = [pointAt(s, u), pointAt(t, v)];
    const [a, b] = [velocityAt(s, u), velocityAt(t, v)];
    const cross = a[0] * b[1] - a[1] * b[0];
    if (Math.abs(cross) < 1e-9 * Math.hypot(...a) * Math.hypot(...b)) break;
    const [dx, dy] = [q[0] - p[0], q[1] - p[1]];
    u = Math.min(1, Math.max(0, u + (dx * b[1] - dy * b[0]) / cross));
    v = Math.min(1, Math.max(0, v + (dx * a[1] - dy * a[0]) / cross));
  }
  return [u, v];
}

/** A part with inside on its left (forwards) or on its right (backwards). */
interface Kept extends Part {
  back: boolean;
}

/** Whether a place that is gone round so often counts as inside. */
type Inside = (winding: number) => boolean;

/** Everything that is cut: parts, the pieces they are of, and to which ring each piece belongs. */
interface Cut {
  parts: readonly Part[];
  strokes: readonly Stroke[];
  ring: readonly number[];
  rings: number;
  near: number;
  inside: Inside;
}

/** Parts that have inside on one side only. Parts that lie on each other are taken together. */
function keptOf(cut: Cut): Kept[] {
  const { parts, strokes, near, inside } = cut;
  const middle = parts.map((p) => pointAt(strokes[p.of], (p.from + p.to) / 2));
  const sorted = parts.map((_, i) => i).sort((i, j) => middle[i][0] - middle[j][0]);
  const place = new Int32Array(parts.length);
  sorted.forEach((i, k) => (place[i] = k));
  const done = new Uint8Array(parts.length);
  const kept: Kept[] = [];
  const winding = windings(cut);
  parts.forEach((part, i) => {
    if (done[i]) return;
    let turns = 1;
    const twins = new Set([i]);
    const look = (step: number) => {
      for (let k = place[i] + step; k >= 0 && k < sorted.length && Math.abs(middle[sorted[k]][0] - middle[i][0]) <= 8 * near; k += step) {
        const j = sorted[k];
        if (done[j] || twins.has(j) || Math.abs(middle[j][1] - middle[i][1]) > 8 * near) continue;
        const other = parts[j];
        const same = apart(other.a, part.a) <= 8 * near && apart(other.b, part.b) <= 8 * near;
        if (!same && !(apart(other.a, part.b) <= 8 * near && apart(other.b, part.a) <= 8 * near)) continue;
        twins.add(j);
        done[j] = 1;
        turns += same ? 1 : -1;
      }
    };
    look(1);
    look(-1);
    if (turns === 0) return;
    const [left, right] = winding(middle[i], part, turns, twins);
    if (inside(left) !== inside(right)) kept.push({ ...part, back: inside(right) });
  });
  return kept;
}

const apart = (a: P2, b: P2): number => Math.hypot(a[0] - b[0], a[1] - b[1]);

/** Asks how often the ways go round the places just left and just right of a part. A ring goes round nothing beyond its own box. */
function windings({ parts, strokes, ring, rings, near }: Cut) {
  const ofRing: number[][] = Array.from({ length: rings }, () => []);
  parts.forEach((p, i) => ofRing[ring[p.of]].push(i));
  const index = new Flatbush(rings);
  for (const list of ofRing) {
    const xs = list.flatMap((i) => [parts[i].a[0], parts[i].b[0]]);
    const ys = list.flatMap((i) => [parts[i].a[1], parts[i].b[1]]);
    index.add(lowest(xs) - near, lowest(ys) - near, -lowest(xs.map((v) => -v)) + near, -lowest(ys.map((v) => -v)) + near);
  }
  index.finish();
  return (at: P2, part: Part, turns: number, twins: ReadonlySet<number>): [number, number] => {
    const [dx, dy] = [part.b[0] - part.a[0], part.b[1] - part.a[1]];
    // A ray to the right, or upwards where the part lies nearly level: it leaves the part at a good angle.
    const level = Math.abs(dx) > Math.abs(dy);
    const [ray, across] = level ? ([1, 0] as const) : ([0, 1] as const);
    let count = 0;
    for (const j of index.search(at[0], at[1], at[0], at[1]).flatMap((r) => ofRing[r])) {
      if (twins.has(j)) continue;
      const { a, b, of } = parts[j];
      if (a[across] <= at[across] === b[across] <= at[across]) continue;
      const [lo, hi] = a[ray] < b[ray] ? [a[ray], b[ray]] : [b[ray], a[ray]];
      if (hi < at[ray]) continue;
      if (lo <= at[ray] && pointAt(strokes[of], shareAt(strokes[of], parts[j], across, at[across]))[ray] <= at[ray]) continue;
      const up = b[across] > a[across] ? 1 : -1;
      // Seen along +x a way going up has its left behind the ray; along +y a way going right has its left before it.
      count += level ? -up : up;
    }
    // The ray leaves on the right of a part that goes up, on the left of one that goes right.
    const leavesLeft = level ? dx > 0 : dy < 0;
    return leavesLeft ? [count, count - turns] : [count + turns, count];
  };
}

const lowest = (values: readonly number[]): number => values.reduce((m, v) => Math.min(m, v), Infinity);

/** Parts as closed ways, inside on the left; cuts that nothing came of are undone. Null when an end has nothing to go on with. */
function chain(kept: readonly Kept[], strokes: readonly Stroke[], near: number): Stroke[][] | null {
  const starts = new Map<string, number[]>();
  const cell = 64 * near;
  const key = (x: number, y: number) => `${x},${y}`;
  const startOfPart = (p: Kept): P2 => (p.back ? p.b : p.a);
  const endOfPart = (p: Kept): P2 => (p.back ? p.a : p.b);
  kept.forEach((p, i) => {
    const [x, y] = startOfPart(p);
    const k = key(Math.floor(x / cell), Math.floor(y / cell));
    const list = starts.get(k);
    if (list) list.push(i);
    else starts.set(k, [i]);
  });
  const used = new Uint8Array(kept.length);
  const heading = (p: Kept, atEnd: boolean): number => {
    const t = atEnd !== p.back ? p.to : p.from;
    const s = strokes[p.of];
    // A little within, so that curves which leave a corner alike are told apart.
    const inward = t + ((atEnd !== p.back ? p.from : p.to) - t) * 1e-3;
    const [q, r] = [pointAt(s, t), pointAt(s, inward)];
    return atEnd ? Math.atan2(q[1] - r[1], q[0] - r[0]) : Math.atan2(r[1] - q[1], r[0] - q[0]);
  };
  const next = (p: Kept): number => {
    const [x, y] = endOfPart(p);
    const [cx, cy] = [Math.floor(x / cell), Math.floor(y / cell)];
    let [best, at] = [-Infinity, -1];
    for (let i = cx - 1; i <= cx + 1; i++)
      for (let j = cy - 1; j <= cy + 1; j++)
        for (const k of starts.get(key(i, j)) ?? []) {
          if (used[k] || apart(startOfPart(kept[k]), [x, y]) > 16 * near) continue;
          // The sharpest turn to the left keeps apart what only touches.
          const turn = Math.atan2(Math.sin(heading(kept[k], false) - heading(p, true)), Math.cos(heading(kept[k], false) - heading(p, true)));
          if (turn > best) [best, at] = [turn, k];
        }
    return at;
  };
  const out: Stroke[][] = [];
  for (let i = 0; i < kept.length; i++) {
    if (used[i]) continue;
    const way: Kept[] = [];
    let k = i;
    while (k >= 0) {
      used[k] = 1;
      way.push(kept[k]);
      if (way.length > 1 || apart(endOfPart(kept[k]), startOfPart(kept[i])) <= 16 * near) {
        if (apart(endOfPart(kept[k]), startOfPart(kept[i])) <= 16 * near) break;
      }
      k = next(kept[k]);
    }
    if (k < 0) return null;
    out.push(
      closedUp(
        joined(way).map((p) => strokeOf(p, strokes)),
        near / samePlace,
      ),
    );
  }
  return out;
}

/** Neighbours that are one piece, cut for nothing, put together again. */
function joined(way: readonly Kept[]): Kept[] {
  const goesOn = (p: Kept, q: Kept): boolean => p.of === q.of && p.back === q.back && (p.back ? p.from === q.to : p.to === q.from);
  const first = way.findIndex((p, i) => !goesOn(way[(i + way.length - 1) % way.length], p));
  const turned = first > 0 ? [...way.slice(first), ...way.slice(0, first)] : way;
  const out: Kept[] = [];
  for (const p of turned) {
    const last = out[out.length - 1];
    if (last && goesOn(last, p)) out[out.length - 1] = last.back ? { ...last, from: p.from, a: p.a } : { ...last, to: p.to, b: p.b };
    else out.push({ ...p });
  }
  return out;
}

function strokeOf({ of, from, to, back }: Kept, strokes: readonly Stroke[]): Stroke {
  const s = from === 0 && to === 1 ? strokes[of] : (pieceOf(strokes[of], from, to) as Stroke);
  if (!back) return s;
  return s.kind === 'line' ? { kind: 'line', a: s.b, b: s.a } : { kind: 'bezier', points: [...s.points].reverse() };
}

/** Each piece begins exactly where the one before ends; lines of hardly any length, slivers of meetings at a small angle, go. */
function closedUp(way: readonly Stroke[], reach: number): Stroke[] {
  const end = (s: Stroke): P2 => (s.kind === 'line' ? s.b : s.points[s.points.length - 1]);
  const whole = way.filter((s) => s.kind !== 'line' || apart(s.a, s.b) > reach * crumb);
  return whole.map((s, i): Stroke => {
    const from = end(whole[(i + whole.length - 1) % whole.length]);
    return s.kind === 'line' ? { kind: 'line', a: from, b: s.b } : { kind: 'bezier', points: [from, ...s.points.slice(1)] };
  });
}

/** Any pieces as lines and Béziers are unchanged. @throws TypeError for arcs and splines, which letters have none of. */
export function ringOf(segments: readonly Segment[]): Stroke[] {
  return segments.map((s) => {
    if (s.kind !== 'line' && s.kind !== 'bezier') throw new TypeError(`a ${s.kind} is no stroke of a letter`);
    return s;
  });
}
