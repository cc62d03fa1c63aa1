import Flatbush from 'flatbush';
import { PointGrid } from './grid.ts';
import { boxOfDrawing, lengthOfContour, reachOf, reversedContour, type Contour, type Drawing, type Layer } from './drawing.ts';
import {
  type ArcSegment,
  type LineSegment,
  type P2,
  type Segment,
  bulgeOf,
  crossOf,
  directionAt,
  distance,
  endOf,
  fromBulge,
  isFull,
  startOf,
} from './segment.ts';
import { growBox, noBox } from './measure.ts';
import { nodesOfEnds, regionWalks } from './regions.ts';

/** Ends nearer than this share of the reach are the same point: what double precision and a file's digits leave. */
export const sameShare = 1e-9;

/** What chaining did. */
export interface Chained {
  drawing: Drawing;
  /** Pairs of ends that were joined over a distance above `same`. */
  joined: number;
  /** Segments turned round to run with their chain. */
  reversed: number;
}

/** A loose end of an open contour: end 0 is its start, end 1 its end. */
export interface LooseEnd {
  layer: number;
  contour: number;
  end: 0 | 1;
  at: P2;
}

/** Two loose ends nearest to each other, mm apart. */
export interface Gap {
  a: LooseEnd;
  b: LooseEnd;
  distance: number;
}

/** Distance under which ends count as the same point, mm. Files write at least 6 decimals in practice, hence the floor. */
export function sameDistance(drawing: Drawing, reach = reachOf(boxOfDrawing(drawing))): number {
  return Math.max(1e-6, reach * sameShare);
}

/**
 * Joins contours whose ends lie within `tolerance` (mm) into chains, nearest pairs first; of several at one place the straightest.
 * Only within one layer and colour. Ends that do not meet are brought together (see `broughtTogether`).
 */
export function chained(drawing: Drawing, tolerance: number): Chained {
  let joined = 0;
  let turned = 0;
  const layers = drawing.layers.map((layer): Layer => {
    const groups = new Map<string, Contour[]>();
    for (const contour of layer.contours) {
      const plain = contour.colour === null && contour.meaning === null && contour.depth === undefined;
      const key = plain ? '' : `${contour.colour}/${contour.meaning}/${contour.depth ?? ''}`;
      const group = groups.get(key);
      if (group) group.push(contour);
      else groups.set(key, [contour]);
    }
    const contours: Contour[] = [];
    for (const group of groups.values()) {
      const done = chainedGroup(group, tolerance);
      for (const c of done.contours) contours.push(c);
      joined += done.joined;
      turned += done.reversed;
    }
    return { ...layer, contours };
  });
  return { drawing: { ...drawing, layers }, joined, reversed: turned };
}

const selfClosed = (c: Contour) => c.segments.length === 1 && isFull(c.segments[0]);

function chainedGroup(contours: Contour[], tolerance: number): { contours: Contour[]; joined: number; reversed: number } {
  const open = contours.filter((c) => !c.closed && c.segments.length > 0 && !selfClosed(c));
  const out = contours.filter((c) => c.closed || selfClosed(c)).map((c) => (c.closed ? c : { ...c, closed: true }));
  if (open.length === 0) return { contours: out, joined: 0, reversed: 0 };
  const ends: P2[] = [];
  for (const c of open) ends.push(startOf(c.segments[0]), endOf(c.segments[c.segments.length - 1]));
  const partner = partners(open, ends, tolerance);
  let joined = 0;
  let turned = 0;
  const done = new Uint8Array(open.length);
  const walk = (first: number, entry: number) => {
    // From `first`, entered at end `entry`, along partners until a loose end or the first again.
    const chain: Contour[] = [];
    let at = first;
    let from = entry;
    let closed = false;
    for (;;) {
      done[at] = 1;
      if (from === 1) turned += open[at].segments.length;
      chain.push(from === 1 ? reversedContour(open[at]) : open[at]);
      const next = partner[at * 2 + (1 - from)];
      if (next < 0) break;
      if (distance(ends[at * 2 + (1 - from)], ends[next]) > 0) joined++;
      at = next >> 1;
      from = next & 1;
      if (at === first) {
        closed = true;
        break;
      }
    }
    out.push(linked(chain, closed, tolerance));
  };
  for (let i = 0; i < open.length; i++) {
    if (done[i] || (partner[i * 2] >= 0 && partner[i * 2 + 1] >= 0)) continue;
    walk(i, partner[i * 2] < 0 ? 0 : 1);
  }
  for (let i = 0; i < open.length; i++) if (!done[i]) walk(i, 0);
  return { contours: out, joined, reversed: turned };
}

/** So many ends near one end are looked at. */
const mostLooked = 512;

