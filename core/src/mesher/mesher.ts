import { curveAt } from '../surfaces/curves.ts';
import { sizeOfBody } from '../body/brep.ts';
import { boxOfBody, boxOfPlaced } from '../body/extent.ts';
import { samplesOf } from '../body/samples.ts';
import { bodyOfBrep } from '../body/from-brep.ts';
import { NotTaken, type Body } from '../body/body.ts';
import { trimmed, type Piece, type Trim } from '../body/trim.ts';
import { diagonalOf, type Box } from '../geometry/box.ts';
import type { Rows } from '../geometry/rows.ts';
import type { Vec3 } from '../geometry/vector.ts';
import { Bend } from '../surfaces/bend.ts';
import { faceFacets, Finer, type FaceFacets, type Outline } from './face.ts';
import { kindOf, type Want } from './metric.ts';
import { placesOn, type Side } from './spacing.ts';

/** Facets of a solid, face by face. */
export interface SolidFacets {
  positions: Float64Array;
  triangles: Uint32Array;
  /** First triangle of each face, and the number of triangles at the end. */
  starts: Uint32Array;
}

/** Places of a pole's line in the plane of the parameters. */
const polePlaces = 8;
/** Rounds in which edges get shorter chords, because the chords of a face crossed. */
const mostRounds = 12;

/**
 * Facets of an exact solid without any kernel: every edge is cut once, so that neighbours share its points and the whole is closed; then each face is laid out
 * in the plane of its parameters.
 * @example new Mesher(bodyOfBrep(text)).facets({ deviation: 0.05, angle: 0.35 })
 */
export class Mesher {
  private readonly body: Body;
  private readonly trims: Trim[];
  private readonly bends: Bend[];
  private readonly sides: Side[][];
  private readonly size: number;
  private readonly extent: Box;
  /** Where edges were cut when facets were made last. */
  private last: { want: Want; places: Float64Array[] } | null = null;

  /**
   * @param closed whether each edge has to have two sides; else it may end there
   * @throws NotTaken when a face can't be laid out
   */
  constructor(body: Body, closed = true) {
    this.body = body;
    const rough = sizeOfBody(body);
    this.trims = body.faces.map((face) => trimmed(body, face, rough));
    this.extent = boxOfBody(body, this.trims);
    this.size = diagonalOf(this.extent);
    this.bends = body.faces.map((face) => new Bend(face.surface));
    this.sides = body.edges.map(() => []);
    this.trims.forEach((trim, f) => {
      for (const piece of trim.loops.flat()) {
        if (piece.trace) this.sides[piece.edge].push({ trace: piece.trace, bend: this.bends[f], kind: kindOf(trim.on.surface) });
      }
    });
    if (this.sides.some((s) => (closed ? s.length !== 2 : s.length < 1 || s.length > 2))) throw new NotTaken('open-shell');
  }

  /** The exact box, mm. @param rows a turn and a shift without scale; @param scale what the box is multiplied by then */
  box(rows: Rows, scale = 1): Box {
    const { min, max } = boxOfPlaced(this.body, this.trims, rows, this.extent);
    return { min: min.map((x) => x * scale) as Vec3, max: max.map((x) => x * scale) as Vec3 };
  }

  /** Points of the exact surface, by no facets. */
  points(): Float64Array {
    return samplesOf(this.body, this.trims);
  }

  /** Edges as polylines, with the points of the facets made last when these were asked for alike: two ends a chord. */
  edgeLines(want: Want): { points: Float32Array; starts: Uint32Array } {
    const { edges } = this.body;
    const same = this.last?.want.deviation === want.deviation && this.last.want.angle === want.angle ? this.last.places : null;
    const starts = new Uint32Array(edges.length + 1);
    const out: number[] = [];
    edges.forEach(({ curve, start, end }, e) => {
      starts[e] = out.length / 3;
      const list = same?.[e] ?? this.placesOf(e, want, start === end ? 3 : 1);
      const { points } = this.body;
      const places = Array.from(list, (t, i) => (i === 0 ? points[start] : i === list.length - 1 ? points[end] : curveAt(curve, t, 1).at));
      for (let i = 1; i < places.length; i++) out.push(...places[i - 1], ...places[i]);
    });
    starts[edges.length] = out.length / 3;
    return { points: Float32Array.from(out), starts };
  }

