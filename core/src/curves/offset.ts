import type { CrossSection } from 'manifold-3d';
import { Unusable } from '../base/finding.ts';
import type { Engine } from '../engine/engine.ts';
import { areaOfContour, boxOfContour, contourOf, reachOf, type Contour } from './drawing.ts';
import { tinyLength } from './check.ts';
import { meetingsOf } from './meetings.ts';
import { fitContour } from './fit.ts';
import { flattened } from './flatten.ts';
import { meetingOf, type Piece } from './meet.ts';
import { circle, crossOf, directionAt, distance, endOf, fromBulge, isFull, pieceOf, startOf, turn, type ArcSegment, type P2, type Segment } from './segment.ts';
import { growBox, lengthOf, noBox, type Box2 } from './measure.ts';

/** Deviation of arcs that stand for curves whose parallel has no exact form, mm. */
export const offsetDeviation = 0.002;
/** Corners stay sharp up to this many offsets away from the corner; beyond, a round joins them. Common practice. */
export const sharpLimit = 3;
/** A round that an offset leaves smaller than this was a corner: its neighbours meet there again, mm. */
const cornerRadius = 1e-4;
/** Ends this near are one, mm. */
const joined = 1e-9;
/** A corner that turns by less, rad, is no corner to be joined by a round too short to be cut. */
const smallBend = 0.2;

/**
 * The closed contour parallel to another: `by` mm outward (positive) or inward (negative). Exact where lines stay lines and arcs stay arcs;
 * where parts of it vanish or meet, the area is offset on fine polygons and arcs are fitted again, within `offsetDeviation`.
 * An inward offset may leave nothing or several contours. Source: parallel curves of lines and arcs, any handbook of geometry.
 */
export function offsetContour(engine: Engine, contour: Contour, by: number): { contours: Contour[]; exact: boolean } {
  if (by === 0) return { contours: [contour], exact: true };
  const plain = contour.segments.every((s) => s.kind === 'line' || s.kind === 'arc') ? contour : fitContour(contour, offsetDeviation).result;
  const counter = areaOfContour(plain) > 0;
  const left = counter ? -by : by;
  const exact = exactOffset(plain.segments as Piece[], left);
  if (exact && sound(exact, contour, counter)) return { contours: [{ ...contour, segments: exact }], exact: true };
  return { contours: byPolygons(engine, plain, by), exact: false };
}

function sound(segments: Segment[], like: Contour, counter: boolean): boolean {
  const made = { ...like, segments, closed: true };
  if (areaOfContour(made) > 0 !== counter) return false;
  const box = boxOfContour(made);
  const found = meetingsOf(segments, box, reachOf(box) * 1e-7);
  return found.crossings.length + found.touches.length + found.doubles.length + found.overlaps.length === 0;
}

/** Each piece moved to its left by d; null when a piece vanishes or runs backwards. */
function exactOffset(all: Piece[], d: number): Segment[] | null {
  const segments = all.length > 2 ? all.filter((s) => s.kind === 'line' || Math.abs(s.radius - Math.sign(s.sweep) * d) > cornerRadius) : all;
  if (segments.length === 1 && isFull(segments[0])) {
    const arc = segments[0] as ArcSegment;
    const radius = arc.radius - Math.sign(arc.sweep) * d;
    return radius > 1e-9 ? [{ ...arc, radius }] : null;
  }
  const moved: Piece[] = [];
  for (const s of segments) {
    if (s.kind === 'line') {
      const [x, y] = directionAt(s, 0);
      moved.push({ kind: 'line', a: [s.a[0] - y * d, s.a[1] + x * d], b: [s.b[0] - y * d, s.b[1] + x * d] });
    } else {
      const radius = s.radius - Math.sign(s.sweep) * d;
      if (radius <= 1e-9) return null;
      moved.push({ ...s, radius });
    }
  }
  const n = segments.length;
  const ends: { to: P2; from: P2; between: Segment | null }[] = [];
  for (let i = 0; i < n; i++) {
    const joint = jointOf([segments[i], segments[(i + 1) % n]], [moved[i], moved[(i + 1) % n]], d);
    if (!joint) return null;
    ends.push(joint);
  }
  const out: Segment[] = [];
  for (let i = 0; i < n; i++) {
    const piece = between(moved[i], ends[(i + n - 1) % n].from, ends[i].to);
    if (!piece) return null;
    out.push(piece);
    const filler = ends[i].between;
    if (filler) out.push(filler);
  }
  return out;
}

