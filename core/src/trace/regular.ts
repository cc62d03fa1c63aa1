import Flatbush from 'flatbush';
import { contourOf, areaOfContour } from '../curves/drawing.ts';
import { mergedContour } from '../curves/fit.ts';
import { flattened } from '../curves/flatten.ts';
import { lengthOf } from '../curves/measure.ts';
import { meetingOf } from '../curves/meet.ts';
import { areaAxis } from '../curves/moments.ts';
import {
  directionAt,
  distance,
  endOf,
  fromBulge,
  isFull,
  pieceOf,
  reversed,
  startOf,
  turn,
  type ArcSegment,
  type LineSegment,
  type P2,
  type Segment,
} from '../curves/segment.ts';
import { shareOf } from '../curves/split.ts';
import { nearOutline } from './off.ts';
import { keeps, type Made } from './outlines.ts';
import type { RegularCounts } from './regular-words.ts';

export interface Regular {
  counts: RegularCounts;
  /** The same contours, those that are regular made exactly so. */
  made: Made[];
}

/** Half turns and quarters may miss by what bends an end by so many times the deviation. */
const slackShare = 2;
/** An axis is looked for among contours of so many pieces at most, and through so many of its points. */
const mostPieces = 400;
const mostAsked = 600;
const mostRefined = 8;
/** So many directions are looked at closely, and so many contours for being mirrored at all. */
const mostLooked = 3;
const mostMirrored = 2000;
/** A contour tells an axis only when it is so many times as large as what mirrored places may be off. */
const leastSize = 20;
/** How far places mirrored in an axis may lie off their outline, pixels: what a pixel rounds off beside corners may double. */
const mirrorSlack = (near: number): number => 2 * near + 0.9;

/**
 * Looks for circles, rectangles, rectangles with round corners, slots, and for one line that contours are alike on both sides of. Each is taken only when it
 * stays as near to every place of the picture's edge as its contour has to. Lengths in pixels.
 * @param near how far contours may lie off the edge @example regularOf(made, 0.06).counts.rounded
 */
export function regularOf(made: readonly Made[], near: number): Regular {
  const counts: RegularCounts = { circles: 0, rectangles: 0, rounded: 0, slots: 0, mirrored: 0 };
  const done = new Set<number>();
  const out = made.map((m, i) => {
    const found = m.closed && m.width === null ? shapeOf(m, near) : null;
    if (!found) return m;
    counts[found.kind]++;
    done.add(i);
    return { ...m, outline: found.outline };
  });
  for (const [i, outline] of mirroredOf(out, done, near)) {
    counts.mirrored++;
    out[i] = { ...out[i], outline };
  }
  return { counts, made: out };
}

type Kind = 'circles' | 'rectangles' | 'rounded' | 'slots';

/** The regular shape that an outline is within the deviation; null when it is none. */
function shapeOf({ row, outline }: Made, near: number): { kind: Kind; outline: Segment[] } | null {
  if (outline.length === 1 && isFull(outline[0])) return { kind: 'circles', outline };
  if (outline.some((s) => s.kind !== 'line' && s.kind !== 'arc')) return null;
  // It begins with a line.
  const first = outline.findIndex((s) => s.kind === 'line');
  if (first < 0) return null;
  const round = [...outline.slice(first), ...outline.slice(0, first)];
  const kinds = round.map((s) => s.kind[0]).join('');
  const found =
    kinds === 'llll'
      ? { kind: 'rectangles' as const, outline: rectangular(round as LineSegment[], [], near) }
      : kinds === 'lalalala'
        ? { kind: 'rounded' as const, outline: rectangular(lines(round), arcs(round), near) }
        : kinds === 'lala'
          ? { kind: 'slots' as const, outline: slot(lines(round), arcs(round), near) }
          : null;
  return found?.outline && keeps(row, found.outline, near) ? { kind: found.kind, outline: found.outline } : null;
}
const lines = (list: readonly Segment[]): LineSegment[] => list.filter((s) => s.kind === 'line');
const arcs = (list: readonly Segment[]): ArcSegment[] => list.filter((s) => s.kind === 'arc');

const mean = (list: readonly number[]): number => list.reduce((sum, v) => sum + v, 0) / list.length;
const spread = (list: readonly number[]): number => Math.max(...list) - Math.min(...list);