  /** @throws NotTaken when chords of a face still cross after they were made much shorter */
  facets(want: Want): SolidFacets {
    const least: number[] = this.body.edges.map((edge) => (edge.start === edge.end ? 3 : 1));
    const places = this.body.edges.map((_, e) => this.placesOf(e, want, least[e]));
    this.doubled(places, least, want);
    const points = new Points(this.body);
    places.forEach((list, e) => points.add(e, list));
    const made: (FaceFacets | null)[] = this.body.faces.map(() => null);
    for (let round = 0; round < mostRounds; round++) {
      const finer = this.round(made, places, points, want);
      if (finer.size === 0) {
        this.last = { want: { ...want }, places };
        return this.together(points, made as FaceFacets[]);
      }
      for (const [e, list] of finer) {
        places[e] = list;
        points.add(e, list);
      }
      this.trims.forEach(({ loops }, f) => {
        if (loops.some((loop) => loop.some((piece) => piece.trace && finer.has(piece.edge)))) made[f] = null;
      });
    }
    throw new NotTaken('crossing-chords');
  }

  /** Lays out the faces that are not yet. @returns the edges that need other places, with these */
  private round(made: (FaceFacets | null)[], places: readonly Float64Array[], points: Points, want: Want): Map<number, Float64Array> {
    const finer = new Map<number, Float64Array>();
    for (let f = 0; f < made.length; f++) {
      if (made[f]) continue;
      const { on } = this.trims[f];
      const loops = this.trims[f].loops.map((l) => this.outlineOf(l, places, points.first));
      try {
        made[f] = faceFacets({ surface: on.surface, bend: this.bends[f], loops, turned: this.body.faces[f].turned }, points.at, { want, size: this.size });
      } catch (thrown) {
        if (!(thrown instanceof Finer)) throw thrown;
        if (thrown.edges.length + thrown.chords.length === 0) throw new NotTaken('crossing-chords');
        for (const e of thrown.edges) finer.set(e, this.placesOf(e, want, 2 * (places[e].length - 1)));
        const byEdge = new Map<number, number[]>();
        for (const [e, k] of thrown.chords) {
          const list = byEdge.get(e);
          if (list) list.push(k);
          else byEdge.set(e, [k]);
        }
        for (const [e, chords] of byEdge) if (!finer.has(e)) finer.set(e, halved(places[e], chords));
      }
    }
    return finer;
  }

  private placesOf(e: number, want: Want, least: number): Float64Array {
    const [one, two] = this.sides[e] as [Side, Side?];
    return placesOn(this.body.edges[e], { sides: this.sides[e], seam: one.bend === two?.bend, want, size: this.size }, least);
  }

  /** Two bent edges between the same corners need a point of their own to be told apart. */
  private doubled(places: Float64Array[], least: number[], want: Want): void {
    const seen = new Map<string, number>();
    this.body.edges.forEach(({ start, end, curve }, e) => {
      const key = start < end ? `${start} ${end}` : `${end} ${start}`;
      const other = seen.get(key);
      seen.set(key, e);
      if (other === undefined) return;
      for (const k of [e, other]) {
        if (places[k].length > 2 || (k === e && curve.kind === 'line')) continue;
        if (this.body.edges[k].curve.kind === 'line') continue;
        least[k] = 2;
        places[k] = this.placesOf(k, want, 2);
      }
    });
  }