/** Per end the end it is joined to, or -1. */
function partners(open: Contour[], ends: P2[], tolerance: number): Int32Array {
  const partner = new Int32Array(ends.length).fill(-1);
  const flat = new Float64Array(ends.length * 2);
  for (let i = 0; i < ends.length; i++) {
    flat[i * 2] = ends[i][0];
    flat[i * 2 + 1] = ends[i][1];
  }
  const grid = new PointGrid(flat, Math.max(tolerance, 1e-12));
  const pairs: { a: number; b: number; far: number; bend: number }[] = [];
  for (let a = 0; a < ends.length; a++) {
    let taken = 0;
    let looked = 0;
    const take = (b: number) => {
      if (++looked > mostLooked) return true;
      if (b <= a) return false;
      const far = Math.hypot(flat[a * 2] - flat[b * 2], flat[a * 2 + 1] - flat[b * 2 + 1]);
      if (far > tolerance) return false;
      if (a >> 1 === b >> 1 && !mayCloseItself(open[a >> 1], far)) return false;
      pairs.push({ a, b, far, bend: bendBetween(open, a, b) });
      // Hundreds of ends at one place are no chain; a few candidates each are enough.
      return ++taken > 32;
    };
    grid.laterInCell(a, take);
    grid.ring(a, 1, take);
  }
  for (const [a, b] of regionPairs(open, pairs)) {
    partner[a] = b;
    partner[b] = a;
  }
  const same = tolerance * 1e-3;
  // Equal bends are taken in the order of the drawing, so that what was written and read again is chained alike.
  const bends = (p: { bend: number }) => Math.round(p.bend * 1e6);
  pairs.sort((x, y) => (Math.abs(x.far - y.far) > same ? x.far - y.far : bends(x) - bends(y) || x.a - y.a || x.b - y.b));
  for (const { a, b } of pairs) {
    if (partner[a] >= 0 || partner[b] >= 0) continue;
    partner[a] = b;
    partner[b] = a;
  }
  return partner;
}

/**
 * Where several shapes touch at a place, which end goes on into which so that each shape stays its own. Only pieces of the drawing in which
 * an even number of ends meets everywhere, more than two of them somewhere, are asked; the rest is left to the straightest way.
 */
function regionPairs(open: Contour[], pairs: readonly { a: number; b: number }[]): [number, number][] {
  const near = new Map<number, number[]>();
  for (const { a, b } of pairs) {
    const list = near.get(a);
    if (list) list.push(b);
    else near.set(a, [b]);
  }
  const { node, size } = nodesOfEnds(open.length * 2, (i, take) => near.get(i)?.forEach(take));
  if (size.every((n) => n <= 2)) return [];
  // Connected pieces of the drawing: nodes joined by contours.
  const piece = nodesOfEnds(size.length, neighboursOf(open.length, node));
  const wanted = Array.from({ length: piece.size.length }, () => false);
  const refused = Array.from({ length: piece.size.length }, () => false);
  size.forEach((n, i) => {
    if (n > 2) wanted[piece.node[i]] = true;
    if (n % 2 === 1) refused[piece.node[i]] = true;
  });
  const byPiece = new Map<number, number[]>();
  for (let i = 0; i < open.length; i++) {
    const p = piece.node[node[i * 2]];
    if (!wanted[p] || refused[p]) continue;
    const list = byPiece.get(p);
    if (list) list.push(i);
    else byPiece.set(p, [i]);
  }
  const found: [number, number][] = [];
  for (const list of byPiece.values()) {
    const numbers = new Map<number, number>();
    const numbered = (n: number) => numbers.get(n) ?? (numbers.set(n, numbers.size), numbers.size - 1);
    const links = list.map((i) => ({ segments: open[i].segments, from: numbered(node[i * 2]), to: numbered(node[i * 2 + 1]) }));
    const walks = regionWalks(links, numbers.size);
    for (const walk of walks ?? []) {
      walk.forEach(({ link, back }, k) => {
        const after = walk[(k + 1) % walk.length];
        found.push([list[link] * 2 + (back ? 0 : 1), list[after.link] * 2 + (after.back ? 1 : 0)]);
      });
    }
  }
  return found;
}

/** For joining nodes: each contour's start calls its end. */
function neighboursOf(contours: number, node: Int32Array): (i: number, take: (j: number) => void) => void {
  const ahead = new Map<number, number[]>();
  for (let i = 0; i < contours; i++) {
    const list = ahead.get(node[i * 2]);
    if (list) list.push(node[i * 2 + 1]);
    else ahead.set(node[i * 2], [node[i * 2 + 1]]);
  }
  return (i, take) => ahead.get(i)?.forEach(take);
}

/** A chain closes on itself only when it is much longer than the gap. */
function mayCloseItself(contour: Contour, far: number): boolean {
  const straight = contour.segments.length === 1 && contour.segments[0].kind === 'line';
  return !straight && lengthOfContour(contour) > 4 * far;
}