/** Where a moved piece ends and the next begins, and what lies between them. */
function jointOf([s, t]: readonly [Piece, Piece], [s2, t2]: readonly [Piece, Piece], d: number): { to: P2; from: P2; between: Segment | null } | null {
  const corner = endOf(s);
  const [u, v] = [directionAt(s, 1), directionAt(t, 0)];
  const bend = Math.atan2(crossOf(u, v), u[0] * v[0] + u[1] * v[1]);
  const [p, q] = [endOf(s2), startOf(t2)];
  if (Math.abs(bend) < 1e-7 || distance(p, q) < 1e-12) return { to: p, from: p, between: null };
  // A round too short for any machine: the pieces meet halfway instead, off by far less than its length.
  if (distance(p, q) < tinyLength && Math.abs(bend) < smallBend) {
    const at: P2 = [(p[0] + q[0]) / 2, (p[1] + q[1]) / 2];
    return { to: at, from: at, between: null };
  }
  if (bend * d > 0) {
    // The corner turns towards the offset: the pieces are cut where they cross.
    const { places } = meetingOf(s2, t2, 1e-9);
    let best: P2 | null = s2.kind === 'line' && t2.kind === 'line' ? nearEnds(s2, t2) : null;
    for (let k = 0; k < places.length; k += 2) {
      const at: P2 = [places[k], places[k + 1]];
      if (!best || distance(at, corner) < distance(best, corner)) best = at;
    }
    return best ? { to: best, from: best, between: null } : null;
  }
  // The corner turns away: two lines stay sharp up to a limit, everything else is joined by a round about the corner.
  const reach = Math.abs(d) / Math.cos(bend / 2);
  if (s.kind === 'line' && t.kind === 'line' && reach <= sharpLimit * Math.abs(d)) {
    const half: P2 = [u[0] - v[0], u[1] - v[1]];
    const size = Math.hypot(...half);
    const at: P2 = [corner[0] + (half[0] / size) * reach, corner[1] + (half[1] / size) * reach];
    return { to: at, from: at, between: null };
  }
  return { to: p, from: q, between: fromBulge(p, q, Math.tan(bend / 4)) };
}

/** Where two lines that end and begin at nearly the same place cross, though rounding may keep them from reaching it; null when they don't. */
function nearEnds(s: Segment & { kind: 'line' }, t: Segment & { kind: 'line' }): P2 | null {
  if (distance(s.b, t.a) > cornerRadius) return null;
  const [u, v] = [directionAt(s, 1), directionAt(t, 0)];
  const k = crossOf([t.a[0] - s.b[0], t.a[1] - s.b[1]], v) / crossOf(u, v);
  return Number.isFinite(k) && Math.abs(k) < 10 * cornerRadius ? [s.b[0] + u[0] * k, s.b[1] + u[1] * k] : null;
}

/** The moved piece from one place on it to another; null when that runs against its sense. */
function between(s: Piece, from: P2, to: P2): Piece | null {
  if (s.kind === 'line') {
    const along = (to[0] - from[0]) * (s.b[0] - s.a[0]) + (to[1] - from[1]) * (s.b[1] - s.a[1]);
    return along > 0 ? { kind: 'line', a: from, b: to } : null;
  }
  const sign = Math.sign(s.sweep);
  const start = Math.atan2(from[1] - s.centre[1], from[0] - s.centre[0]);
  let sweep = (sign * (Math.atan2(to[1] - s.centre[1], to[0] - s.centre[0]) - start)) % turn;
  if (sweep < 0) sweep += turn;
  // An arc that became longer than it was by nearly a turn has run backwards.
  if (sweep > Math.abs(s.sweep) + 1e-6 && sweep > Math.PI) return null;
  if (!(sweep > 1e-12)) return null;
  const arc: Piece = { ...s, start, sweep: sign * sweep };
  // Where pieces meet halfway that is beside the circle: it is bent to end there, so that no gap is left.
  return distance(startOf(arc), from) + distance(endOf(arc), to) < joined ? arc : (fromBulge(from, to, Math.tan((sign * sweep) / 4)) as Piece);
}