  private outlineOf(loop: readonly Piece[], places: readonly Float64Array[], first: Int32Array): Outline {
    const uv: number[] = [];
    const vertices: number[] = [];
    const edges: number[] = [];
    const chords: number[] = [];
    const at = new Float64Array(4);
    for (const [k, piece] of loop.entries()) {
      uv.push(...piece.begin);
      vertices.push(piece.vertex);
      edges.push(piece.trace ? piece.edge : -1);
      const list = places[piece.edge];
      const n = piece.trace ? list.length - 1 : 0;
      chords.push(piece.turned ? n - 1 : 0);
      if (!piece.trace) {
        // A pole is a line in this plane: with places all along it no facet has to reach far round it, and fold there.
        const end = loop[(k + 1) % loop.length].begin;
        for (let i = 1; i < polePlaces; i++) {
          for (const c of [0, 1]) uv.push(piece.begin[c] + ((end[c] - piece.begin[c]) * i) / polePlaces);
          vertices.push(piece.vertex);
          edges.push(-1);
          chords.push(0);
        }
        continue;
      }
      for (let i = 1; i < n; i++) {
        const k = piece.turned ? n - i : i;
        piece.trace.at(list[k], at);
        uv.push(at[0] + piece.du, at[1] + piece.dv);
        vertices.push(first[piece.edge] + k - 1);
        edges.push(piece.edge);
        chords.push(piece.turned ? k - 1 : k);
      }
    }
    return { uv: Float64Array.from(uv), vertices: Int32Array.from(vertices), edges: Int32Array.from(edges), chords: Int32Array.from(chords) };
  }

  private together(edges: Points, made: readonly FaceFacets[]): SolidFacets {
    const triangles = new Uint32Array(made.reduce((n, m) => n + m.triangles.length, 0));
    const starts = new Uint32Array(made.length + 1);
    const now = new Int32Array(edges.at.length / 3).fill(-1);
    const positions: number[] = [];
    let at = 0;
    made.forEach(({ points, triangles: list }, f) => {
      starts[f] = at / 3;
      const own = new Int32Array(points.length / 3).fill(-1);
      for (const v of list) {
        const [numbers, from, k] = v >= 0 ? [now, edges.at, v] : [own, points, -1 - v];
        if (numbers[k] < 0) numbers[k] = positions.push(from[3 * k], from[3 * k + 1], from[3 * k + 2]) / 3 - 1;
        triangles[at++] = numbers[k];
      }
    });
    starts[made.length] = at / 3;
    return { positions: Float64Array.from(positions), triangles, starts };
  }
}

/** Places of vertices and of points on edges. */
class Points {
  at: Float64Array;
  /** Number of each edge's first point of its own. */
  readonly first: Int32Array;
  private count: number;
  private readonly body: Body;

  constructor(body: Body) {
    this.body = body;
    this.count = body.points.length;
    this.first = new Int32Array(body.edges.length);
    this.at = new Float64Array(6 * this.count + 64);
    body.points.forEach((p, i) => this.at.set(p, 3 * i));
  }

  /** Gives an edge points of its own at these parameters; those it had before are left behind. */
  add(e: number, places: Float64Array): void {
    this.first[e] = this.count;
    const n = places.length - 2;
    if (3 * (this.count + n) > this.at.length) {
      const now = new Float64Array(Math.ceil(1.6 * 3 * (this.count + n)));
      now.set(this.at);
      this.at = now;
    }
    for (let i = 1; i <= n; i++) this.at.set(curveAt(this.body.edges[e].curve, places[i], 1).at, 3 * this.count++);
  }
}

/** Places with another in the middle of some chords. */
function halved(places: Float64Array, chords: readonly number[]): Float64Array {
  const more = chords.map((k) => (places[k] + places[k + 1]) / 2);
  return Float64Array.from([...new Set([...places, ...more])]).sort();
}

/** The mesher of a BREP text. @param closed false for faces that bound no solid @throws NotTaken */
export const mesherOf = (brep: string, closed = true): Mesher => new Mesher(bodyOfBrep(brep), closed);