/** Four sides set square to each other, with equal rounds or none; null when they are not nearly so. */
function rectangular(sides: readonly LineSegment[], rounds: readonly ArcSegment[], near: number): Segment[] | null {
  const slack = slackShare * near;
  const dirs = sides.map((s) => directionAt(s, 0));
  // The mean direction of a cross: angles count fourfold, weighted by the square of the length.
  const [c, s] = sides.reduce(
    ([x, y], side, k) => {
      const a = 4 * Math.atan2(dirs[k][1], dirs[k][0]);
      const w = lengthOf(side) ** 2;
      return [x + w * Math.cos(a), y + w * Math.sin(a)];
    },
    [0, 0],
  );
  const cross = Math.atan2(s, c) / 4;
  const radii = rounds.map((r) => r.radius);
  const radius = rounds.length > 0 ? mean(radii) : 0;
  if (rounds.length > 0 && (spread(radii) > 2 * slack || rounds.some((r) => (Math.abs(Math.abs(r.sweep) - Math.PI / 2) * radius) / 2 > 2 * slack))) return null;
  // Each side along the nearest direction of the cross, through its middle.
  const set = sides.map((side, k) => {
    const quarter = Math.round((Math.atan2(dirs[k][1], dirs[k][0]) - cross) / (Math.PI / 2));
    const a = cross + (quarter * Math.PI) / 2;
    const u: P2 = [Math.cos(a), Math.sin(a)];
    const off = Math.abs(dirs[k][0] * u[1] - dirs[k][1] * u[0]) * (lengthOf(side) / 2);
    return { u, at: [(side.a[0] + side.b[0]) / 2, (side.a[1] + side.b[1]) / 2] as P2, off };
  });
  if (set.some(({ off }) => off > slack)) return null;
  const bends = set.map(({ u }, k) => u[0] * set[(k + 1) % 4].u[1] - u[1] * set[(k + 1) % 4].u[0]);
  // Round one way, a quarter each time.
  if (!bends.every((b) => Math.abs(b - bends[0]) < 0.1 && Math.abs(b) > 0.9)) return null;
  const corners = set.map(({ u, at }, k) => {
    const next = set[(k + 1) % 4];
    const t = ((next.at[0] - at[0]) * next.u[1] - (next.at[1] - at[1]) * next.u[0]) / (u[0] * next.u[1] - u[1] * next.u[0]);
    return [at[0] + u[0] * t, at[1] + u[1] * t] as P2;
  });
  const out: Segment[] = [];
  for (let k = 0; k < 4; k++) {
    const [from, to, u, next] = [corners[(k + 3) % 4], corners[k], set[k].u, set[(k + 1) % 4].u];
    const [a, b]: P2[] = [[from[0] + u[0] * radius, from[1] + u[1] * radius], [to[0] - u[0] * radius, to[1] - u[1] * radius]]; // prettier-ignore
    out.push({ kind: 'line', a, b });
    if (radius > 0) out.push(fromBulge(b, [to[0] + next[0] * radius, to[1] + next[1] * radius], Math.sign(bends[k]) * Math.tan(Math.PI / 8)));
  }
  return out;
}

/** Two equal sides and two half circles; null when they are not nearly so. */
function slot(sides: readonly LineSegment[], rounds: readonly ArcSegment[], near: number): Segment[] | null {
  const slack = slackShare * near;
  const [p, q] = sides.map((s) => directionAt(s, 0));
  // The two run against each other.
  const long = Math.hypot(p[0] - q[0], p[1] - q[1]);
  if (long < 1.9) return null;
  const u: P2 = [(p[0] - q[0]) / long, (p[1] - q[1]) / long];
  const across = (v: P2) => v[1] * u[0] - v[0] * u[1];
  const along = (v: P2) => v[0] * u[0] + v[1] * u[1];
  if (sides.some((s, k) => (Math.abs(across([p, q][k])) * lengthOf(s)) / 2 > slack)) return null;
  const levels = sides.map((s) => mean([across(s.a), across(s.b)]));
  const radius = Math.abs(levels[0] - levels[1]) / 2;
  const middle = mean(levels);
  if (rounds.some((r) => Math.abs(r.radius - radius) > 2 * slack || Math.abs(across(r.centre) - middle) > 2 * slack || Math.abs(Math.abs(r.sweep) - Math.PI) > 0.5)) return null; // prettier-ignore
  // Half circles about places on the middle line; an arc that turns a little less than half has its middle a little off.
  const ends = rounds.map((r) => along(r.centre) + Math.sign(along(midOf(r)) - along(r.centre)) * (r.radius - radius));
  const place = (t: number, n: number): P2 => [u[0] * t - u[1] * n, u[1] * t + u[0] * n];
  const bulge = Math.sign(rounds[0].sweep);
  // The first round comes after the first side, which runs along u.
  const [far, back] = ends;
  const [a, b, c, d] = [place(back, levels[0]), place(far, levels[0]), place(far, levels[1]), place(back, levels[1])];
  return [{ kind: 'line', a, b }, fromBulge(b, c, bulge), { kind: 'line', a: c, b: d }, fromBulge(d, a, bulge)];
}
const midOf = (r: ArcSegment): P2 => [r.centre[0] + r.radius * Math.cos(r.start + r.sweep / 2), r.centre[1] + r.radius * Math.sin(r.start + r.sweep / 2)];

