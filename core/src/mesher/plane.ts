import type { Surface } from '../surfaces/surfaces.ts';
import { ahead, behind } from './half-edges.ts';
import { Triangulation } from './triangulation.ts';
import { Bend } from '../surfaces/bend.ts';
import { isCrease } from './crease-number.ts';
import { kindOf, metricOf, rulings, shiftAt, type Kind, type Want } from './metric.ts';
import { TooMany } from './too-many.ts';

/** What facets of a face are made by: what is asked for, and the size of the whole solid, mm. */
export interface Task {
  want: Want;
  size: number;
}

/** What a point of a crease has for a vertex. */
const crease = -2;
/** Facets of one face at most. */
const mostFacets = 2_000_000;
/** A flip must better the sum of angles by this share. */
const flipGain = 1e-9;
/** Flips in one go at most, for each triangle and round one new point. */
const mostFlips = 12;
const flipsRound = 200;

/** A face's triangulation in the plane of its parameters, with the place of each point and the metric there. */
export class FacePlane {
  readonly bend: Bend;
  readonly kind: Kind;
  private readonly rulings: 'u' | 'v' | null;
  readonly task: Task;
  readonly t: Triangulation;
  /** Plane of the triangulation: parameters times these. */
  readonly scale: readonly [number, number];
  /** Of each point of the triangulation: vertex of the solid (or -1; -2 for one of a crease), whether it was taken out again, how often it was set. */
  readonly vertex: number[] = [-1, -1, -1];
  readonly gone = new Set<number>();
  readonly moves: number[] = [0, 0, 0];
  /** Of each point: x, y, z in mm; the metric in the plane: xx, xy, yy. */
  place: Float64Array;
  form: Float64Array;
  /** The surface's normal, of length 1; 0 where it is not known. */
  normal: Float64Array;
  /** How far each point stands off the surface along that, mm. */
  off: Float64Array;
  private readonly m = new Float64Array(3);

  /** @param loops u, v of the corners of each loop */
  constructor(surface: Surface, bend: Bend, loops: readonly Float64Array[], task: Task) {
    this.bend = bend;
    this.kind = kindOf(surface);
    this.rulings = rulings(surface);
    this.task = task;
    const { scale, box } = this.scaled(loops);
    this.scale = scale;
    const count = loops.reduce((n, uv) => n + uv.length / 2, 0);
    this.t = new Triangulation(box, 2 * count + 16);
    this.place = new Float64Array(3 * (count + 64));
    this.form = new Float64Array(3 * (count + 64));
    this.normal = new Float64Array(3 * (count + 64));
    this.off = new Float64Array(3 * (count + 64));
  }

  /** Chooses the plane: steps of the metric as long both ways; on ruled surfaces the way along the rulings is pressed together, so that facets lie along them. */
  private scaled(loops: readonly Float64Array[]): { scale: [number, number]; box: number[] } {
    const box = [Infinity, Infinity, -Infinity, -Infinity];
    const [mu, mv]: number[][] = [[], []];
    for (const uv of loops) {
      for (let i = 0; i < uv.length; i += 2) {
        box[0] = Math.min(box[0], uv[i]);
        box[1] = Math.min(box[1], uv[i + 1]);
        box[2] = Math.max(box[2], uv[i]);
        box[3] = Math.max(box[3], uv[i + 1]);
        if (this.kind === 'flat' || i % 6 > 0) continue;
        this.formAt(uv[i], uv[i + 1]);
        mu.push(Math.sqrt(Math.max(0, this.m[0])));
        mv.push(Math.sqrt(Math.max(0, this.m[2])));
      }
    }
    let [su, sv] = this.kind === 'flat' ? [1, 1] : [usual(mu), usual(mv)];
    if (this.rulings === 'v') sv = pressed / (box[3] - box[1] || 1);
    else if (this.rulings === 'u') su = pressed / (box[2] - box[0] || 1);
    return { scale: [su, sv], box: [box[0] * su, box[1] * sv, box[2] * su, box[3] * sv] };
  }