/** A contour that can't be moved piece by piece, of more corners than this, takes minutes. */
export const mostMoved = 150_000;

function byPolygons(engine: Engine, contour: Contour, by: number): Contour[] {
  const fine = Math.max(offsetDeviation / 4, reachOf(boxOfContour(contour)) * 1e-7);
  const ring = ringOf(contour, fine);
  if (ring.length > mostMoved) {
    throw new Unusable(
      'too-many-corners',
      `A contour of ${ring.length.toLocaleString('en')} corners is too long to be moved sideways by ${Math.abs(by)} mm.`,
      'Fit arcs or simplify it on the Soundness step first.',
    );
  }
  const rounds = Math.max(32, Math.ceil(Math.PI / Math.acos(Math.max(0.5, 1 - fine / Math.max(fine * 2, Math.abs(by))))));
  const area = engine.CrossSection.ofPolygons([ring], 'EvenOdd');
  const offset = area.offset(by, 'Miter', sharpLimit, rounds * 2);
  try {
    return contoursFrom(offset, contour);
  } finally {
    offset.delete();
    area.delete();
  }
}

function ringOf(contour: Contour, deviation: number): [number, number][] {
  const points = flattened(contour.segments, deviation);
  if (points.length > 1 && distance(points[0], points[points.length - 1]) < deviation) points.pop();
  return points;
}

/** The outlines of an area as contours of lines and arcs. */
function contoursFrom(area: CrossSection, like: Contour | null, deviation = offsetDeviation): Contour[] {
  return area.toPolygons().map((polygon) => {
    const points = polygon.map((p): P2 => [p[0], p[1]]);
    const segments = points.map((a, i): Segment => ({ kind: 'line', a, b: points[(i + 1) % points.length] }));
    const rough = like ? { ...like, segments, closed: true } : contourOf(segments, true);
    return fitContour(rough, deviation).result;
  });
}

/** Areas of a sheet part: outer contours less holes, as polygons of the library. The caller deletes it. */
export function areaOf(engine: Engine, contours: readonly Contour[], deviation = offsetDeviation): CrossSection {
  return engine.CrossSection.ofPolygons(
    contours.filter((c) => c.closed).map((c) => ringOf(c, deviation)),
    'EvenOdd',
  );
}

/** Where a bit of a given diameter does not reach. */
export interface Unreached {
  /** Contours of what is left standing. */
  contours: Contour[];
  /** mm2 */
  area: number;
  /** Radius that would reach everywhere is at most this, mm: the smallest inner radius found; 0 for sharp corners. */
  smallestRadius: number;
}

/**
 * What a round bit leaves when it cuts along the inside of a region (a hole or a pocket) or the outside of a part.
 * @param inside true when the bit runs inside the contours (holes, pockets).
 * Source: morphological opening, Serra 1982: the region less what a disc inside it covers.
 */
export function unreachedBy(engine: Engine, contour: Contour, diameter: number, inside: boolean): Unreached {
  // A hair less than the bit: rounds of just its radius are reached.
  const r = (diameter / 2) * (1 - 0.004);
  const fine = Math.max(1e-4, r / 400);
  const own = engine.CrossSection.ofPolygons([ringOf(contour, fine)], 'EvenOdd');
  const kept: CrossSection[] = [own];
  const keep = <T extends CrossSection>(c: T): T => (kept.push(c), c);
  try {
    const box = boxOfContour(contour);
    const m = 4 * diameter;
    const region = inside
      ? own
      : keep(keep(engine.CrossSection.ofPolygons([[[box[0] - m, box[1] - m], [box[2] + m, box[1] - m], [box[2] + m, box[3] + m], [box[0] - m, box[3] + m]]], 'EvenOdd')).subtract(own)); // prettier-ignore
    const opened = keep(keep(region.offset(-r, 'Round', 2, 256)).offset(r, 'Round', 2, 256));
    // Slivers along rounds of the polygons are no material.
    const left = keep(keep(keep(region.subtract(opened)).offset(-fine * 3, 'Round', 2, 32)).offset(fine * 3, 'Round', 2, 32));
    const inner = inside
      ? left
      : keep(left.intersect(keep(keep(engine.CrossSection.ofPolygons([ringOf(contour, fine)], 'EvenOdd')).offset(diameter, 'Round', 2, 64))));
    return { contours: contoursFrom(inner, null, fine * 4), area: inner.area(), smallestRadius: smallestInnerRadius(contour, inside) };
  } finally {
    for (const c of kept) c.delete();
  }
}

