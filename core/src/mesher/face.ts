import type { Surface } from '../surfaces/surfaces.ts';
import { ahead, behind, Crossing, Triangulation } from './triangulation.ts';
import { Bend } from './bend.ts';
import { kindOf, metricOf, type Kind, type Want } from './metric.ts';
import { TooMany } from './too-many.ts';
import { Off, type Corner } from './off.ts';

/** A corner of a face's outline: parameters, and the vertex of the whole solid. */
export interface Outline {
  /** u, v of each corner in order. */
  uv: Float64Array;
  vertices: Int32Array;
  /** The edge (of the body) that goes on from each corner; below 0 for a pole. */
  edges: Int32Array;
  /** Which of the edge's chords that is. */
  chords: Int32Array;
}

/** Facets of one face. */
export interface FaceFacets {
  /** Corners: vertices of the solid; from `inner` on the face's own points, numbered on. */
  triangles: number[];
  /** Points of its own: x, y, z. */
  points: number[];
}

/** Edges of the body need shorter chords before a face can be laid out. */
export class Finer extends Error {
  /** Edges whose chords cross others: all of them are halved. */
  readonly edges: number[];
  /** Single chords that lie too far off: edge, number of the chord. */
  readonly chords: [number, number][];
  constructor(edges: number[], chords: [number, number][] = []) {
    super('Edges need shorter chords.');
    this.edges = edges;
    this.chords = chords;
  }
}

/** Facets of one face at most. */
const mostFacets = 2_000_000;
/** Edges longer than this, by the metric, are halved when a face is filled; corners nearer than that to another are taken out again. */
const tooLong = 1.35;
const tooShort = 0.75;
/** Area of a triangle of three sides of 1; points are tried to be done without where what is left has no more than this share of it each. */
const fullArea = Math.sqrt(3) / 4;
const slimShare = 1.1;
/** Rounds of filling and of evening out. */
const mostRounds = 40;
/** Rounds of putting points where a facet lies too far off. */
const mostRepairs = 24;
/** A chord of an edge may be farther off by this share: numbers are rounded. */
const chordSlack = 1 + 1e-6;
/** From this share of the deviation on a facet is looked at more closely. */
const doubtful = 0.85;
/** A flip must better the sum of angles by this share. */
const flipGain = 1e-9;
/** Points that would move less than this, by the metric, stay. */
const still = 0.02;
/** Turns at most of one edge's flips in a round. */
const mostFlips = 12;

/**
 * Lays facets out over a face: its outline in the plane of its parameters, points within where it is bent both ways, then more where a facet still lies too far off.
 * @param loops outline first, then holes, each the way round that the face lies to its left
 * @throws Finer, Crossing
 */
export class FaceMesher {
  private readonly bend: Bend;
  private readonly kind: Kind;
  private readonly off: Off;
  private readonly want: Want;
  private readonly size: number;
  private readonly loops: readonly Outline[];
  private readonly vertexAt: Float64Array;
  private t!: Triangulation;
  /** Plane of the triangulation: parameters times these. */
  private scale: [number, number] = [1, 1];
  /** Of each point of the triangulation: vertex of the solid (or -1), place, metric, whether it is still there. */
  private vertex: number[] = [];
  private place: Float64Array = new Float64Array(0);
  private form: Float64Array = new Float64Array(0);
  private gone = new Set<number>();
  /** How often each point was set, and four numbers for each facet that was found near enough: corners, and how often they were set. */
  private moves: number[] = [];
  private known: Int32Array = new Int32Array(0);
  private readonly m = new Float64Array(3);
  /** Edge of the body of each piece of the outline. */
  private readonly pieces: number[] = [];

  constructor(surface: Surface, bend: Bend, loops: readonly Outline[], vertexAt: Float64Array, want: Want, size: number) {
    this.bend = bend;
    this.kind = kindOf(surface);
    this.off = new Off(surface, bend);
    this.loops = loops;
    this.vertexAt = vertexAt;
    this.want = want;
    this.size = size;
  }

  /** @param turned the face's outside lies against du x dv */
  facets(turned: boolean): FaceFacets {
    this.outline();
    this.checkChords();
    if (this.kind === 'both') {
      this.settleAll();
      this.fill();
    }
    this.repair();
    if (this.kind === 'both') {
      this.slim();
      this.repair();
    }
    return this.result(turned);
  }

  // ---- the outline

