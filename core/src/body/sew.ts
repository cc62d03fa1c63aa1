import { curveAt, periodOf } from '../surfaces/curves.ts';
import type { Surface } from '../surfaces/surfaces.ts';
import { distance, dot, type Vec3 } from '../geometry/vector.ts';
import { NotTaken, type Body, type BodyEdge, type BodyFace, type Use } from './body.ts';
import { sizeOfBody } from './brep.ts';
import { parameterOf } from './inverse.ts';
import { Meeting } from './meeting.ts';
import { smoothPieces } from './trace.ts';
import { turnedRound } from './trim.ts';

/** A piece of a curve in a loop; `back`: gone along from its end. Its ends say so where they differ, whatever is said here. */
export interface LoosePiece extends Piece {
  back?: boolean;
}

/** A face that shares nothing with its neighbours: each loop is a chain of curves, in the order of the loop. */
export interface LooseFace {
  surface: Surface;
  loops: LoosePiece[][];
  /** Loops run clockwise round it, seen against du x dv: counts only where they leave a choice of the side (a ball without a cap, or the cap). */
  against: boolean;
}

type Piece = Pick<BodyEdge, 'curve' | 'from' | 'to'>;

/** What faces are when they are sewn: pieces that hang together, each with its faces turned alike. */
export interface Sewn {
  /** Bodies whose every edge has two sides. The outside of their faces may be the inside: all of them together. */
  closed: Body[];
  /** Bodies with edges that have one side. */
  open: Body[];
}

/** Edges at most that are sewn together, edges that join the same two vertices, and pairs of edge and vertex that are looked at. */
const mostEdges = 400_000;
const mostAlike = 64;
const mostPairs = 4_000_000;

/** A piece of a curve between two vertices, as one loop has it; `same`: the edge that stands for it and all that lie on it. */
interface Stretch extends Piece {
  back: boolean;
  start: number;
  end: number;
  same: number;
}

/**
 * Sews faces where their edges lie within a distance of one another. An edge that lies along several others is divided at their ends.
 * @param within mm
 * @throws NotTaken where loops do not close within that, more than two faces meet in an edge, or faces can't be turned alike (a band with one side)
 * @example sewn(faces, 0.001).closed.map((body) => bodyFigures(body).volume)
 */
export function sewn(faces: readonly LooseFace[], within: number): Sewn {
  return new Sewing(faces, within).all();
}

/**
 * How many edges have one side when faces are sewn within a distance: none when all of it closes. Quicker than to sew them.
 * @throws NotTaken where loops do not close within that, or more than two faces meet in an edge
 */
export function openWithin(faces: readonly LooseFace[], within: number): number {
  return new Sewing(faces, within).openEdges();
}

/** A vertex on a stretch, at a parameter of it. */
interface Cut {
  t: number;
  vertex: number;
}

class Sewing {
  private readonly faces: readonly LooseFace[];
  private readonly within: number;
  private readonly meeting: Meeting;
  private stretches: Stretch[] = [];
  /** Stretches (indices) of each loop of each face, in order. */
  private loops: number[][][] = [];

  constructor(faces: readonly LooseFace[], within: number) {
    [this.faces, this.within] = [faces, within];
    this.meeting = new Meeting(within);
  }

  all(): Sewn {
    this.meet();
    return this.parted(this.body());
  }

  openEdges(): number {
    this.meet();
    for (const loop of this.loops.flat()) this.chained(loop);
    const sides = new Map<number, number>();
    for (const i of this.loops.flat(2)) sides.set(this.stretches[i].same, (sides.get(this.stretches[i].same) ?? 0) + 1);
    let open = 0;
    for (const count of sides.values()) {
      if (count > 2) throw new NotTaken('edge-used-often');
      if (count === 1) open++;
    }
    return open;
  }

  /** Finds which edges lie on which. */
  private meet(): void {
    this.loops = this.faces.map((face) => face.loops.map((loop) => loop.flatMap((piece) => this.stretch(piece))));
    if (this.stretches.length > mostEdges) throw new NotTaken('many-edges');
    this.meeting.settle();
    this.named();
    this.pair();
    if (this.divide()) this.pair();
  }

