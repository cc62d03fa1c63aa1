import { Unusable } from '../base/finding.ts';
import { areaOfContour, type Contour, type Drawing } from '../curves/drawing.ts';
import { fitContour } from '../curves/fit.ts';
import { meetingOf } from '../curves/meet.ts';
import { nest, type Nested } from '../curves/nest.ts';
import { lengthOf } from '../curves/measure.ts';
import { endOf, pointAt, reversed, startOf, type ArcSegment, type LineSegment, type P2, type Segment } from '../curves/segment.ts';

/** Bridges that hold the islands of a stencil. Lengths in mm. */
export interface BridgeChoice {
  /** For each island. */
  count: number;
  width: number;
  /** Turns where they stand along the island's edge: 0 begins at the narrowest place, 1 comes round to it again. */
  from: number;
}

/** What bridges did. */
export interface Bridged {
  drawing: Drawing;
  islands: number;
  bridges: number;
  /** Islands that could not be held, with why. */
  left: string[];
}

/** So many islands are held in one drawing. */
export const mostIslands = 400;

/** Islands of a stencil: what lies in a hole of a region that is cut away, and would fall out. */
export const islandsOf = (drawing: Drawing): Nested[] => nest(drawing).filter((n) => n.depth % 2 === 1);

/**
 * Holds every island by bridges: straight strips from the island's edge to the edge round it, where nothing is cut. Each turns the region into as many
 * pieces as it has bridges (one bridge leaves one, open like a C). Lines and arcs stay exact; other curves become such within 0.002 mm.
 * @throws Unusable for more islands than are held
 */
export function bridged(drawing: Drawing, choice: BridgeChoice): Bridged {
  const islands = islandsOf(drawing);
  if (islands.length > mostIslands)
    throw new Unusable(
      'too-many-islands',
      `The drawing has ${islands.length.toLocaleString('en')} islands; at most ${mostIslands} are held.`,
      'Fill small holes first.',
    );
  let now: Drawing = {
    ...drawing,
    pattern: undefined,
    patch: undefined,
    picture: drawing.picture && { ...drawing.picture, edge: [] },
    layers: drawing.layers.map((l) => ({ ...l, contours: l.contours.map(plain) })),
  };
  const left: string[] = [];
  let bridges = 0;
  const done = new Set<Contour>();
  for (let round = 0; round < islands.length; round++) {
    const list = nest(now);
    const island = list.find((n) => n.depth % 2 === 1 && !done.has(now.layers[n.layer].contours[n.contour]));
    if (!island) break;
    const inner = now.layers[island.layer].contours[island.contour];
    const around = list[island.around];
    const outer = now.layers[around.layer].contours[around.contour];
    const held = hold(inner, outer, choice);
    if (typeof held === 'string') {
      left.push(held);
      done.add(inner);
      continue;
    }
    bridges += choice.count;
    now = {
      ...now,
      layers: now.layers.map((l, i) => ({
        ...l,
        contours: [...l.contours.filter((c) => c !== inner && c !== outer), ...(i === around.layer ? held : [])],
      })),
    };
  }
  return { drawing: now, islands: islands.length, bridges, left };
}

/** Lines and arcs only, counter-clockwise. */
function plain(contour: Contour): Contour {
  if (!contour.closed) return contour;
  const fitted = contour.segments.every((s) => s.kind === 'line' || s.kind === 'arc') ? contour : fitContour(contour, 0.002).result;
  return areaOfContour(fitted) < 0 ? { ...fitted, segments: fitted.segments.map(reversed).reverse() } : fitted;
}

/** A place on a contour: which segment, and its share of it. */
interface Spot {
  segment: number;
  share: number;
  at: P2;
}

/** Where the two sides of a bridge meet the island and the outside. */
interface Strip {
  inner: [Spot, Spot];
  outer: [Spot, Spot];
}

/** The pieces that a region becomes when an island in it is held; why it can't be held, else. */
function hold(inner: Contour, outer: Contour, { count, width, from }: BridgeChoice): Contour[] | string {
  const strips: Strip[] = [];
  const long = inner.segments.reduce((sum, s) => sum + lengthOf(s), 0);
  if (long < count * width * 1.5) return `An island of ${Math.abs(areaOfContour(inner)).toFixed(2)} mm² is too small for ${count} bridges of ${width} mm.`;
  const narrowest = nearestAlong(inner, outer, long);
  for (let k = 0; k < count; k++) {
    const strip = stripNear([inner, outer], narrowest + (from + k / count) * long, long / count, width);
    if (!strip) return `A bridge of ${width} mm finds no straight way from an island to the edge round it.`;
    strips.push(strip);
  }
  return assembled(inner, outer, strips);
}