/** Turn between leaving end a and going into end b, rad. */
function bendBetween(open: Contour[], a: number, b: number): number {
  const out = outward(open[a >> 1], a & 1);
  const into = outward(open[b >> 1], b & 1);
  return Math.abs(Math.atan2(crossOf(out, [-into[0], -into[1]]), -(out[0] * into[0] + out[1] * into[1])));
}

/** Direction in which a contour would go on beyond its end. */
function outward(contour: Contour, end: number): P2 {
  const s = contour.segments[end === 0 ? 0 : contour.segments.length - 1];
  const d = directionAt(s, end === 0 ? 0 : 1);
  return end === 0 ? [-d[0], -d[1]] : d;
}

function linked(chain: Contour[], closed: boolean, tolerance: number): Contour {
  const segments: Segment[] = [...chain[0].segments];
  for (const contour of chain.slice(1)) {
    const next = [...contour.segments];
    const between = broughtTogether(segments[segments.length - 1], next[0], tolerance);
    segments[segments.length - 1] = between.before;
    next[0] = between.after;
    if (between.bridge) segments.push(between.bridge);
    for (const s of next) segments.push(s);
  }
  if (closed) {
    const last = segments.length - 1;
    if (last > 0) {
      const between = broughtTogether(segments[last], segments[0], tolerance);
      segments[last] = between.before;
      segments[0] = between.after;
      if (between.bridge) segments.push(between.bridge);
    } else {
      const gap: [P2, P2] = [endOf(segments[0]), startOf(segments[0])];
      if (distance(...gap) > Math.max(tolerance * 1e-3, noiseShare * Math.max(1, Math.abs(gap[0][0]), Math.abs(gap[0][1]))))
        segments.push({ kind: 'line', a: gap[0], b: gap[1] });
    }
  }
  return { ...chain[0], segments, closed };
}

/**
 * Brings the end of one piece and the start of the next together: lines are lengthened or cut to where they cross when that is near,
 * else both move to the middle; an arc keeps its bulge when it moves by less than a hundredth of its chord; anything else gets a bridge.
 */
export function broughtTogether(before: Segment, after: Segment, tolerance: number): { before: Segment; after: Segment; bridge: Segment | null } {
  const p = endOf(before);
  const q = startOf(after);
  const gap = distance(p, q);
  // What rounding leaves between two ends is no gap: a line there would be one that nobody drew.
  if (gap <= noiseShare * Math.max(1, Math.abs(p[0]), Math.abs(p[1]))) return { before, after, bridge: null };
  const middle: P2 = [(p[0] + q[0]) / 2, (p[1] + q[1]) / 2];
  if (before.kind === 'line' && after.kind === 'line') {
    const at = lineCrossing(before, after);
    const meet = at && distance(at, middle) <= 2 * Math.max(gap, tolerance * 1e-3) ? at : middle;
    return { before: { ...before, b: meet }, after: { ...after, a: meet }, bridge: null };
  }
  if (before.kind === 'line') return { before: { ...before, b: q }, after, bridge: null };
  if (after.kind === 'line') return { before, after: { ...after, a: p }, bridge: null };
  if (after.kind === 'arc' && moves(after, gap)) return { before, after: fromBulge(p, endOf(after), bulgeOf(after)), bridge: null };
  if (before.kind === 'arc' && moves(before, gap)) return { before: fromBulge(startOf(before), q, bulgeOf(before)), after, bridge: null };
  if (gap <= mostSnap) {
    const to = snapped(after, 0, p);
    if (to) return { before, after: to, bridge: null };
    const from = snapped(before, 1, q);
    if (from) return { before: from, after, bridge: null };
  }
  return { before, after, bridge: { kind: 'line', a: p, b: q } };
}

/** Gaps up to this, mm, are what a file's digits leave: the end of a curve is moved over them rather than a line drawn. */
const mostSnap = 2e-6;

/** A curve with one end moved; null for kinds whose end is no control point. */
function snapped(s: Segment, end: 0 | 1, to: P2): Segment | null {
  const last = (n: number) => (end === 0 ? 0 : n - 1);
  if (s.kind === 'bezier') return { ...s, points: s.points.map((p, i) => (i === last(s.points.length) ? to : p)) };
  if (s.kind !== 'spline') return null;
  const n = s.points.length;
  const clamped = end === 0 ? s.knots[0] === s.knots[s.degree] : s.knots[n] === s.knots[n + s.degree];
  return clamped ? { ...s, points: s.points.map((p, i) => (i === last(n) ? to : p)) } : null;
}

/** Ends nearer than this share of their own numbers (mm) are one place. */
const noiseShare = 1e-9;

