import { surfaceAt } from '../surfaces/surfaces.ts';
import { distance, lengthOf } from '../geometry/vector.ts';
import { bridged, NotTaken, type Body, type BodyFace, type Use } from './body.ts';
import { Inverse } from './inverse.ts';
import { cutOpen, wholeAround } from './seams.ts';
import { pointOn, Trace } from './trace.ts';

/** A piece of a loop in the parameter plane: the trace of an edge, moved by whole round trips; without a trace the straight way along a pole. */
export interface Piece {
  trace: Trace | null;
  /** Edge (index in the body); below 0 for a pole. */
  edge: number;
  /** Vertex where it begins, along the loop. */
  vertex: number;
  turned: boolean;
  /** What is added to the trace's parameters. */
  du: number;
  dv: number;
  /** Where it begins and ends, along the loop. */
  begin: [number, number];
  end: [number, number];
}

/** A face in the parameter plane of its surface. */
export interface Trim {
  on: Inverse;
  loops: Piece[][];
  /** How far edges lie off the surface or their neighbours at most, mm. */
  gap: number;
  /** 1 where loops run counter-clockwise round the face in the parameter plane, -1 clockwise. */
  sense: 1 | -1;
}

/** A pole is a point: places along it lie this near to one another, as a part of the body's size. */
const samePoint = 1e-6;

/**
 * A face laid out in the parameter plane of its surface: each loop without jumps, poles as straight ways. Loops that all run the wrong way are turned in the face.
 * @throws NotTaken when a loop does not close there, goes round a closed surface without a seam, or its edges leave the surface
 */
export function trimmed(body: Body, face: BodyFace, size: number): Trim {
  const on = new Inverse(face.surface);
  const way = wayOf(body, face, on, size);
  const { sense, traces } = way;
  let loops = laidOut(body, face, way);
  let areas = loops.map((loop) => sense * areaOf(loop));
  if (areas.every((a) => a < 0) && bounded(face, on)) {
    // All loops run the wrong way round: some programs write rings so. The face's own sense stands.
    face.loops = face.loops.map((loop) => loop.map(({ edge, turned }) => ({ edge, turned: !turned })).reverse());
    loops = laidOut(body, face, way);
    areas = loops.map((loop) => sense * areaOf(loop));
  }
  if (areas.every((a) => a < 0) && wholeAround(body, face, on)) {
    // The loops are holes in all of a ball or a ring.
    loops = laidOut(body, face, way);
    areas = loops.map((loop) => sense * areaOf(loop));
  }
  const outer = areas.filter((a) => a > 0).length;
  if (outer !== 1) throw new NotTaken(outer === 0 ? 'no-outer-loop' : 'several-outer-loops');
  // The outer loop first.
  const order = loops.map((_, i) => i).sort((a, b) => areas[b] - areas[a]);
  const [around, ...holes] = order.map((i) => loops[i]);
  for (const hole of holes) bringWithin(hole, polygonOf(around), on);
  bringIntoRange(loops, polygonOf(around), on);
  let { gap } = way;
  for (const trace of traces.values()) gap = Math.max(gap, trace.off);
  return { on, loops: order.map((i) => loops[i]), gap, sense };
}

/**
 * Turns the loops of a face so that it lies to their left, where its loops say by themselves which side is meant: the outline is the largest of them.
 * @throws NotTaken as `trimmed` does
 */
export function turnedRound(body: Body, face: BodyFace, size: number): void {
  const on = new Inverse(face.surface);
  if (!bounded(face, on)) return;
  const way = wayOf(body, face, on, size);
  const areas = laidOut(body, face, way).map((loop) => way.sense * areaOf(loop));
  const outer = areas.reduce((most, a, i) => (Math.abs(a) > Math.abs(areas[most]) ? i : most), 0);
  face.loops = face.loops.map((loop, i) => (areas[i] > 0 === (i === outer) ? loop : loop.map(({ edge, turned }) => ({ edge, turned: !turned })).reverse()));
}

/** Moves a hole by whole round trips into the outline. */
function bringWithin(hole: Piece[], outline: Float64Array, on: Inverse): void {
  const [u, v] = polygonOf(hole);
  for (const i of roundTrips(on.uPeriod)) {
    for (const j of roundTrips(on.vPeriod)) {
      if (!liesIn([outline], [0, 0], u + i * on.uPeriod, v + j * on.vPeriod)) continue;
      for (const piece of hole) moved(piece, i * on.uPeriod, j * on.vPeriod);
      return;
    }
  }
  throw new NotTaken('hole-outside');
}

/** Loops may leave the range of a spline by so much of it: rounding, and edges that lie off the surface. */
const beside = 1e-6;

/**
 * Moves all loops by whole round trips to where a closed spline has its points: beyond its range it goes on as its last span does, and not round again.
 * @throws NotTaken where the face goes on across the line at which the spline begins and ends
 */