/** Places tried on either side of where a bridge is wanted, within its share of the island's edge. */
const beside = 9;

/** The strip at a place along the island's edge, or as near to it as one goes straight across: to the nearest place outside. */
function stripNear(pair: [Contour, Contour], along: number, room: number, width: number): Strip | null {
  const [inner, outer] = pair;
  const long = inner.segments.reduce((sum, s) => sum + lengthOf(s), 0);
  for (let k = 0; k < 2 * beside; k++) {
    const shift = ((k % 2 ? 1 : -1) * Math.ceil(k / 2) * room) / (2 * beside + 2);
    const { at } = spotAt(inner, (((along + shift) % long) + long) % long);
    const strip = stripBetween(pair, at, nearestOn(outer, at), width);
    if (strip) return strip;
  }
  return null;
}

/** The region between, cut along the strips: from each strip along the island back to the next, over, and along the outside back. */
function assembled(inner: Contour, outer: Contour, strips: Strip[]): Contour[] | string {
  // Seen from the island outward, [0] is the side before the strip in the direction of both contours, [1] the side after it.
  const order = [...strips].sort((a, b) => position(a.inner[1]) - position(b.inner[1]));
  const out: Contour[] = [];
  for (let k = 0; k < order.length; k++) {
    const [a, b] = [order[k], order[(k + 1) % order.length]];
    const along = between(outer, a.outer[1], b.outer[0]);
    const back = between(inner, a.inner[1], b.inner[0]).map(reversed).reverse();
    const line = (from: P2, to: P2): LineSegment => ({ kind: 'line', a: from, b: to });
    out.push({ ...outer, segments: [...along, line(b.outer[0].at, b.inner[0].at), ...back, line(a.inner[1].at, a.outer[1].at)] });
  }
  const whole = Math.abs(areaOfContour(outer)) - Math.abs(areaOfContour(inner));
  const made = out.reduce((sum, c) => sum + areaOfContour(c), 0);
  // Strips that run into each other leave areas that go round the wrong way, or more than there was.
  if (out.some((c) => areaOfContour(c) <= 0) || made >= whole) return 'Bridges of an island would run into each other.';
  return out;
}

const position = ({ segment, share }: Spot): number => segment + share;

/** Segments from one place of a closed contour forward to another. */
function between(contour: Contour, from: Spot, to: Spot): Segment[] {
  const n = contour.segments.length;
  const out: Segment[] = [];
  const wraps = position(to) <= position(from);
  const last = to.segment + (wraps ? n : 0);
  for (let i = from.segment; i <= last; i++) {
    const s = contour.segments[i % n];
    const [a, b] = [i === from.segment ? from.share : 0, i === last ? to.share : 1];
    if (b > a + 1e-12) out.push(part(s as LineSegment | ArcSegment, a, b));
  }
  return out;
}

/** A piece of a line or an arc between two shares. */
function part(s: LineSegment | ArcSegment, a: number, b: number): Segment {
  return s.kind === 'line' ? { kind: 'line', a: pointAt(s, a), b: pointAt(s, b) } : { ...s, start: s.start + s.sweep * a, sweep: s.sweep * (b - a) };
}