  /** The metric of steps in u and v. @param out takes uu, uv, vv */
  metric(u: number, v: number, out: Float64Array): void {
    this.bend.look(u, v);
    metricOf(this.bend, this.kind, this.task, out);
  }

  private formAt(u: number, v: number): void {
    this.bend.look(u, v);
    metricOf(this.bend, this.kind, this.task, this.m);
  }

  private reserve(points: number): void {
    if (points * 3 <= this.place.length) return;
    const room = Math.ceil(points * 1.6) * 3;
    for (const list of ['place', 'form', 'normal', 'off'] as const) {
      const now = new Float64Array(room);
      now.set(this[list]);
      this[list] = now;
    }
  }

  /** Keeps the metric at a point, in the plane of the triangulation. */
  private measure(p: number, u: number, v: number): void {
    if (this.kind === 'flat') return;
    this.formAt(u, v);
    this.bend.normal(this.normal, 3 * p);
    if (this.kind === 'ruled') return;
    const [su, sv] = this.scale;
    this.form[3 * p] = this.m[0] / (su * su);
    this.form[3 * p + 1] = this.m[1] / (su * sv);
    this.form[3 * p + 2] = this.m[2] / (sv * sv);
  }

  /** A point of the outline: a vertex of the solid. */
  corner(p: number, vertex: number, at: ArrayLike<number>): void {
    this.reserve(p + 1);
    this.vertex[p] = vertex;
    this.moves[p] = 0;
    for (let k = 0; k < 3; k++) this.place[3 * p + k] = at[k];
    this.measure(p, this.u(p), this.v(p));
  }

  u(p: number): number {
    return this.t.x[p] / this.scale[0];
  }

  v(p: number): number {
    return this.t.y[p] / this.scale[1];
  }

  /** A point of the face's own, where the triangulation has one: its place and metric. */
  own(p: number): void {
    this.vertex[p] = -1;
    this.moves[p] = (this.moves[p] ?? 0) + 1;
    this.reserve(p + 1);
    this.measure(p, this.u(p), this.v(p));
    if (this.kind === 'flat') this.bend.point(this.u(p), this.v(p));
    const shift = this.kind === 'both' ? shiftAt(this.bend, this.task.want) : 0;
    this.off[p] = shift;
    for (let k = 0; k < 3; k++) this.place[3 * p + k] = this.bend.at[k] + shift * this.normal[3 * p + k];
  }

  /** Makes a point one of a crease: it stays where it is, and its normal is not known. */
  creased(p: number): void {
    if (this.vertex[p] < 0) this.vertex[p] = crease;
    // And it lies on the surface, to both sides of it.
    for (let k = 0; k < 3; k++) this.place[3 * p + k] -= this.off[p] * this.normal[3 * p + k];
    this.off[p] = 0;
    this.normal.fill(0, 3 * p, 3 * p + 3);
  }

  /** Whether a point is the face's own, free to move, and still there. */
  isOwn(p: number): boolean {
    return this.vertex[p] === -1 && !this.gone.has(p);
  }

  /** The face's own points. */
  ownPoints(): number[] {
    const out: number[] = [];
    for (let p = 3; p < this.t.points; p++) if (this.isOwn(p)) out.push(p);
    return out;
  }