  private outline(): void {
    const box = this.scaled();
    const count = this.loops.reduce((n, l) => n + l.vertices.length, 0);
    this.t = new Triangulation(box, 2 * count + 16);
    this.vertex = [-1, -1, -1];
    this.moves = [0, 0, 0];
    this.reserve(count + 64);
    const numbers = this.loops.map((loop) => this.corners(loop));
    this.loops.forEach((loop, l) => {
      const n = loop.vertices.length;
      for (let i = 0; i < n; i++) {
        const piece = this.pieces.push(loop.edges[i]) - 1;
        try {
          this.t.keep(numbers[l][i], numbers[l][(i + 1) % n], piece);
        } catch (thrown) {
          throw thrown instanceof Crossing ? this.finer(thrown.edges) : thrown;
        }
      }
    });
    this.t.carve();
    if (this.t.triangles === 0) throw this.finer(this.pieces.map((_, i) => i));
  }

  /** Chords of the outline lie as near to the surface as the rest. */
  private checkChords(): void {
    if (this.kind === 'flat') return;
    const [a, b] = newCorners();
    const list: [number, number][] = [];
    for (const { uv, vertices, edges, chords } of this.loops) {
      const n = vertices.length;
      for (let i = 0; i < n; i++) {
        if (edges[i] < 0) continue;
        [i, (i + 1) % n].forEach((at, k) => {
          const c = k === 0 ? a : b;
          for (let j = 0; j < 3; j++) c.p[j] = this.vertexAt[3 * vertices[at] + j];
          c.u = uv[2 * at];
          c.v = uv[2 * at + 1];
        });
        if (this.off.of(a, b, b, doubtful * this.want.deviation) > this.want.deviation * chordSlack) list.push([edges[i], chords[i]]);
      }
    }
    if (list.length > 0) throw new Finer([], list);
  }

  private finer(pieces: readonly number[]): Finer {
    return new Finer(pieces.map((p) => this.pieces[p] ?? -1).filter((e) => e >= 0));
  }

  /** Puts the corners of a loop in: each between two that are there, so that each search is short. */
  private corners(loop: Outline): Int32Array {
    const n = loop.vertices.length;
    const numbers = new Int32Array(n).fill(-1);
    let step = 1;
    while (step < n) step *= 2;
    for (; step >= 1; step /= 2) {
      for (let i = 0; i < n; i += step) {
        if (numbers[i] >= 0) continue;
        const known = i - step >= 0 ? numbers[i - step] : -1;
        const [u, v] = [loop.uv[2 * i], loop.uv[2 * i + 1]];
        const before = this.t.points;
        const p = this.t.insert(u * this.scale[0], v * this.scale[1], known < 0 ? undefined : (this.t.leaving[known] / 3) | 0);
        if (p < before) throw new Finer([...new Set([loop.edges[i], loop.edges[(i + n - 1) % n], ...this.edgesAt(p)])].filter((e) => e >= 0));
        numbers[i] = p;
        this.vertex[p] = loop.vertices[i];
        this.moves[p] = 0;
        this.reserve(p + 1);
        for (let k = 0; k < 3; k++) this.place[3 * p + k] = this.vertexAt[3 * loop.vertices[i] + k];
        this.measure(p, u, v);
      }
    }
    return numbers;
  }

  /** Edges of the body whose corners a point of the triangulation is one of. */
  private edgesAt(p: number): number[] {
    const vertex = this.vertex[p];
    return this.loops.flatMap((loop) => [...loop.edges].filter((_, i) => loop.vertices[i] === vertex));
  }

  /** Chooses the plane: steps of the metric as long both ways; on ruled surfaces the way along the rulings is pressed together, so that facets lie along them. */
  private scaled(): [number, number, number, number] {
    const box: [number, number, number, number] = [Infinity, Infinity, -Infinity, -Infinity];
    const [mu, mv]: number[][] = [[], []];
    for (const { uv } of this.loops) {
      for (let i = 0; i < uv.length; i += 2) {
        box[0] = Math.min(box[0], uv[i]);
        box[1] = Math.min(box[1], uv[i + 1]);
        box[2] = Math.max(box[2], uv[i]);
        box[3] = Math.max(box[3], uv[i + 1]);
        if (this.kind === 'flat' || i % 6 > 0) continue;
        this.bend.look(uv[i], uv[i + 1]);
        metricOf(this.bend, this.kind, this.want, this.size, this.m);
        mu.push(Math.sqrt(Math.max(0, this.m[0])));
        mv.push(Math.sqrt(Math.max(0, this.m[2])));
      }
    }
    if (this.kind !== 'flat') this.scale = [usual(mu), this.kind === 'ruled' ? 0.1 / (box[3] - box[1] || 1) : usual(mv)];
    const [su, sv] = this.scale;
    return [box[0] * su, box[1] * sv, box[2] * su, box[3] * sv];
  }