  private stretch({ curve, from, to, back = false }: LoosePiece): number {
    const start = this.meeting.add(curveAt(curve, from, 1).at);
    const end = this.meeting.add(curveAt(curve, to, 1).at);
    return this.stretches.push({ curve, from, to, back, start, end, same: -1 }) - 1;
  }

  /** Ends become the vertices that they are; what is shorter than the seam is dropped. */
  private named(): void {
    const { meeting, stretches, within } = this;
    for (const s of stretches) [s.start, s.end] = [meeting.of(s.start), meeting.of(s.end)];
    const stays = (i: number) =>
      stretches[i].start !== stretches[i].end || samples(stretches[i]).some((p) => distance(p, meeting.at(stretches[i].start)) > within);
    this.loops = this.loops.map((face) => face.map((loop) => loop.filter(stays)).filter((loop) => loop.length > 0));
  }

  /** Says which stretches lie on one another. */
  private pair(): void {
    const { stretches } = this;
    const byEnds = new Map<string, number[]>();
    for (const loop of this.loops.flat()) {
      for (const i of loop) {
        const s = stretches[i];
        const key = s.start < s.end ? `${s.start} ${s.end}` : `${s.end} ${s.start}`;
        const list = byEnds.get(key);
        if (!list) byEnds.set(key, [(s.same = i)]);
        else {
          s.same = list.find((k) => this.alike(stretches[k], s)) ?? i;
          if (s.same === i && list.push(i) > mostAlike) throw new NotTaken('many-edges-alike');
        }
      }
    }
  }

  private alike(a: Stretch, b: Stretch): boolean {
    return samples(b).every((p) => this.off(a, p) <= this.within) && samples(a).every((p) => this.off(b, p) <= this.within);
  }

  private off(s: Piece, p: Vec3): number {
    return distance(curveAt(s.curve, within(s, parameterOf(s.curve, p)), 1).at, p);
  }

  /** Divides stretches that lie on no other at vertices of others that they go through. */
  private divide(): boolean {
    const { stretches, meeting } = this;
    const count = new Map<number, number>();
    const inUse = this.loops.flat(2);
    for (const i of inUse) count.set(stretches[i].same, (count.get(stretches[i].same) ?? 0) + 1);
    const alone = inUse.filter((i) => count.get(stretches[i].same) === 1);
    const vertices = [...new Set(alone.flatMap((i) => [stretches[i].start, stretches[i].end]))];
    const order = vertices.map((v) => [...meeting.at(v), v]).sort((a, b) => a[0] - b[0]);
    const cuts = new Map<number, Cut[]>();
    const counted = { pairs: 0 };
    for (const i of alone) {
      const list = this.cutsOf(stretches[i], order, counted);
      if (list.length > 0) cuts.set(i, list);
    }
    if (cuts.size === 0) return false;
    this.loops = this.loops.map((face) => face.map((loop) => loop.flatMap((i) => this.divided(i, cuts.get(i), loop))));
    return true;
  }

  /** Vertices that a stretch goes through. @param order x, y, z and number of vertices, by x */
  private cutsOf(s: Stretch, order: readonly number[][], counted: { pairs: number }): Cut[] {
    const [low, high] = boxOf(s, this.within);
    const out: Cut[] = [];
    for (let k = firstFrom(order, low[0]); k < order.length && order[k][0] <= high[0]; k++) {
      if (++counted.pairs > mostPairs) throw new NotTaken('many-edges');
      const [x, y, z, v] = order[k];
      if (v === s.start || v === s.end || y < low[1] || y > high[1] || z < low[2] || z > high[2]) continue;
      const t = within(s, parameterOf(s.curve, [x, y, z]));
      if (distance(curveAt(s.curve, t, 1).at, [x, y, z]) <= this.within) out.push({ t, vertex: v });
    }
    return out;
  }

  /** The stretches that one is divided into, in the order in which its loop has them. */
  private divided(i: number, cuts: Cut[] | undefined, loop: readonly number[]): number[] {
    if (!cuts) return [i];
    const { stretches } = this;
    const s = stretches[i];
    cuts.sort((a, b) => a.t - b.t);
    const out: number[] = [];
    let [from, start] = [s.from, s.start];
    for (const { t, vertex } of [...cuts, { t: s.to, vertex: s.end }]) {
      if (!(t > from)) continue;
      out.push(stretches.push({ curve: s.curve, from, to: t, back: s.back, start, end: vertex, same: -1 }) - 1);
      [from, start] = [t, vertex];
    }
    const next = stretches[loop[(loop.indexOf(i) + 1) % loop.length]];
    // Gone along from its end, when the next goes on from its start.
    const back = s.start === s.end ? s.back : loop.length > 1 && s.end !== next.start && s.end !== next.end;
    return back ? out.reverse() : out;
  }