/** A line through a place, by the angle of its direction, rad. */
interface Axis {
  at: P2;
  angle: number;
}

const mirror = ([x, y]: P2, { at, angle }: Axis): P2 => {
  const [c, s] = [Math.cos(2 * angle), Math.sin(2 * angle)];
  const [dx, dy] = [x - at[0], y - at[1]];
  return [at[0] + c * dx + s * dy, at[1] + s * dx - c * dy];
};

/** On which side of an axis a place lies, mm to the left. */
const beside = ([x, y]: P2, { at, angle }: Axis): number => (y - at[1]) * Math.cos(angle) - (x - at[0]) * Math.sin(angle);

/** An outline mirrored, running the same way round as before. */
const mirrored = (outline: readonly Segment[], axis: Axis): Segment[] =>
  outline
    .map((s): Segment => {
      if (s.kind === 'line') return { kind: 'line', a: mirror(s.b, axis), b: mirror(s.a, axis) };
      if (s.kind !== 'arc') return s;
      return reversed({ ...s, centre: mirror(s.centre, axis), start: 2 * axis.angle - s.start, sweep: -s.sweep });
    })
    .reverse();

/** Contours that are alike on both sides of the axis of the largest that has one: by number, with their outlines made so. */
function mirroredOf(made: readonly Made[], done: ReadonlySet<number>, near: number): Map<number, Segment[]> {
  const out = new Map<number, Segment[]>();
  const plain = made.flatMap((m, i) => (m.closed && m.width === null && m.outline.length <= mostPieces && m.outline.every((s) => s.kind === 'line' || s.kind === 'arc') ? [i] : [])); // prettier-ignore
  const about = new Map(plain.map((i) => [i, aboutOf(made[i])]));
  const free = plain.filter((i) => !done.has(i) && made[i].outline.length > 2).sort((a, b) => about.get(b)!.area - about.get(a)!.area).slice(0, mostMirrored); // prettier-ignore
  // The few largest are asked for an axis; a smaller one would say little of the whole.
  for (const first of free.slice(0, 4)) {
    const axis = axisOf(made[first], near);
    if (!axis) continue;
    for (const i of free) {
      if (out.has(i)) continue;
      const own = halved(made[i], axis, near);
      if (own) {
        out.set(i, own);
        continue;
      }
      const { area, middle } = about.get(i)!;
      const there = mirror(middle, axis);
      const like = (k: number) => Math.abs(about.get(k)!.area - area) < 0.02 * area + 2 && distance(about.get(k)!.middle, there) < 1;
      const other = free.find((k) => k !== i && !out.has(k) && made[k].outline.length >= made[i].outline.length && like(k) && keeps(made[k].row, mirrored(made[i].outline, axis), near)); // prettier-ignore
      if (other !== undefined) {
        out.set(i, made[i].outline);
        out.set(other, mirrored(made[i].outline, axis));
      }
    }
    if (out.size > 0) break;
  }
  return out;
}
/** Area without sign, and the middle of the places of the edge. */
function aboutOf({ row: { xy }, outline }: Made): { area: number; middle: P2 } {
  let [x, y] = [0, 0];
  for (let i = 0; i < xy.length; i += 2) [x, y] = [x + xy[i], y + xy[i + 1]];
  return { area: Math.abs(areaOfContour(contourOf([...outline], true))), middle: [(2 * x) / xy.length, (2 * y) / xy.length] };
}