const moves = (arc: ArcSegment, gap: number) => gap < 0.01 * distance(startOf(arc), endOf(arc)) && Math.abs(arc.sweep) < 6;

function lineCrossing(s: LineSegment, t: LineSegment): P2 | null {
  const d: P2 = [s.b[0] - s.a[0], s.b[1] - s.a[1]];
  const e: P2 = [t.b[0] - t.a[0], t.b[1] - t.a[1]];
  const n = crossOf(d, e);
  if (Math.abs(n) < 1e-9 * Math.hypot(...d) * Math.hypot(...e)) return null;
  const k = crossOf([t.a[0] - s.a[0], t.a[1] - s.a[1]], e) / n;
  return [s.a[0] + d[0] * k, s.a[1] + d[1] * k];
}

/** The loose ends of all open contours. */
export function looseEnds(drawing: Drawing): LooseEnd[] {
  const found: LooseEnd[] = [];
  drawing.layers.forEach((layer, l) => {
    layer.contours.forEach((c, i) => {
      if (c.closed || c.segments.length === 0) return;
      found.push({ layer: l, contour: i, end: 0, at: startOf(c.segments[0]) });
      found.push({ layer: l, contour: i, end: 1, at: endOf(c.segments[c.segments.length - 1]) });
    });
  });
  return found;
}

/** Neighbours of a loose end that are thought of. */
const nearest = 3;

/** The nearest few of each loose end, nearest first, -1 where there are no more: flat, since there may be hundreds of thousands. */
function nearestEnds(ends: readonly LooseEnd[]): Int32Array {
  const flat = new Float64Array(ends.length * 2);
  const box = noBox();
  ends.forEach(({ at }, i) => {
    flat[i * 2] = at[0];
    flat[i * 2 + 1] = at[1];
    growBox(box, at);
  });
  // About one end a cell; what has no neighbour within a few cells is asked of the tree.
  const [w, h] = [box[2] - box[0], box[3] - box[1]];
  const grid = new PointGrid(flat, Math.max(Math.sqrt((w * h) / ends.length), (w + h) / ends.length, 1e-9));
  let tree: Flatbush | null = null;
  const neighbours = new Int32Array(ends.length * nearest).fill(-1);
  for (let a = 0; a < ends.length; a++) {
    let found: readonly number[] = grid.found;
    if (grid.nearest(a, nearest, 4) < nearest) {
      tree ??= treeOf(ends);
      found = tree.neighbors(ends[a].at[0], ends[a].at[1], nearest + 1).filter((b) => b !== a);
    }
    for (let k = 0; k < nearest; k++) neighbours[a * nearest + k] = found[k] ?? -1;
  }
  return neighbours;
}

function treeOf(ends: readonly LooseEnd[]): Flatbush {
  const tree = new Flatbush(ends.length);
  for (const { at } of ends) tree.add(at[0], at[1], at[0], at[1]);
  tree.finish();
  return tree;
}

/** Pairs of loose ends, nearest first, each end in one pair at most. A straight contour of one piece does not pair with itself. */
export function gapsOf(drawing: Drawing): Gap[] {
  const ends = looseEnds(drawing);
  if (ends.length < 2) return [];
  const neighbours = nearestEnds(ends);
  const used = new Uint8Array(ends.length);
  const may = (a: number, b: number) => {
    if (b < 0 || used[b]) return false;
    const own = ends[a].layer === ends[b].layer && ends[a].contour === ends[b].contour;
    return !own || mayCloseItself(drawing.layers[ends[a].layer].contours[ends[a].contour], distance(ends[a].at, ends[b].at));
  };
  const nearestOf = (a: number): number => {
    for (let k = a * nearest; k < (a + 1) * nearest; k++) if (may(a, neighbours[k])) return neighbours[k];
    return -1;
  };
  // Two ends that are nearest to each other are a gap; then those that are nearest among the rest, and so on: the same as taking
  // all pairs by distance, without sorting them.
  const best = new Int32Array(ends.length);
  const gaps: Gap[] = [];
  for (let more = true; more;) {
    more = false;
    for (let a = 0; a < ends.length; a++) best[a] = used[a] ? -1 : nearestOf(a);
    for (let a = 0; a < ends.length; a++) {
      const b = best[a];
      if (b < 0 || used[a] || used[b]) continue;
      const far = distance(ends[a].at, ends[b].at);
      // Equal distances may point in a ring: whoever comes first takes its own.
      const back = best[b];
      if (back !== a && back >= 0 && distance(ends[b].at, ends[back].at) < far) continue;
      used[a] = used[b] = 1;
      gaps.push({ a: ends[a], b: ends[b], distance: far });
      more = true;
    }
  }
  return gaps.sort((x, y) => x.distance - y.distance);
}