function bringIntoRange(loops: readonly Piece[][], outline: Float64Array, on: Inverse): void {
  const by: [number, number] = [0, 0];
  for (const c of [0, 1] as const) {
    const period = c === 0 ? on.uPeriod : on.vPeriod;
    const [low, high] = on.range.slice(2 * c, 2 * c + 2);
    if (period === 0 || !on.ends[c]) continue;
    let [least, most] = [Infinity, -Infinity];
    for (let i = c; i < outline.length; i += 2) {
      least = Math.min(least, outline[i]);
      most = Math.max(most, outline[i]);
    }
    by[c] = -Math.floor((least - low) / period + beside) * period;
    if (most + by[c] > high + beside * period) throw new NotTaken('across-a-seam');
  }
  if (by[0] !== 0 || by[1] !== 0) for (const piece of loops.flat()) moved(piece, ...by);
}

/** Round trips that are tried, the nearest first. */
const roundTrips = (period: number) => (period > 0 ? [0, 1, -1, 2, -2] : [0]);

/** The face's loops in the parameter plane, cut open first where they go round the surface. */
function laidOut(body: Body, face: BodyFace, way: Way): Piece[][] {
  const laid = face.loops.map((loop) => chained(body, loop, way));
  if (laid.every((l) => l.by[0] === 0 && l.by[1] === 0)) return laid.map((l) => l.pieces);
  const wound = laid.map(({ pieces, by }) => ({
    by,
    uses: pieces.filter((p) => p.trace).map(({ edge, turned, begin }) => ({ use: { edge, turned }, begin })),
  }));
  cutOpen(body, face, way, wound);
  return face.loops.map((loop) => {
    const { pieces, by } = chained(body, loop, way);
    if (by[0] !== 0 || by[1] !== 0) throw new NotTaken('no-seam');
    return pieces;
  });
}

/**
 * Whether loops leave no choice of the side: on an open surface they bound what is within. On a closed one they do where a seam is among them; else the
 * other side may be meant, a ball without a cap rather than the cap.
 */
function bounded(face: BodyFace, on: Inverse): boolean {
  if (on.uPeriod === 0 && on.vPeriod === 0) return true;
  const uses = face.loops.flat().map((use) => use.edge);
  return new Set(uses).size < uses.length;
}

function wayOf(body: Body, face: BodyFace, on: Inverse, size: number): Way {
  const near = Math.max(body.tolerance, bridged * size);
  const traces = new Map<number, Trace>();
  const traceOf = (edge: number): Trace => {
    let trace = traces.get(edge);
    if (!trace) {
      trace = new Trace(on, body.edges[edge], size, near);
      traces.set(edge, trace);
    }
    return trace;
  };
  return { on, traces, traceOf, sense: face.turned ? -1 : 1, size, near, gap: 0 };
}

/** What laying out a loop needs. */
interface Way {
  on: Inverse;
  /** Traces of edges that were asked for. */
  traces: Map<number, Trace>;
  traceOf: (edge: number) => Trace;
  sense: 1 | -1;
  size: number;
  /** How far edges may lie off their vertices, and how far they were found to, mm. */
  near: number;
  gap: number;
}

/** A loop without jumps, and by how much it has gone round when it is back. */
function chained(body: Body, loop: readonly Use[], way: Way): { pieces: Piece[]; by: [number, number] } {
  const uses = new Map<number, number>();
  for (const use of loop) uses.set(use.edge, (uses.get(use.edge) ?? 0) + 1);
  // A seam lies on either side of the parameter plane: something that says which comes first.
  const begin = Math.max(0, loop.findIndex((use) => uses.get(use.edge) === 1)); // prettier-ignore
  const out: Piece[] = [];
  for (let k = 0; k < loop.length; k++) {
    const use = loop[(begin + k) % loop.length];
    const trace = way.traceOf(use.edge);
    const { start, end } = body.edges[use.edge];
    const piece: Piece = { trace, edge: use.edge, vertex: use.turned ? end : start, turned: use.turned, du: 0, dv: 0, begin: [...(use.turned ? trace.last : trace.first)], end: [...(use.turned ? trace.first : trace.last)] }; // prettier-ignore
    const before = out[out.length - 1];
    if (before) out.push(...join(before, piece, way).pole);
    out.push(piece);
  }
  const [first] = out;
  const { pole, by } = join(out[out.length - 1], first, way);
  if (pole.length > 0 && (by[0] !== 0 || by[1] !== 0)) throw new NotTaken('no-seam');
  // It begins where it was laid; the round trip is the loop's own.
  moved(first, -by[0], -by[1]);
  return { pieces: [...out, ...pole], by };
}