  /** All faces with the edges that they share. */
  private body(): Body {
    const { stretches, meeting } = this;
    const numbers = new Map<number, number>();
    const body: Body = { points: [], edges: [], faces: [], shells: [], tolerance: this.within };
    const vertices = new Map<number, number>();
    const vertex = (v: number): number => {
      let made = vertices.get(v);
      if (made === undefined) vertices.set(v, (made = body.points.push(meeting.at(v)) - 1));
      return made;
    };
    const edgeOf = (i: number): number => {
      let made = numbers.get(i);
      if (made === undefined) {
        const { curve, from, to, start, end } = stretches[i];
        numbers.set(i, (made = body.edges.push({ curve, from, to, start: vertex(start), end: vertex(end) }) - 1));
      }
      return made;
    };
    this.faces.forEach((face, f) => {
      const loops = this.loops[f].map((loop) => {
        const uses = this.chained(loop).map(({ i, back }): Use => ({ edge: edgeOf(stretches[i].same), turned: this.against(i) !== back }));
        return face.against ? uses.reverse().map(({ edge, turned }) => ({ edge, turned: !turned })) : uses;
      });
      if (loops.length === 0) throw new NotTaken('no-bounds');
      body.faces.push({ surface: face.surface, turned: false, loops });
    });
    return body;
  }

  /** Which way each stretch of a loop is gone along, so that one goes on where the other ends. */
  private chained(loop: readonly number[]): { i: number; back: boolean }[] {
    const { stretches } = this;
    for (const first of [false, true]) {
      const out: { i: number; back: boolean }[] = [];
      let at = first ? stretches[loop[0]].end : stretches[loop[0]].start;
      const begin = at;
      for (const i of loop) {
        const { start, end, back: said } = stretches[i];
        const back = start === end ? said : out.length === 0 ? first : start !== at;
        if ((back ? end : start) !== at) break;
        out.push({ i, back });
        at = back ? start : end;
      }
      if (out.length === loop.length && at === begin) return out;
    }
    throw new NotTaken('open-loop');
  }

  /** Whether a stretch runs against the one that stands for it. */
  private against(i: number): boolean {
    const { stretches } = this;
    const s = stretches[i];
    const one = stretches[s.same];
    if (s === one) return false;
    if (s.start !== s.end) return s.start !== one.start;
    const t = s.from + 0.3 * (s.to - s.from);
    const here = curveAt(s.curve, t, 1);
    return dot(here.d1, curveAt(one.curve, within(one, parameterOf(one.curve, here.at)), 1).d1) < 0;
  }

  /** Faces that hang together by their edges, turned alike. */
  private parted(body: Body): Sewn {
    const size = sizeOfBody(body);
    for (const face of body.faces) turnedRound(body, face, size);
    const sides: { face: number; turned: boolean }[][] = body.edges.map(() => []);
    body.faces.forEach((face, f) => face.loops.flat().forEach((use) => sides[use.edge].push({ face: f, turned: use.turned })));
    if (sides.some((s) => s.length > 2)) throw new NotTaken('edge-used-often');
    const out: Sewn = { closed: [], open: [] };
    const seen = new Int8Array(body.faces.length);
    for (let f = 0; f < seen.length; f++) {
      if (seen[f] !== 0) continue;
      const piece = turnedAlike(body, sides, seen, f);
      const edges = new Set(piece.flatMap((k) => body.faces[k].loops.flat().map((use) => use.edge)));
      const closed = [...edges].every((e) => sides[e].length === 2);
      (closed ? out.closed : out.open).push(pieceOf(body, piece, edges));
    }
    return out;
  }
}

