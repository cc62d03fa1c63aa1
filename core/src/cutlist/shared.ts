import Flatbush from 'flatbush';
import { areaOfContour, boxOfContour, contourOf, lengthOfContour, reversedContour, type Contour } from '../curves/drawing.ts';
import { mergedContour } from '../curves/fit.ts';
import { crossOf, directionAt, distance, endOf, startOf, type LineSegment, type P2, type Segment } from '../curves/segment.ts';

/** Straight edges nearer than this along a stretch are one cut, mm: parts are laid to within 1e-5 mm of each other. */
export const sharedWithin = 1e-3;
/** A shorter stretch in common is no shared cut, mm. */
export const leastShared = 0.02;

/** Outlines of one sheet with the edges that two parts have in common drawn once. Lengths in mm. */
export interface SharedCuts {
  /** Closed: round each block of parts that hang together, and round the scrap between them. */
  loops: { contour: Contour; parts: number[] }[];
  /** Between parts of a block, and which parts have them in common. */
  lines: { contour: Contour; parts: number[] }[];
  /** Outlines that share nothing, as they came. */
  alone: number[];
  /** So much less is cut. */
  saved: number;
}

/** A piece of an outline with its part to the left. */
interface Piece {
  part: number;
  s: Segment;
  /** Lies on an edge of another part: drawn for one of them only. */
  shared: boolean;
}

/**
 * Parts a sheet's outlines into what is cut for one part and what is cut for two at once. Edges are shared where they are straight, run against each
 * other and lie on each other; arcs never are.
 * @param outlines closed, one for each part, as the middle of the cut @example sharedCuts([squareAt(0), squareAt(10)]).lines // the side in common
 */
export function sharedCuts(outlines: readonly Contour[]): SharedCuts {
  const counter = outlines.map((c) => (areaOfContour(c) < 0 ? reversedContour(c) : c));
  const edges = counter.flatMap((c, part) => c.segments.map((s) => ({ part, s })));
  const spans = spansInCommon(edges);
  const touched = new Set<number>();
  const pieces = edges.flatMap(({ part, s }, i): Piece[] => {
    if (!spans.has(i)) return [{ part, s, shared: false }];
    touched.add(part);
    return parted(part, s as LineSegment, spans.get(i)!);
  });
  const alone = outlines.map((_, k) => k).filter((k) => !touched.has(k));
  const own = joined(pieces.filter((p) => touched.has(p.part)));
  const lines = drawnOnce(own.filter((p) => p.shared));
  const loops = loopsOf(own.filter((p) => !p.shared));
  const before = outlines.reduce((sum, c) => sum + lengthOfContour(c), 0);
  const after = [...[...lines, ...loops].map((l) => l.contour), ...alone.map((k) => outlines[k])].reduce((sum, c) => sum + lengthOfContour(c), 0);
  return { loops, lines, alone, saved: before - after };
}

/** For each edge the stretches of it (from, to in mm along it) that an edge of another part runs against. */
function spansInCommon(edges: readonly { part: number; s: Segment }[]): Map<number, [number, number][]> {
  const found = new Map<number, [number, number][]>();
  if (edges.length === 0) return found;
  const index = new Flatbush(edges.length);
  for (const { s } of edges) index.add(...boxOfContour(contourOf([s], false)));
  index.finish();
  edges.forEach(({ part, s }, i) => {
    if (s.kind !== 'line') return;
    const long = distance(s.a, s.b);
    const [ux, uy] = directionAt(s, 0);
    const box = boxOfContour(contourOf([s], false));
    for (const k of index.search(box[0] - sharedWithin, box[1] - sharedWithin, box[2] + sharedWithin, box[3] + sharedWithin)) {
      const o = edges[k];
      if (o.part === part || o.s.kind !== 'line') continue;
      const [from, to] = [o.s.b, o.s.a].map(([x, y]) => ({ t: (x - s.a[0]) * ux + (y - s.a[1]) * uy, off: (x - s.a[0]) * uy - (y - s.a[1]) * ux }));
      // It runs the other way: its part lies on the other side.
      if (to.t <= from.t) continue;
      const [low, high] = [Math.max(0, from.t), Math.min(long, to.t)];
      if (high - low < leastShared) continue;
      const offAt = (t: number) => from.off + ((to.off - from.off) * (t - from.t)) / (to.t - from.t);
      if (Math.max(Math.abs(offAt(low)), Math.abs(offAt(high))) > sharedWithin) continue;
      // Ends that nearly meet do.
      const span: [number, number] = [low < sharedWithin ? 0 : low, high > long - sharedWithin ? long : high];
      found.set(i, [...(found.get(i) ?? []), span]);
    }
  });
  return found;
}

/** An edge cut at the ends of its stretches. */
function parted(part: number, s: LineSegment, spans: [number, number][]): Piece[] {
  const long = distance(s.a, s.b);
  const at = (t: number): P2 => (t === 0 ? s.a : t === long ? s.b : [s.a[0] + ((s.b[0] - s.a[0]) * t) / long, s.a[1] + ((s.b[1] - s.a[1]) * t) / long]);
  const sorted = [...spans].sort((a, b) => a[0] - b[0]);
  const out: Piece[] = [];
  let done = 0;
  for (const [from, to] of sorted) {
    if (from > done) out.push({ part, s: { kind: 'line', a: at(done), b: at(from) }, shared: false });
    out.push({ part, s: { kind: 'line', a: at(Math.max(done, from)), b: at(to) }, shared: true });
    done = Math.max(done, to);
  }
  if (done < long) out.push({ part, s: { kind: 'line', a: at(done), b: s.b }, shared: false });
  return out;
}