/** Leftovers whose longer side is more than so many cuts are slits and tips that are gone, and not the rounds of corners. */
const slitShare = 2;
/** Chords a turn of the discs that stand for the cut, and how much larger the second is, so that what its chords leave is no place. */
const cutChords = 16;
const cutSpare = 1.06;
/** A contour of more corners than this takes minutes to be asked. */
export const mostAsked = 50_000;

/**
 * Places where a cut of a width does not get in: slits and necks that are narrower than it, and long tips. Each by its box, mm. Null for a
 * contour of more than `mostAsked` corners, which isn't asked.
 * @param inside true when the cut runs inside the contour (a hole)
 * @example narrowPlaces(engine, hole, 0.2, true)?.length // 0: all of it is cut
 * Source: morphological opening, as in `unreachedBy`.
 */
export function narrowPlaces(engine: Engine, contour: Contour, width: number, inside: boolean): Box2[] | null {
  const r = (width / 2) * (1 - 0.004);
  const ring = ringOf(contour, r / 50);
  if (ring.length > mostAsked) return null;
  const [left, bottom, right, top] = boxOfContour(contour);
  const m = 4 * width;
  const frame: [number, number][] = [[left - m, bottom - m], [right + m, bottom - m], [right + m, top + m], [left - m, top + m]]; // prettier-ignore
  const kept: CrossSection[] = [];
  const keep = (c: CrossSection): CrossSection => (kept.push(c), c);
  try {
    const region = keep(engine.CrossSection.ofPolygons(inside ? [ring] : [frame, ring], 'EvenOdd'));
    const cut = keep(keep(region.offset(-r, 'Round', 2, cutChords)).offset(r * cutSpare, 'Round', 2, cutChords));
    // The frame's own corners are no places.
    return keep(region.subtract(cut))
      .toPolygons()
      .map((polygon) => boxOfPoints(polygon))
      .filter(([l, b, h, t]) => Math.max(h - l, t - b) > slitShare * width && l > left - m / 2 && h < right + m / 2);
  } finally {
    for (const c of kept) c.delete();
  }
}

function boxOfPoints(points: readonly (readonly number[])[]): Box2 {
  const box = noBox();
  for (const [x, y] of points) growBox(box, [x, y]);
  return box;
}

/** The smallest radius that a bit has to have at most, running inside or outside of a contour, mm; 0 for a sharp corner. Infinity when nothing bends towards it. */
export function smallestInnerRadius(contour: Contour, inside: boolean): number {
  const plain = contour.segments.every((s) => s.kind === 'line' || s.kind === 'arc') ? contour : fitContour(contour, offsetDeviation).result;
  const side = (areaOfContour(plain) > 0 ? 1 : -1) * (inside ? 1 : -1);
  let least = Infinity;
  const n = plain.segments.length;
  plain.segments.forEach((s, i) => {
    if (s.kind === 'arc' && s.sweep * side > 0) least = Math.min(least, s.radius);
    if (n === 1) return;
    const [u, v] = [directionAt(s, 1), directionAt(plain.segments[(i + 1) % n], 0)];
    if (crossOf(u, v) * side > 0.02) least = 0;
  });
  return least;
}

/**
 * Corners that a round bit can't reach get a relief: a circle of the bit's radius through the corner, on its bisector ("dog-bone").
 * Only corners between two lines that are long enough. Source: common practice.
 */