/** Moves a piece by whole round trips so that it begins where the one before ends, gives the way along the pole between them where they meet at one. */
function join(before: Piece, piece: Piece, way: Way): { pole: Piece[]; by: [number, number] } {
  const { on } = way;
  // A loop of one edge joins to itself: its end stays where it is.
  const last: [number, number] = [...before.end];
  const pole = poleBetween(before, piece, way);
  const shift = (c: 0 | 1, period: number): number => {
    const gap = last[c] - piece.begin[c];
    if (period === 0) return 0;
    if (pole !== c) return Math.round(gap / period) * period;
    // Along a pole the way goes on with the face to its left: by less than a whole turn, or by one.
    const towards = poleSense(before, c, way);
    const jump = piece.begin[c] - last[c];
    const rest = towards > 0 ? Math.ceil(-jump / period + 1e-9) * period : Math.floor(-jump / period - 1e-9) * period;
    return rest;
  };
  const du = shift(0, on.uPeriod);
  const dv = shift(1, on.vPeriod);
  moved(piece, du, dv);
  if (pole !== null) {
    return {
      by: [du, dv],
      pole: [{ trace: null, edge: -1, vertex: piece.vertex, turned: false, du: 0, dv: 0, begin: last, end: [...piece.begin] }],
    };
  }
  const at = surfaceAt(on.surface, piece.begin[0], piece.begin[1]);
  const gap = Math.abs(last[0] - piece.begin[0]) * lengthOf(at.du) + Math.abs(last[1] - piece.begin[1]) * lengthOf(at.dv);
  way.gap = Math.max(way.gap, gap);
  // Either edge may lie off the vertex.
  if (!(gap <= 2 * way.near)) throw new NotTaken('open-loop');
  return { by: [du, dv], pole: [] };
}

function moved(piece: Piece, du: number, dv: number): void {
  piece.du += du;
  piece.dv += dv;
  for (const end of [piece.begin, piece.end]) {
    end[0] += du;
    end[1] += dv;
  }
}

/** Whether the way from one piece to the next is a pole: 0 for one along u, 1 along v; null for none. */
function poleBetween(before: Piece, piece: Piece, { on, size }: Way): 0 | 1 | null {
  const [u, v] = before.end;
  const there = surfaceAt(on.surface, u, v);
  const mid = before.trace!.places();
  const within = mid[mid.length >> 1];
  const inside = mid.length > 2 ? surfaceAt(on.surface, within.u, within.v) : surfaceAt(on.surface, (mid[0].u + mid[1].u) / 2, (mid[0].v + mid[1].v) / 2);
  const near = samePoint * size;
  const period = [on.uPeriod, on.vPeriod];
  for (const c of [0, 1] as const) {
    const tangent = c === 0 ? there.du : there.dv;
    if (lengthOf(tangent) > 1e-6 * Math.max(lengthOf(c === 0 ? inside.du : inside.dv), 1e-3 * size)) continue;
    const gap = piece.begin[c] - before.end[c];
    if (period[c] === 0 && Math.abs(gap) * size < near) continue;
    const full = period[c] > 0 ? period[c] : gap;
    const same = [0.25, 0.5, 0.75].every((s) => distance(pointOn(on, c === 0 ? u + s * full : u, c === 1 ? v + s * full : v), there.at) < near);
    if (same) return c;
  }
  return null;
}

/** Which way a pole is gone along: with the face to the left. */
function poleSense(before: Piece, along: 0 | 1, { sense }: Way): 1 | -1 {
  const list = before.trace!.places();
  const a = list[0];
  const b = list[list.length - 1];
  const climbs = (along === 0 ? b.v - a.v : b.u - a.u) * (before.turned ? -1 : 1) > 0;
  // Counter-clockwise: below to the right, above to the left; at the right up, at the left down.
  const ccw = along === 0 ? (climbs ? -1 : 1) : climbs ? 1 : -1;
  return (ccw * sense) as 1 | -1;
}

/** Places of a loop in the parameter plane, in order along it: u, v. Chords of what is bent. */
export function polygonOf(loop: readonly Piece[]): Float64Array {
  const out: number[] = [];
  for (const piece of loop) {
    if (!piece.trace) {
      out.push(...piece.begin);
      continue;
    }
    const list = piece.trace.places();
    if (piece.turned) list.reverse();
    // The last place is the next piece's first.
    for (let k = 0; k < list.length - 1; k++) out.push(list[k].u + piece.du, list[k].v + piece.dv);
  }
  return Float64Array.from(out);
}

/** Signed area of a loop in the parameter plane, coarsely. */
function areaOf(loop: readonly Piece[]): number {
  const p = polygonOf(loop);
  const n = p.length / 2;
  let sum = 0;
  for (let i = 0; i < n; i++) {
    const k = ((i + 1) % n) * 2;
    sum += (p[i * 2] - p[0]) * (p[k + 1] - p[1]) - (p[k] - p[0]) * (p[i * 2 + 1] - p[1]);
  }
  return sum / 2;
}

/** Whether parameters lie in a face, by the chords of its loops; round trips of closed surfaces are tried. */
export function liesIn(polygons: readonly Float64Array[], periods: readonly [number, number], u: number, v: number): boolean {
  for (const i of roundTrips(periods[0])) {
    for (const j of roundTrips(periods[1])) {
      let inside = false;
      for (const p of polygons) {
        const [x, y] = [u + i * periods[0], v + j * periods[1]];
        for (let a = 0, b = p.length - 2; a < p.length; b = a, a += 2) {
          if (p[a + 1] > y !== p[b + 1] > y && x < ((p[b] - p[a]) * (y - p[a + 1])) / (p[b + 1] - p[a + 1]) + p[a]) inside = !inside;
        }
      }
      if (inside) return true;
    }
  }
  return false;
}