  private reserve(points: number): void {
    if (points * 3 <= this.place.length) return;
    const room = Math.ceil(points * 1.6) * 3;
    for (const list of ['place', 'form'] as const) {
      const now = new Float64Array(room);
      now.set(this[list]);
      this[list] = now;
    }
  }

  /** Keeps the metric at a point, in the plane of the triangulation. */
  private measure(p: number, u: number, v: number): void {
    if (this.kind !== 'both') return;
    this.bend.look(u, v);
    metricOf(this.bend, this.kind, this.want, this.size, this.m);
    const [su, sv] = this.scale;
    this.form[3 * p] = this.m[0] / (su * su);
    this.form[3 * p + 1] = this.m[1] / (su * sv);
    this.form[3 * p + 2] = this.m[2] / (sv * sv);
  }

  /** A point of the face's own, where the triangulation has one: its place and metric. */
  private own(p: number): number {
    const u = this.t.x[p] / this.scale[0];
    const v = this.t.y[p] / this.scale[1];
    this.vertex[p] = -1;
    this.moves[p] = (this.moves[p] ?? 0) + 1;
    this.reserve(p + 1);
    this.measure(p, u, v);
    if (this.kind !== 'both') this.bend.point(u, v);
    this.place.set(this.bend.at, 3 * p);
    return p;
  }

  // ---- flips by the metric

  /** Whether an edge's two facets would be better by the other diagonal, in the mean metric of the four corners: the sum of the two angles against it is beyond half a turn. */
  private readonly better = (e: number): boolean => {
    const { t, form } = this;
    const { x, y, corner } = t;
    const a = corner[e];
    const b = corner[ahead(e)];
    const c = corner[behind(e)];
    const d = corner[behind(t.across[e])];
    const uu = form[3 * a] + form[3 * b] + form[3 * c] + form[3 * d];
    const uv = form[3 * a + 1] + form[3 * b + 1] + form[3 * c + 1] + form[3 * d + 1];
    const vv = form[3 * a + 2] + form[3 * b + 2] + form[3 * c + 2] + form[3 * d + 2];
    const acx = x[a] - x[c];
    const acy = y[a] - y[c];
    const bcx = x[b] - x[c];
    const bcy = y[b] - y[c];
    const adx = x[a] - x[d];
    const ady = y[a] - y[d];
    const bdx = x[b] - x[d];
    const bdy = y[b] - y[d];
    const dotC = uu * acx * bcx + uv * (acx * bcy + acy * bcx) + vv * acy * bcy;
    const dotD = uu * adx * bdx + uv * (adx * bdy + ady * bdx) + vv * ady * bdy;
    const crossC = acx * bcy - acy * bcx;
    const crossD = bdx * ady - bdy * adx;
    return crossC * dotD + dotC * crossD < -flipGain * (Math.abs(crossC * dotD) + Math.abs(dotC * crossD));
  };

  private settleAll(): void {
    for (let e = 0; e < 3 * this.t.triangles; e++) if (this.t.across[e] > e) this.t.doubt(e);
    this.t.settle(this.better, mostFlips * this.t.triangles + 64);
  }

  /** Length of an edge by the metric of its ends. */
  private long(a: number, b: number): number {
    const { t, form } = this;
    const dx = t.x[b] - t.x[a];
    const dy = t.y[b] - t.y[a];
    return Math.sqrt(0.5 * ((form[3 * a] + form[3 * b]) * dx * dx + 2 * (form[3 * a + 1] + form[3 * b + 1]) * dx * dy + (form[3 * a + 2] + form[3 * b + 2]) * dy * dy));
  }

  // ---- points within

  private fill(): void {
    const { t } = this;
    for (let round = 0; round < mostRounds; round++) if (this.halve() === 0) break;
    for (let round = 0; round < 4; round++) {
      this.even(3);
      this.thin();
      this.halve();
    }
    this.even(3);
    for (let round = 0; round < 8; round++) {
      const before = t.points;
      if (this.repairs(true) === 0) break;
      this.even(2, Array.from({ length: t.points - before }, (_, i) => before + i));
    }
  }