  /** Whether an edge's two facets would be better by the other diagonal, in the mean metric of the four corners: the sum of the two angles against it is beyond half a turn. */
  readonly better = (e: number): boolean => {
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

  /** Flips what the metric asks for, everywhere. */
  settleAll(): void {
    for (let e = 0; e < 3 * this.t.triangles; e++) if (this.t.across[e] > e) this.t.doubt(e);
    this.settleDoubts();
  }

  /** Flips what the metric asks for among the edges in doubt. */
  settleDoubts(): void {
    this.t.settle(this.better, mostFlips * this.t.triangles + 64);
  }

  /** Flips what the metric asks for round what was put in last. */
  settle(): void {
    if (this.kind === 'both') this.t.settle(this.better, flipsRound);
    else this.t.settle(() => false);
  }

  /** Length of an edge by the metric of its ends. */
  long(a: number, b: number): number {
    const { t, form } = this;
    const dx = t.x[b] - t.x[a];
    const dy = t.y[b] - t.y[a];
    const xx = form[3 * a] + form[3 * b];
    const xy = form[3 * a + 1] + form[3 * b + 1];
    const yy = form[3 * a + 2] + form[3 * b + 2];
    return Math.sqrt(0.5 * (xx * dx * dx + 2 * xy * dx * dy + yy * dy * dy));
  }

  /** Puts a point of its own onto an edge, a share of the way along it, when that makes no triangle without area. */
  cut(e: number, share: number): boolean {
    const { t } = this;
    const [a, b] = [t.corner[e], t.corner[ahead(e)]];
    const [x, y] = [t.x[a] + share * (t.x[b] - t.x[a]), t.y[a] + share * (t.y[b] - t.y[a])];
    if (!t.fitsOn(e, x, y)) return false;
    this.limit();
    const onCrease = isCrease(t.keptAs(e));
    const p = t.onEdge(e, x, y);
    this.own(p);
    if (onCrease) this.creased(p);
    this.settle();
    return true;
  }

  /** Puts a point of its own into a triangle, when it lies strictly within. */
  put(k: number, x: number, y: number): boolean {
    const { t } = this;
    if (!t.strictlyHolds(k, x, y)) return false;
    this.limit();
    this.own(t.within(k, x, y));
    this.settle();
    return true;
  }

  /** Puts a point of its own at parameters, when they lie within a triangle and not near to the outline. @param near a triangle to look from @returns the triangle, or -1 */
  seed(u: number, v: number, near: number): number {
    const { t } = this;
    const x = u * this.scale[0];
    const y = v * this.scale[1];
    const k = t.walk(x, y, near);
    if (k < 0 || !this.clear(k, x, y) || !this.put(k, x, y)) return k < 0 ? near : k;
    return (t.leaving[t.points - 1] / 3) | 0;
  }

  /** Whether a place is high enough above the edges of the outline that its triangle has. */
  private clear(k: number, x: number, y: number): boolean {
    const { t, form } = this;
    for (let e = 3 * k; e < 3 * k + 3; e++) {
      if (t.fixed[e] === 0) continue;
      const a = t.corner[e];
      const b = t.corner[ahead(e)];
      const bx = t.x[b] - t.x[a];
      const by = t.y[b] - t.y[a];
      const px = x - t.x[a];
      const py = y - t.y[a];
      const xx = form[3 * a] + form[3 * b];
      const xy = form[3 * a + 1] + form[3 * b + 1];
      const yy = form[3 * a + 2] + form[3 * b + 2];
      const det = xx * yy - xy * xy;
      const area = bx * py - by * px;
      const base = xx * bx * bx + 2 * xy * bx * by + yy * by * by;
      // Twice the square of its height; where the edge is a point, of its distance from that.
      const away = base > 1e-12 ? (det * area * area) / base : xx * px * px + 2 * xy * px * py + yy * py * py;
      if (away < 2 * nearRim * nearRim) return false;
    }
    return true;
  }

  private limit(): void {
    if (this.t.triangles > mostFacets) throw new TooMany(`One face alone would have more than ${mostFacets.toLocaleString('en')} facets.`);
  }
}

/** Points of a lattice come no nearer to the outline than this, by the metric. */
const nearRim = 0.6;

/** How wide a ruled face is along its rulings in the plane: narrow beside steps of 1. */
const pressed = 0.1;

/** The middle one of those above 0. */
const usual = (list: number[]): number => {
  const sorted = list.filter((x) => x > 0).sort((a, b) => a - b);
  return sorted[sorted.length >> 1] ?? 1;
};