/** The line that an outline is alike on both sides of; null when there is none. */
function axisOf({ row, outline }: Made, near: number): Axis | null {
  // A small blob is alike on both sides of something by chance.
  if (Math.sqrt(Math.abs(areaOfContour(contourOf([...outline], true)))) < leastSize * mirrorSlack(near)) return null;
  const ring = flattened(outline, near / 2).slice(0, -1);
  const { at, angle } = areaAxis(ring);
  const step = Math.max(1, Math.floor(row.xy.length / 2 / mostAsked));
  const points: P2[] = [];
  for (let i = 0; i < row.xy.length / 2; i += step) points.push([row.xy[i * 2], row.xy[i * 2 + 1]]);
  const tried = [angle, angle + Math.PI / 2, ...outline.slice(0, 24).map((s) => Math.atan2(startOf(s)[1] - at[1], startOf(s)[0] - at[0]))];
  // Those under which places mirror best are looked at closely.
  const off = nearOutline(outline);
  const raw = tried.map((a) => {
    const axis = { at, angle: a };
    return { axis, mean: points.reduce((sum, p) => sum + Math.min(20, off(...mirror(p, axis))), 0) };
  });
  raw.sort((a, b) => a.mean - b.mean);
  const nearest = nearestChord(flattened(outline, 0.05));
  let best: { axis: Axis; off: number } | null = null;
  for (const { axis: some } of raw.slice(0, mostLooked)) {
    const axis = refined(some, points, nearest);
    const far = Math.max(...points.map((p) => off(...mirror(p, axis))));
    if (!best || far < best.off) best = { axis, off: far };
  }
  return best && best.off <= mirrorSlack(near) ? best.axis : null;
}

/** An axis turned and moved until places mirrored in it lie on the outline as well as they can. Source: point-to-line registration, Chen and Medioni, 1991. */
function refined(first: Axis, points: readonly P2[], nearest: ReturnType<typeof nearestChord>): Axis {
  let axis = first;
  for (let k = 0; k < mostRefined; k++) {
    // Unknown: turn of the axis, and its move across. A mirrored place moves by twice both.
    let [aa, ab, bb, ra, rb] = [0, 0, 0, 0, 0];
    const across: P2 = [-Math.sin(axis.angle), Math.cos(axis.angle)];
    for (const p of points) {
      const q = mirror(p, axis);
      const found = nearest(q);
      if (!found) continue;
      const { off, normal } = found;
      const [dx, dy] = [q[0] - axis.at[0], q[1] - axis.at[1]];
      const turn = 2 * (dx * normal[1] - dy * normal[0]);
      const move = 2 * (across[0] * normal[0] + across[1] * normal[1]);
      aa += turn * turn;
      ab += turn * move;
      bb += move * move;
      ra += turn * off;
      rb += move * off;
    }
    const det = aa * bb - ab * ab;
    if (!(Math.abs(det) > 1e-12)) break;
    const [turn, move] = [(ra * bb - rb * ab) / det, (aa * rb - ab * ra) / det];
    axis = { at: [axis.at[0] + across[0] * move, axis.at[1] + across[1] * move], angle: axis.angle + turn };
    if (Math.abs(turn) < 1e-10 && Math.abs(move) < 1e-9) break;
  }
  return axis;
}

/** Places farther than this from an outline tell nothing of its axis, pixels. */
const farthestAsked = 3;

/** The nearest chord of a ring to a place, with how far it is along its normal; null when none is near. */
function nearestChord(ring: readonly P2[]): (p: P2) => { off: number; normal: P2 } | null {
  const n = ring.length - 1;
  const index = new Flatbush(n);
  for (let i = 0; i < n; i++) {
    const [a, b] = [ring[i], ring[i + 1]];
    index.add(Math.min(a[0], b[0]), Math.min(a[1], b[1]), Math.max(a[0], b[0]), Math.max(a[1], b[1]));
  }
  index.finish();
  return ([x, y]) => {
    let [best, at] = [farthestAsked ** 2, -1];
    for (const i of index.search(x - farthestAsked, y - farthestAsked, x + farthestAsked, y + farthestAsked)) {
      const [a, b] = [ring[i], ring[i + 1]];
      const [dx, dy] = [b[0] - a[0], b[1] - a[1]];
      const t = Math.min(1, Math.max(0, ((x - a[0]) * dx + (y - a[1]) * dy) / (dx * dx + dy * dy || 1)));
      const d = (x - a[0] - t * dx) ** 2 + (y - a[1] - t * dy) ** 2;
      if (d < best) [best, at] = [d, i];
    }
    if (at < 0) return null;
    const [a, b] = [ring[at], ring[at + 1]];
    const long = Math.hypot(b[0] - a[0], b[1] - a[1]) || 1;
    const normal: P2 = [-(b[1] - a[1]) / long, (b[0] - a[0]) / long];
    return { off: (a[0] - x) * normal[0] + (a[1] - y) * normal[1], normal };
  };
}

