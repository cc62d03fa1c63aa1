import { curveAt } from '../surfaces/curves.ts';
import { sizeOfBody } from '../body/brep.ts';
import { boxOfBody } from '../body/extent.ts';
import { bodyOfBrep } from '../body/from-brep.ts';
import { NotTaken, type Body } from '../body/body.ts';
import { trimmed, type Piece, type Trim } from '../body/trim.ts';
import { diagonalOf } from '../geometry/box.ts';
import { Bend } from './bend.ts';
import { FaceMesher, Finer, type FaceFacets, type Outline } from './face.ts';
import { kindOf, type Want } from './metric.ts';
import { placesOn, type Side } from './spacing.ts';

/** Facets of a solid, face by face. */
export interface SolidFacets {
  positions: Float64Array;
  triangles: Uint32Array;
  /** First triangle of each face, and the number of triangles at the end. */
  starts: Uint32Array;
}

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

  /** @throws NotTaken when a face can't be laid out */
  constructor(body: Body) {
    this.body = body;
    const rough = sizeOfBody(body);
    this.trims = body.faces.map((face) => trimmed(body, face, rough));
    this.size = diagonalOf(boxOfBody(body, this.trims));
    this.bends = body.faces.map((face) => new Bend(face.surface));
    this.sides = body.edges.map(() => []);
    this.trims.forEach((trim, f) => {
      for (const piece of trim.loops.flat()) {
        if (piece.trace) this.sides[piece.edge].push({ trace: piece.trace, bend: this.bends[f], kind: kindOf(trim.on.surface) });
      }
    });
    if (this.sides.some((s) => s.length !== 2)) throw new NotTaken('open-shell');
  }

  /** @throws NotTaken when chords of a face still cross after they were made much shorter */
  facets(want: Want): SolidFacets {
    const least: number[] = this.body.edges.map((edge) => (edge.start === edge.end ? 3 : 1));
    const places = this.body.edges.map((_, e) => this.placesOf(e, want, least[e]));
    this.doubled(places, least, want);
    const made: (FaceFacets | null)[] = this.body.faces.map(() => null);
    for (let round = 0; round < mostRounds; round++) {
      const vertices = this.vertices(places);
      const finer = new Set<number>();
      for (let f = 0; f < made.length; f++) {
        if (made[f]) continue;
        try {
          made[f] = new FaceMesher(this.trims[f].on.surface, this.bends[f], this.trims[f].loops.map((l) => this.outlineOf(l, places, vertices.first)), vertices.positions, want, this.size).facets(this.body.faces[f].turned); // prettier-ignore
        } catch (thrown) {
          if (!(thrown instanceof Finer)) throw thrown;
          if (thrown.edges.length === 0) throw new NotTaken('crossing-chords');
          for (const e of thrown.edges) finer.add(e);
        }
      }
      if (finer.size === 0) return this.together(vertices.positions, made as FaceFacets[]);
      for (const e of finer) {
        least[e] = 2 * (places[e].length - 1);
        places[e] = this.placesOf(e, want, least[e]);
      }
      // Vertices are numbered anew: all faces are laid out again.
      made.fill(null);
    }
    throw new NotTaken('crossing-chords');
  }

  private placesOf(e: number, want: Want, least: number): Float64Array {
    const [one, two] = this.sides[e];
    return placesOn(this.body.edges[e], this.sides[e], one.bend === two.bend, want, this.size, least);
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

  /** Places of all points of edges, and the first of each edge's own. */
  private vertices(places: readonly Float64Array[]): { positions: Float64Array; first: Int32Array } {
    const first = new Int32Array(places.length);
    let n = this.body.points.length;
    places.forEach((list, e) => {
      first[e] = n;
      n += list.length - 2;
    });
    const positions = new Float64Array(3 * n);
    this.body.points.forEach((p, i) => positions.set(p, 3 * i));
    places.forEach((list, e) => {
      for (let i = 1; i < list.length - 1; i++) positions.set(curveAt(this.body.edges[e].curve, list[i], 1).at, 3 * (first[e] + i - 1));
    });
    return { positions, first };
  }

  private outlineOf(loop: readonly Piece[], places: readonly Float64Array[], first: Int32Array): Outline {
    const uv: number[] = [];
    const vertices: number[] = [];
    const edges: number[] = [];
    const at = new Float64Array(4);
    for (const piece of loop) {
      uv.push(...piece.begin);
      vertices.push(piece.vertex);
      edges.push(piece.trace ? piece.edge : -1);
      if (!piece.trace) continue;
      const list = places[piece.edge];
      const n = list.length - 1;
      for (let i = 1; i < n; i++) {
        const k = piece.turned ? n - i : i;
        piece.trace.at(list[k], at);
        uv.push(at[0] + piece.du, at[1] + piece.dv);
        vertices.push(first[piece.edge] + k - 1);
        edges.push(piece.edge);
      }
    }
    return { uv: Float64Array.from(uv), vertices: Int32Array.from(vertices), edges: Int32Array.from(edges) };
  }

  private together(edges: Float64Array, made: readonly FaceFacets[]): SolidFacets {
    const shared = edges.length / 3;
    const positions = new Float64Array(edges.length + made.reduce((n, m) => n + m.points.length, 0));
    positions.set(edges);
    const triangles = new Uint32Array(made.reduce((n, m) => n + m.triangles.length, 0));
    const starts = new Uint32Array(made.length + 1);
    let [point, at] = [shared, 0];
    made.forEach(({ points, triangles: list }, f) => {
      starts[f] = at / 3;
      positions.set(points, 3 * point);
      for (const v of list) triangles[at++] = v >= 0 ? v : point - 1 - v;
      point += points.length / 3;
    });
    starts[made.length] = at / 3;
    return { positions, triangles, starts };
  }
}

/** The mesher of a BREP text. @throws NotTaken */
export const mesherOf = (brep: string): Mesher => new Mesher(bodyOfBrep(brep));