  /** Halves edges that are too long, the longest first. @returns how many */
  private halve(): number {
    const { t } = this;
    const list: [number, number, number][] = [];
    for (let e = 0; e < 3 * t.triangles; e++) {
      if (t.across[e] <= e || t.fixed[e] > 0) continue;
      const long = this.long(t.corner[e], t.corner[ahead(e)]);
      if (long > tooLong) list.push([long, t.corner[e], t.corner[ahead(e)]]);
    }
    list.sort((p, q) => q[0] - p[0]);
    let made = 0;
    for (const [, a, b] of list) {
      const e = t.edge(a, b);
      if (e < 0 || t.fixed[e] > 0) continue;
      this.limit();
      this.split(e);
      made++;
    }
    return made;
  }

  private limit(): void {
    if (this.t.triangles > mostFacets) throw new TooMany(`One face alone would have more than ${mostFacets.toLocaleString('en')} facets.`);
  }

  /** Puts a point into the middle of an edge. */
  private split(e: number): void {
    const { t } = this;
    const [a, b] = [t.corner[e], t.corner[ahead(e)]];
    this.own(t.onEdge(e, (t.x[a] + t.x[b]) / 2, (t.y[a] + t.y[b]) / 2));
    t.settle(this.better, 200);
  }

  /** Moves points to the middle of what lies round them, by area in the metric; in each pass those that moved before, and those beside them. */
  private even(passes: number, first: readonly number[] = this.ownPoints()): void {
    const { t } = this;
    let active = first;
    const seen = new Uint8Array(t.points);
    for (let pass = 0; pass < passes && active.length > 0; pass++) {
      const next: number[] = [];
      seen.fill(0);
      for (const p of active) {
        if (this.gone.has(p) || !this.centred(p)) continue;
        const begin = t.leaving[p];
        let e = begin;
        do {
          t.doubt(e);
          t.doubt(ahead(e));
          const q = t.corner[ahead(e)];
          if (seen[q] === 0 && this.vertex[q] < 0) next.push(q);
          seen[q] = 1;
          e = t.across[behind(e)];
        } while (e !== begin && e >= 0);
        if (seen[p] === 0) next.push(p);
        seen[p] = 1;
      }
      t.settle(this.better, mostFlips * t.triangles + 64);
      active = next;
    }
  }

  private ownPoints(): number[] {
    const out: number[] = [];
    for (let p = 3; p < this.t.points; p++) if (this.vertex[p] < 0 && !this.gone.has(p)) out.push(p);
    return out;
  }

  /** Moves a point to the middle of the triangles round it, unless it is there or one of them would turn over. @returns whether it did */
  private centred(p: number): boolean {
    const { t, form } = this;
    const { x, y, corner, across } = t;
    const first = t.leaving[p];
    let sum = 0;
    let sx = 0;
    let sy = 0;
    let e = first;
    do {
      const a = corner[ahead(e)];
      const b = corner[behind(e)];
      const uu = form[3 * p] + form[3 * a] + form[3 * b];
      const uv = form[3 * p + 1] + form[3 * a + 1] + form[3 * b + 1];
      const vv = form[3 * p + 2] + form[3 * a + 2] + form[3 * b + 2];
      const area = (x[a] - x[p]) * (y[b] - y[p]) - (x[b] - x[p]) * (y[a] - y[p]);
      const w = area * Math.sqrt(Math.max(0, uu * vv - uv * uv));
      sum += w;
      sx += w * (x[p] + x[a] + x[b]);
      sy += w * (y[p] + y[a] + y[b]);
      e = across[behind(e)];
    } while (e !== first && e >= 0);
    if (!(sum > 0) || e < 0) return false;
    const nx = sx / (3 * sum);
    const ny = sy / (3 * sum);
    const dx = nx - x[p];
    const dy = ny - y[p];
    if (form[3 * p] * dx * dx + 2 * form[3 * p + 1] * dx * dy + form[3 * p + 2] * dy * dy < still * still) return false;
    const ox = x[p];
    const oy = y[p];
    x[p] = nx;
    y[p] = ny;
    do {
      if (!(t.turn(p, corner[ahead(e)], corner[behind(e)]) > 0)) {
        x[p] = ox;
        y[p] = oy;
        return false;
      }
      e = across[behind(e)];
    } while (e !== first);
    this.own(p);
    return true;
  }