/** The faces that hang together with one: `seen` is 1 for those that stay as they are, -1 for those that are turned here. */
function turnedAlike(body: Body, sides: readonly { face: number; turned: boolean }[][], seen: Int8Array, first: number): number[] {
  const piece = [first];
  seen[first] = 1;
  for (const f of piece) {
    for (const use of body.faces[f].loops.flat()) {
      const list = sides[use.edge];
      if (list.length < 2) continue;
      const other = list[0].face === f ? list[1].face : list[0].face;
      // Neighbours that look the same way go along their edge opposite ways.
      const wanted = (list[0].turned !== list[1].turned ? seen[f] : -seen[f]) as 1 | -1;
      if (seen[other] === 0) {
        seen[other] = wanted;
        piece.push(other);
      } else if (seen[other] !== wanted) throw new NotTaken('one-sided');
    }
  }
  for (const f of piece) if (seen[f] < 0) turnOver(body.faces[f]);
  return piece;
}

/** The other side of a face becomes its outside. */
export function turnOver(face: BodyFace): void {
  face.turned = !face.turned;
  face.loops = face.loops.map((loop) => loop.map(({ edge, turned }) => ({ edge, turned: !turned })).reverse());
}

/** Some faces of a body with their edges and vertices, as a body of one shell. */
function pieceOf(body: Body, faces: readonly number[], edges: ReadonlySet<number>): Body {
  const out: Body = { points: [], edges: [], faces: [], shells: [faces.map((_, i) => i)], tolerance: body.tolerance };
  const [points, numbers] = [new Map<number, number>(), new Map<number, number>()];
  const point = (v: number): number => {
    if (!points.has(v)) points.set(v, out.points.push(body.points[v]) - 1);
    return points.get(v)!;
  };
  for (const e of edges) {
    const edge = body.edges[e];
    numbers.set(e, out.edges.push({ ...edge, start: point(edge.start), end: point(edge.end) }) - 1);
  }
  for (const f of faces) {
    const face = body.faces[f];
    out.faces.push({ ...face, loops: face.loops.map((loop) => loop.map(({ edge, turned }) => ({ edge: numbers.get(edge)!, turned }))) });
  }
  return out;
}

/** A parameter brought into a piece, by whole round trips and then to its nearer end. */
function within({ curve, from, to }: Piece, t: number): number {
  const period = periodOf(curve);
  let at = t;
  if (period > 0) {
    at -= Math.floor((at - from) / period) * period;
    // Just before its begin is just before a whole round trip.
    if (at > to && at - to > from + period - at) at = from;
  }
  return Math.min(to, Math.max(from, at));
}

/** Places along a piece that say where it lies, its ends not among them. */
function samples({ curve, from, to }: Piece): Vec3[] {
  return (curve.kind === 'line' ? [0.5] : [0.11, 0.3, 0.5, 0.71, 0.9]).map((s) => curveAt(curve, from + s * (to - from), 1).at);
}

/** The box round a piece, widened by how much it bends between places of it and by a distance. */
function boxOf({ curve, from, to }: Piece, by: number): [Vec3, Vec3] {
  const low: Vec3 = [Infinity, Infinity, Infinity];
  const high: Vec3 = [-Infinity, -Infinity, -Infinity];
  const take = (p: Vec3) => {
    for (let k = 0; k < 3; k++) {
      low[k] = Math.min(low[k], p[k]);
      high[k] = Math.max(high[k], p[k]);
    }
  };
  let more = by;
  const cuts = smoothPieces(curve, from, to);
  for (let i = 1; i < cuts.length; i++) {
    const [a, m, b] = [0, 0.5, 1].map((s) => curveAt(curve, cuts[i - 1] + s * (cuts[i] - cuts[i - 1]), 1).at);
    [a, m, b].forEach(take);
    // Twice the sagitta is more than what bends out between the three.
    more = Math.max(more, 2 * distance(m, [(a[0] + b[0]) / 2, (a[1] + b[1]) / 2, (a[2] + b[2]) / 2]) + by);
  }
  if (curve.kind === 'line') more = by;
  return [low.map((x) => x - more) as Vec3, high.map((x) => x + more) as Vec3];
}

/** The first of a sorted list whose first number is not below a value. */
function firstFrom(list: readonly number[][], value: number): number {
  let [low, high] = [0, list.length];
  while (low < high) {
    const middle = (low + high) >> 1;
    if (list[middle][0] < value) low = middle + 1;
    else high = middle;
  }
  return low;
}