export function withCornerReliefs(contour: Contour, diameter: number, inside: boolean): { contour: Contour; reliefs: number } {
  const r = diameter / 2;
  const side = (areaOfContour(contour) > 0 ? 1 : -1) * (inside ? 1 : -1);
  const { segments } = contour;
  const n = segments.length;
  const out: Segment[] = [...segments];
  const after: (Segment | null)[] = segments.map(() => null);
  let reliefs = 0;
  for (let i = 0; i < n; i++) {
    const j = (i + 1) % n;
    const s = out[i];
    const t = out[j];
    if (s.kind !== 'line' || t.kind !== 'line' || i === j) continue;
    const [u, v] = [directionAt(s, 1), directionAt(t, 0)];
    const bend = Math.atan2(crossOf(u, v), u[0] * v[0] + u[1] * v[1]);
    if (bend * side < 0.35 || Math.abs(bend) > 2.8) continue;
    const corner = s.b;
    const bisector: P2 = [v[0] - u[0], v[1] - u[1]];
    const size = Math.hypot(...bisector);
    const centre: P2 = [corner[0] + (bisector[0] / size) * r, corner[1] + (bisector[1] / size) * r];
    // The circle passes through the corner; it leaves each line where the line comes out of it.
    const back = 2 * r * Math.abs((bisector[0] * -u[0] + bisector[1] * -u[1]) / size);
    if (back >= lengthOf(s) - 1e-9 || back >= lengthOf(t) - 1e-9) continue;
    const from: P2 = [corner[0] - u[0] * back, corner[1] - u[1] * back];
    const to: P2 = [corner[0] + v[0] * back, corner[1] + v[1] * back];
    const start = Math.atan2(from[1] - centre[1], from[0] - centre[0]);
    const middle = Math.atan2(corner[1] - centre[1], corner[0] - centre[0]);
    const half = Math.atan2(Math.sin(middle - start), Math.cos(middle - start));
    after[i] = { kind: 'arc', centre, radius: r, start, sweep: 2 * half };
    out[i] = { ...s, b: from };
    out[j] = { ...t, a: to };
    reliefs++;
  }
  return { contour: { ...contour, segments: out.flatMap((s, i) => (after[i] ? [s, after[i]] : [s])) }, reliefs };
}

/**
 * Leaves bridges standing: the contour as open pieces with `count` gaps of `width` mm, spread evenly and on straight pieces where there is one.
 * @throws Unusable when the contour is too short for them.
 */
export function withTabs(contour: Contour, count: number, width: number): Contour[] {
  const lengths = contour.segments.map(lengthOf);
  const total = lengths.reduce((n, l) => n + l, 0);
  if (count * width > total / 2)
    throw new Unusable('tabs-too-wide', `${count} tabs of ${width} mm do not fit on a contour of ${total.toFixed(1)} mm.`, 'Choose fewer or narrower tabs.');
  const starts = [0];
  for (const l of lengths) starts.push(starts[starts.length - 1] + l);
  const wanted = Array.from({ length: count }, (_, k) => ((k + 0.5) * total) / count);
  const places = wanted.map((at) => {
    // The middle of the nearest straight piece that is long enough, within half the spacing.
    let best = at;
    let least = total / count / 2;
    contour.segments.forEach((s, i) => {
      if (s.kind !== 'line' || lengths[i] < width * 1.5) return;
      const near = Math.min(Math.max(at, starts[i] + width * 0.75), starts[i + 1] - width * 0.75);
      if (Math.abs(near - at) < least) {
        least = Math.abs(near - at);
        best = near;
      }
    });
    return best;
  });
  places.sort((a, b) => a - b);
  return places.map((at, k): Contour => {
    const from = at + width / 2;
    const to = (k + 1 < count ? places[k + 1] : places[0] + total) - width / 2;
    return { ...contour, closed: false, segments: stretch(contour.segments, starts, from, to) };
  });
}

/** The pieces between two lengths along a closed chain; `to` may run past the end. */
function stretch(segments: Segment[], starts: number[], from: number, to: number): Segment[] {
  const total = starts[starts.length - 1];
  const out: Segment[] = [];
  for (const lap of [0, 1]) {
    segments.forEach((s, i) => {
      const low = Math.max(from, starts[i] + lap * total);
      const high = Math.min(to, starts[i + 1] + lap * total);
      const length = starts[i + 1] - starts[i];
      if (high - low <= 1e-9) return;
      const a = (low - lap * total - starts[i]) / length;
      const b = (high - lap * total - starts[i]) / length;
      if (s.kind === 'spline') {
        if (a < 1e-9 && b > 1 - 1e-9) out.push(s);
        return;
      }
      out.push(a < 1e-9 && b > 1 - 1e-9 ? s : pieceOf(s, a, b));
    });
  }
  return out;
}

/** A circle as a contour. */
export const circleContour = (centre: P2, radius: number): Contour => contourOf([circle(centre, radius)], true);