  /** Takes out points of its own that lie too near to another. */
  private thin(): void {
    const { t } = this;
    for (let p = 3; p < t.points; p++) {
      if (this.vertex[p] >= 0 || this.gone.has(p)) continue;
      const first = t.leaving[p];
      let [e, near] = [first, Infinity];
      do {
        near = Math.min(near, this.long(p, t.corner[ahead(e)]));
        e = t.across[behind(e)];
      } while (e !== first && e >= 0);
      if (near < tooShort && t.remove(p)) this.gone.add(p);
    }
    this.settleAll();
  }

  /** Takes out points of its own that the promise can do without. */
  private slim(): void {
    const { t, form } = this;
    const corners = newCorners();
    for (let p = 3; p < t.points; p++) {
      if (this.vertex[p] >= 0 || this.gone.has(p)) continue;
      let [area, degree] = [0, 0];
      const first = t.leaving[p];
      let e = first;
      const root = Math.sqrt(Math.max(0, form[3 * p] * form[3 * p + 2] - form[3 * p + 1] ** 2));
      const ring: number[] = [];
      do {
        const [a, b] = [t.corner[ahead(e)], t.corner[behind(e)]];
        ring.push(a);
        area += (root * Math.abs((t.x[a] - t.x[p]) * (t.y[b] - t.y[p]) - (t.x[b] - t.x[p]) * (t.y[a] - t.y[p]))) / 2;
        degree++;
        e = t.across[behind(e)];
      } while (e !== first && e >= 0);
      if (area > slimShare * (degree - 2) * fullArea) continue;
      const [x, y] = [t.x[p], t.y[p]];
      if (!t.remove(p)) continue;
      // The facets that came in its place.
      for (const a of ring) for (const b of ring) { const g = a < b ? t.edge(a, b) : -1; if (g >= 0) t.doubt(g); }
      t.settle(this.better, 200);
      let good = true;
      const within = t.locate(x, y, (t.leaving[ring[0]] / 3) | 0);
      const seen = new Set<number>([within]);
      for (const k of seen) {
        if (k < 0) continue;
        if (this.offOf(k, corners) > this.want.deviation) {
          good = false;
          break;
        }
        for (let g = 3 * k; g < 3 * k + 3; g++) {
          const other = t.across[g];
          if (other >= 0 && ring.includes(t.corner[g]) && ring.includes(t.corner[ahead(g)]) && ring.includes(t.corner[behind(other)])) seen.add((other / 3) | 0);
        }
      }
      if (good) this.gone.add(p);
      else {
        const q = t.insert2(p, x, y, within);
        if (!q) this.gone.add(p);
        else t.settle(this.better, 200);
      }
    }
  }

  // ---- where a facet lies too far off

  private repair(): void {
    if (this.kind === 'flat') return;
    for (let round = 0; round < mostRepairs; round++) if (this.repairs(false) === 0) return;
  }

  /** Puts points where facets lie too far off. @param apart only where no other was put beside it; @returns how many facets were too far off */
  private repairs(apart: boolean): number {
    const corners = newCorners();
    const bad: [number, number, number, number, number, number, number][] = [];
    for (let k = 0; k < this.t.triangles; k++) {
      if (this.isKnown(k)) continue;
      const far = this.offOf(k, corners);
      if (far <= this.want.deviation) this.know(k);
      else bad.push([far, this.t.corner[3 * k], this.t.corner[3 * k + 1], this.t.corner[3 * k + 2], ...this.off.where] as (typeof bad)[number]);
    }
    if (apart) bad.sort((p, q) => q[0] - p[0]);
    const touched = new Set<number>();
    for (const [, a, b, c, wa, wb, wc] of bad) {
      if (apart && (touched.has(a) || touched.has(b) || touched.has(c))) continue;
      this.mend([a, b, c], [wa, wb, wc]);
      if (apart) for (const p of [a, b, c]) touched.add(p);
    }
    return bad.length;
  }

  /** Whether a facet was looked at before and lay near enough, and none of its corners has moved since. */
  private isKnown(k: number): boolean {
    const { corner } = this.t;
    const { known } = this;
    return (
      4 * k + 3 < known.length &&
      known[4 * k] === corner[3 * k] &&
      known[4 * k + 1] === corner[3 * k + 1] &&
      known[4 * k + 2] === corner[3 * k + 2] &&
      known[4 * k + 3] === this.movesOf(k)
    );
  }