/** An outline that crosses the axis twice, put together of the half with fewer pieces and its mirror image; null when that leaves the edge. */
function halved({ row, outline }: Made, axis: Axis, near: number): Segment[] | null {
  const cuts = crossings(outline, axis);
  if (cuts.length !== 2) return null;
  const halves = [chain(outline, cuts[0], cuts[1]), chain(outline, cuts[1], cuts[0])].sort((a, b) => a.length - b.length);
  for (const half of halves) {
    const onAxis = snapped(half, axis);
    const whole = mergedContour(contourOf([...onAxis, ...mirrored(onAxis, axis)], true), near / 2).segments;
    if (keeps(row, whole, near)) return whole;
  }
  return null;
}

interface Cut {
  segment: number;
  share: number;
}

/** Where an outline crosses an axis, in its order. */
function crossings(outline: readonly Segment[], axis: Axis): Cut[] {
  const far = 1e5;
  const u: P2 = [Math.cos(axis.angle), Math.sin(axis.angle)];
  const line: LineSegment = { kind: 'line', a: [axis.at[0] - far * u[0], axis.at[1] - far * u[1]], b: [axis.at[0] + far * u[0], axis.at[1] + far * u[1]] };
  const found: Cut[] = [];
  outline.forEach((s, segment) => {
    if (s.kind !== 'line' && s.kind !== 'arc') return;
    const { places } = meetingOf(s, line, 1e-9);
    for (let k = 0; k < places.length; k += 2) found.push({ segment, share: shareOf(s, [places[k], places[k + 1]]) });
  });
  found.sort((a, b) => a.segment - b.segment || a.share - b.share);
  // A corner on the axis is met by both pieces that meet in it.
  const place = (c: Cut): P2 => startOf(pieceOf(outline[c.segment] as LineSegment | ArcSegment, Math.min(c.share, 1 - 1e-12), 1));
  return found.filter((c, i) => found.slice(0, i).every((o) => distance(place(o), place(c)) > 1e-6));
}

/** The pieces of a closed outline from one cut on to another. */
function chain(outline: readonly Segment[], from: Cut, to: Cut): Segment[] {
  const out: Segment[] = [];
  const n = outline.length;
  const part = (k: number, a: number, b: number) => {
    const s = outline[k];
    if (b - a < 1e-9 || s.kind === 'spline') return;
    const piece = a <= 0 && b >= 1 ? s : pieceOf(s, a, b);
    if (lengthOf(piece) > 1e-6) out.push(piece);
  };
  if (from.segment === to.segment && from.share < to.share) {
    part(from.segment, from.share, to.share);
    return out;
  }
  part(from.segment, from.share, 1);
  for (let k = (from.segment + 1) % n; k !== to.segment; k = (k + 1) % n) part(k, 0, 1);
  part(to.segment, 0, to.share);
  return out;
}

/** A half whose ends lie on the axis to the last digit: lines end there, rounds have their middle there, so that they run on as one. */
function snapped(half: readonly Segment[], axis: Axis): Segment[] {
  const onto = (p: P2): P2 => {
    const d = beside(p, axis);
    return [p[0] + Math.sin(axis.angle) * d, p[1] - Math.cos(axis.angle) * d];
  };
  const last = half.length - 1;
  return half.map((s, i): Segment => {
    if (s.kind === 'line') return { kind: 'line', a: i === 0 ? onto(s.a) : s.a, b: i === last ? onto(s.b) : s.b };
    if (s.kind !== 'arc' || (i !== 0 && i !== last) || half.length === 1) return s;
    // From where it meets its neighbour, about the place on the axis next to its middle.
    const [fixed, free] = i === 0 ? [endOf(s), startOf(s)] : [startOf(s), endOf(s)];
    const centre = onto(s.centre);
    const angle = Math.atan2(fixed[1] - centre[1], fixed[0] - centre[0]);
    const along = (free[0] - centre[0]) * Math.cos(axis.angle) + (free[1] - centre[1]) * Math.sin(axis.angle) > 0 ? axis.angle : axis.angle + Math.PI;
    const sense = Math.sign(s.sweep);
    const between = i === 0 ? angle - along : along - angle;
    const sweep = sense * ((((sense * between) % turn) + turn) % turn);
    return { kind: 'arc', centre, radius: distance(fixed, centre), start: i === 0 ? along : angle, sweep };
  });
}