/** Ends that are the same but for rounding get the same number, and lines the same place; those of arcs stay, lines follow. */
function joined(pieces: readonly Piece[]): Joined[] {
  const nodes = new Nodes();
  for (const { s } of pieces) if (s.kind !== 'line') [startOf(s), endOf(s)].forEach((p) => nodes.of(p));
  return pieces.flatMap((piece): Joined[] => {
    const [from, to] = [nodes.of(startOf(piece.s)), nodes.of(endOf(piece.s))];
    if (piece.s.kind !== 'line') return [{ ...piece, from, to }];
    return from === to ? [] : [{ ...piece, from, to, s: { kind: 'line', a: nodes.places[from], b: nodes.places[to] } }];
  });
}

/** A piece with the numbers of the places at its ends. */
interface Joined extends Piece {
  from: number;
  to: number;
}

/** Places by number, the same when nearer than a few times what is shared. */
class Nodes {
  readonly places: P2[] = [];
  private readonly cells = new Map<string, number[]>();

  of(p: P2): number {
    const size = 4 * sharedWithin;
    const [i, j] = [Math.floor(p[0] / size), Math.floor(p[1] / size)];
    for (let di = -1; di <= 1; di++)
      for (let dj = -1; dj <= 1; dj++)
        for (const k of this.cells.get(`${i + di} ${j + dj}`) ?? []) if (distance(p, this.places[k]) < 3 * sharedWithin) return k;
    const key = `${i} ${j}`;
    this.cells.set(key, [...(this.cells.get(key) ?? []), this.places.length]);
    return this.places.push(p) - 1;
  }
}

/** A place between two lines that is no farther off their way than this is no corner, mm. */
export const noCorner = 1e-4;

/** Whether a line and what comes after it are one line. */
function runsOn(s: Segment, t: Segment): boolean {
  if (s.kind !== 'line' || t.kind !== 'line') return false;
  const [u, v] = [directionAt(s, 0), directionAt(t, 0)];
  return u[0] * v[0] + u[1] * v[1] > 0 && Math.abs(crossOf(u, v)) * Math.min(distance(s.a, s.b), distance(t.a, t.b)) < noCorner;
}

/** What was drawn for two parts, once, and what runs on in one line as one line. */
function drawnOnce(pieces: readonly Joined[]): SharedCuts['lines'] {
  const known = new Map<string, number[]>();
  const once = pieces.filter(({ from, to, part }) => {
    const key = `${Math.min(from, to)} ${Math.max(from, to)}`;
    const parts = known.get(key);
    known.set(key, [...(parts ?? []), part]);
    return !parts;
  });
  const partsOf = ({ from, to }: Joined) => known.get(`${Math.min(from, to)} ${Math.max(from, to)}`)!;
  const at = new Map<number, number[]>();
  once.forEach(({ from, to }, i) => [from, to].forEach((n) => at.set(n, [...(at.get(n) ?? []), i])));
  const used = new Set<number>();
  return once.flatMap((piece, i) => {
    if (used.has(i)) return [];
    used.add(i);
    const ends = [end(piece, piece.to), end(piece, piece.from)];
    const parts = new Set(partsOf(piece));
    for (const e of ends)
      for (let grown = true; grown;) {
        grown = false;
        for (const k of at.get(e.node) ?? []) {
          if (used.has(k)) continue;
          const on = end(once[k], once[k].from === e.node ? once[k].to : once[k].from);
          if (!runsOn({ kind: 'line', a: e.back, b: e.place }, { kind: 'line', a: e.place, b: on.place })) continue;
          used.add(k);
          for (const p of partsOf(once[k])) parts.add(p);
          Object.assign(e, { node: on.node, place: on.place });
          grown = true;
          break;
        }
      }
    return [{ contour: contourOf([{ kind: 'line', a: ends[1].place, b: ends[0].place }], false), parts: [...parts] }];
  });
}

/** An end of a line: its number, its place, and the place of the other end. */
function end({ s, to }: Joined, node: number): { node: number; place: P2; back: P2 } {
  const { a, b } = s as LineSegment;
  return node === to ? { node, place: b, back: a } : { node, place: a, back: b };
}

/** Pieces that are cut for one part only, chained to closed loops: with the material to the left all along. */
function loopsOf(pieces: readonly Joined[]): SharedCuts['loops'] {
  const from = new Map<number, number[]>();
  pieces.forEach((p, i) => from.set(p.from, [...(from.get(p.from) ?? []), i]));
  const used = new Set<number>();
  const loops: SharedCuts['loops'] = [];
  for (const first of pieces.keys()) {
    if (used.has(first)) continue;
    const chain: Joined[] = [];
    for (let i: number | undefined = first; i !== undefined;) {
      used.add(i);
      chain.push(pieces[i]);
      const here: Joined = pieces[i];
      const next: number[] = (from.get(here.to) ?? []).filter((k) => !used.has(k));
      // Where parts touch at a corner each goes round by itself.
      i = next.find((k) => pieces[k].part === here.part) ?? next[0];
    }
    const closed = chain[chain.length - 1].to === chain[0].from;
    loops.push({
      contour: mergedContour(
        contourOf(
          chain.map((p) => p.s),
          closed,
        ),
        noCorner,
      ),
      parts: [...new Set(chain.map((p) => p.part))],
    });
  }
  return loops;
}