  private know(k: number): void {
    if (4 * k + 3 >= this.known.length) {
      const now = new Int32Array(8 * this.t.triangles + 64);
      now.set(this.known);
      this.known = now;
    }
    this.known.set(this.t.corner.subarray(3 * k, 3 * k + 3), 4 * k);
    this.known[4 * k + 3] = this.movesOf(k);
  }

  /** How often the corners of a facet were moved, all together. */
  private movesOf(k: number): number {
    const { corner } = this.t;
    return this.moves[corner[3 * k]] + this.moves[corner[3 * k + 1]] + this.moves[corner[3 * k + 2]];
  }

  private offOf(k: number, corners: Corner[]): number {
    const { t, place } = this;
    const v = [t.corner[3 * k], t.corner[3 * k + 1], t.corner[3 * k + 2]];
    const same = (p: number, q: number) => this.vertex[p] >= 0 && this.vertex[p] === this.vertex[q];
    if (same(v[0], v[1]) || same(v[1], v[2]) || same(v[2], v[0])) return 0;
    for (let i = 0; i < 3; i++) {
      const p = v[i];
      for (let j = 0; j < 3; j++) corners[i].p[j] = place[3 * p + j];
      corners[i].u = t.x[p] / this.scale[0];
      corners[i].v = t.y[p] / this.scale[1];
    }
    return this.off.of(corners[0], corners[1], corners[2], doubtful * this.want.deviation);
  }

  /** Puts a point where a facet is farthest off, when it still is one. */
  private mend(corners: readonly number[], where: readonly number[]): void {
    const { t } = this;
    const e = t.edge(corners[0], corners[1]);
    if (e < 0 || t.corner[behind(e)] !== corners[2]) return;
    this.limit();
    const side = where.findIndex((w) => w < 1e-3);
    if (side >= 0) {
      // On an edge: one that is shared with another face is not this face's to cut.
      const at = t.edge(corners[(side + 1) % 3], corners[(side + 2) % 3]);
      if (t.fixed[at] === 0) {
        const [a, b] = [t.corner[at], t.corner[ahead(at)]];
        const s = Math.max(0.2, Math.min(0.8, where[corners.indexOf(b)]));
        this.own(t.onEdge(at, t.x[a] + s * (t.x[b] - t.x[a]), t.y[a] + s * (t.y[b] - t.y[a])));
        this.resettle();
        return;
      }
    }
    const w = where.map((x) => Math.max(0.15, x));
    const sum = w[0] + w[1] + w[2];
    const at = (list: Float64Array) => (w[0] * list[corners[0]] + w[1] * list[corners[1]] + w[2] * list[corners[2]]) / sum;
    const [x, y] = [at(t.x), at(t.y)];
    for (const [i, j] of [[0, 1], [1, 2], [2, 0]]) if (!(-orient(t, corners[i], corners[j], x, y) > 0)) return; // prettier-ignore
    this.own(t.within((e / 3) | 0, x, y));
    this.resettle();
  }

  private resettle(): void {
    if (this.kind === 'both') this.t.settle(this.better, 200);
    else this.t.settle(() => false);
  }

  // ---- what comes out

  private result(turned: boolean): FaceFacets {
    const { t } = this;
    const own = new Int32Array(t.points).fill(-1);
    const out: FaceFacets = { triangles: [], points: [] };
    const number = (p: number): number => {
      if (this.vertex[p] >= 0) return this.vertex[p];
      if (own[p] < 0) {
        own[p] = out.points.length / 3;
        out.points.push(this.place[3 * p], this.place[3 * p + 1], this.place[3 * p + 2]);
      }
      return -1 - own[p];
    };
    for (let k = 0; k < t.triangles; k++) {
      const [a, b, c] = [number(t.corner[3 * k]), number(t.corner[3 * k + 1]), number(t.corner[3 * k + 2])];
      if (a === b || b === c || c === a) continue;
      if (turned) out.triangles.push(a, c, b);
      else out.triangles.push(a, b, c);
    }
    return out;
  }
}

/** The middle one of those above 0. */
const usual = (list: number[]): number => {
  const sorted = list.filter((x) => x > 0).sort((a, b) => a - b);
  return sorted[sorted.length >> 1] ?? 1;
};

const newCorners = (): Corner[] => [0, 1, 2].map(() => ({ p: new Float64Array(3), u: 0, v: 0 }));

function orient(t: Triangulation, a: number, b: number, x: number, y: number): number {
  return (t.y[a] - y) * (t.x[b] - x) - (t.x[a] - x) * (t.y[b] - y);
}