/** The strip along a straight way from the island to the outside: where both of its sides meet both contours. */
function stripBetween([inner, outer]: [Contour, Contour], p: P2, q: P2, width: number): Strip | null {
  const length = Math.hypot(q[0] - p[0], q[1] - p[1]);
  if (!(length > 1e-9)) return null;
  const [ux, uy] = [(q[0] - p[0]) / length, (q[1] - p[1]) / length];
  // As far as a side may meet its contour; whatever the drawing's size.
  const reach = 2 * length + 4 * width;
  // Right of the way first: both contours run counter-clockwise, so that they come to that side first.
  const sides = [1, -1].map((sign) => {
    const [x, y] = [p[0] + (sign * uy * width) / 2, p[1] - (sign * ux * width) / 2];
    const line: LineSegment = { kind: 'line', a: [x - ux * reach, y - uy * reach], b: [x + ux * reach, y + uy * reach] };
    const of = (contour: Contour, near: P2) => nearestMeeting(contour, line, near);
    return { inner: of(inner, [x, y]), outer: of(outer, [x + ux * length, y + uy * length]) };
  });
  const [right, left] = sides;
  if (!right.inner || !right.outer || !left.inner || !left.outer) return null;
  // A side that meets its contour far from where the strip is has gone past it.
  const far = (spot: Spot, to: P2) => Math.hypot(spot.at[0] - to[0], spot.at[1] - to[1]) > 2 * width + length;
  if (far(right.inner, p) || far(left.inner, p) || far(right.outer, q) || far(left.outer, q)) return null;
  return { inner: [right.inner, left.inner], outer: [right.outer, left.outer] };
}

function nearestMeeting(contour: Contour, line: LineSegment, near: P2): Spot | null {
  let [best, found] = [Infinity, null as Spot | null];
  contour.segments.forEach((s, segment) => {
    const { places } = meetingOf(s as LineSegment | ArcSegment, line, 1e-9);
    for (let i = 0; i < places.length; i += 2) {
      const at: P2 = [places[i], places[i + 1]];
      const d = Math.hypot(at[0] - near[0], at[1] - near[1]);
      if (d < best) [best, found] = [d, { segment, share: shareOf(s as LineSegment | ArcSegment, at), at }];
    }
  });
  return found;
}

function shareOf(s: LineSegment | ArcSegment, [x, y]: P2): number {
  if (s.kind === 'line') {
    const [dx, dy] = [s.b[0] - s.a[0], s.b[1] - s.a[1]];
    return Math.min(1, Math.max(0, ((x - s.a[0]) * dx + (y - s.a[1]) * dy) / (dx * dx + dy * dy || 1)));
  }
  const turn = 2 * Math.PI;
  const angle = (Math.atan2(y - s.centre[1], x - s.centre[0]) - s.start) * Math.sign(s.sweep);
  return Math.min(1, (angle - turn * Math.floor(angle / turn + 1e-12)) / Math.abs(s.sweep));
}

/** A place so far along a contour, mm. */
function spotAt(contour: Contour, along: number): Spot {
  let left = along;
  for (const [segment, s] of contour.segments.entries()) {
    const length = lengthOf(s);
    if (left <= length || segment === contour.segments.length - 1) {
      const share = length > 0 ? Math.min(1, left / length) : 0;
      return { segment, share, at: pointAt(s, share) };
    }
    left -= length;
  }
  return { segment: 0, share: 0, at: startOf(contour.segments[0]) };
}

/** Places of an island's edge that are tried for the narrowest. */
const tries = 240;

/** How far along the island's edge the way to the outside is shortest. */
function nearestAlong(inner: Contour, outer: Contour, long: number): number {
  let [best, at] = [Infinity, 0];
  for (let k = 0; k < tries; k++) {
    const p = spotAt(inner, (long * (k + 0.5)) / tries).at;
    const q = nearestOn(outer, p);
    const d = Math.hypot(q[0] - p[0], q[1] - p[1]);
    if (d < best - 1e-9) [best, at] = [d, (long * (k + 0.5)) / tries];
  }
  return at;
}

/** The place of a contour of lines and arcs that is nearest. */
function nearestOn(contour: Contour, [x, y]: P2): P2 {
  let [best, at] = [Infinity, [x, y] as P2];
  const ask = (q: P2) => {
    const d = Math.hypot(q[0] - x, q[1] - y);
    if (d < best) [best, at] = [d, q];
  };
  for (const s of contour.segments) {
    ask(startOf(s));
    ask(endOf(s));
    if (s.kind === 'line') ask(pointAt(s, shareOf(s, [x, y])));
    else if (s.kind === 'arc') {
      const d = Math.hypot(x - s.centre[0], y - s.centre[1]);
      if (!(d > 0)) continue;
      const q: P2 = [s.centre[0] + ((x - s.centre[0]) * s.radius) / d, s.centre[1] + ((y - s.centre[1]) * s.radius) / d];
      const share = shareOf(s, q);
      if (share < 1) ask(q);
    }
  }
  return at;
}
