import { cross, dot, lengthOf, scaled, sub, unit, type Vec3 } from '../geometry/vector.ts';
import type { Crease } from './creases.ts';
import { curveAt, type Curve } from './curves.ts';
import { SplinePoint } from './spline-point.ts';
import { surfaceAt, type Surface } from './surfaces.ts';

/** What finds the foot of the perpendicular from a point. */
export interface Foot {
  /** The point found last, mm. */
  x: number;
  y: number;
  z: number;
  /** A distance up to this need not be looked for more closely, mm: what is given then is no more than that. */
  enough: number;
  /** Distance of a point, mm. */
  find(px: number, py: number, pz: number): number;
}

/** Steps of a search at most, and how often a step is halved in all. */
const mostSteps = 16;
const mostHalves = 6;
/** A step is no longer than this share of the range: beside a place where a surface has shrunk to a point the way round it is short, and soon bends away. */
const longestStep = 0.125;
/** A tangent of this share of the other one's squared length is gone: the surface has shrunk to a point there. Ways looked at from there. */
const shrunk = 1e-18;
const ways = 24;
/** A foot that is off by this share of the distance, squared, is one: the distance is too long by half of that share. */
const footShare = 2e-6;
/** Squared mm by which any foot may be off. */
const footOff = 1e-24;

/** The other starts of a search that are tried where the surface comes near again. */
const mostStarts = 4;

/** Ends of parameters are one place where points there are this near, in shares of the size. */
const meets = 1e-9;

/** Places of the grid each way: two for each pole that reaches into a span, within these; on surfaces that are none of splines so many. */
const leastPlaces = 24;
const mostPlaces = 96;
const otherPlaces = 40;

/** Places in the middles of equal parts of a range. */
const middles = (from: number, to: number, n: number): Float64Array => Float64Array.from({ length: n }, (_, i) => from + ((to - from) * (i + 0.5)) / n);

/**
 * The foot of the perpendicular on a surface of two parameters: from the place found last, or from the nearest of a grid of places (none of them at an end, where it
 * may have shrunk to a point), by Gauss and Newton's steps. At an end they go on along it, or over it where the surface closes there.
 * Source: orthogonal projection; The NURBS Book, 6.1 (point inversion); active sets: Nocedal and Wright, Numerical Optimization, 16.7.
 */
export class SurfaceFoot implements Foot {
  x = 0;
  y = 0;
  z = 0;
  enough = 0;
  /** A distance beyond this is looked for all over the surface before it is believed, mm: steps from a place nearby may end at another fold. */
  sure = Infinity;
  /** Parameters of the point found last; of a start when they are set. */
  u = NaN;
  v = NaN;
  /** What u and v may be changed by on a surface that closes; else 0. */
  readonly uPeriod: number;
  readonly vPeriod: number;
  private readonly range: readonly [number, number, number, number];
  private readonly surface: Surface;
  private readonly spline: SplinePoint | null;
  /** The point that is looked for, and from where was looked at last to it. */
  private readonly p = new Float64Array(3);
  private readonly r = new Float64Array(3);
  /** By how much a step would make the squared distance shorter, were the surface flat. */
  private gain = 0;
  private stepU = 0;
  private stepV = 0;
  /** Whether the surface has shrunk to a point where was looked at last. */
  private shrunk = false;
  private readonly at = new Float64Array(3);
  private readonly best = new Float64Array(3);
  private readonly du = new Float64Array(3);
  private readonly dv = new Float64Array(3);
  private grid: Grid | null = null;
  /** Whether the last search came to its end. */
  private settled = false;

  /** @param range of u, then of v */
  constructor(surface: Surface, range: readonly [number, number, number, number]) {
    this.surface = surface;
    this.range = range;
    this.spline = surface.kind === 'bspline' ? new SplinePoint(surface) : null;
    this.uPeriod = this.closes(0) ? range[1] - range[0] : 0;
    this.vPeriod = this.closes(2) ? range[3] - range[2] : 0;
  }

  find(px: number, py: number, pz: number): number {
    this.p[0] = px;
    this.p[1] = py;
    this.p[2] = pz;
    let best = Infinity;
    let bu = this.u;
    let bv = this.v;
    if (!Number.isNaN(bu)) {
      best = this.refined(bu, bv);
      bu = this.u;
      bv = this.v;
      this.take();
    }
    if (!(best <= this.enough)) {
      const grid = (this.grid ??= this.makeGrid());
      // Near enough to be the right place, and not stopped at an end or on the way: no need to look elsewhere.
      if (!this.settled || !(best < grid.spacing / 4) || best > this.sure || this.atEnd(bu, bv)) {
        for (const k of grid.startsNear(px, py, pz)) {
          const again = this.refined(grid.u[Math.floor(k / grid.v.length)], grid.v[k % grid.v.length]);
          if (again < best) {
            best = again;
            bu = this.u;
            bv = this.v;
            this.take();
          }
        }
      }
    }
    this.u = bu;
    this.v = bv;
    return best;
  }

  /** Keeps the point that a search has ended at. */
  private take(): void {
    this.x = this.best[0];
    this.y = this.best[1];
    this.z = this.best[2];
  }

  private atEnd(u: number, v: number): boolean {
    const [u0, u1, v0, v1] = this.range;
    return (this.uPeriod === 0 && (u <= u0 || u >= u1)) || (this.vPeriod === 0 && (v <= v0 || v >= v1));
  }

  /** A parameter within its range. @param k 0 for u, 2 for v */
  private held(x: number, k: 0 | 2, period: number): number {
    const low = this.range[k];
    const high = this.range[k + 1];
    if (period > 0) return x >= low && x <= high ? x : x - Math.floor((x - low) / period) * period;
    return x < low ? low : x > high ? high : x;
  }

  /** Steps from a place; leaves the parameters found in u and v, the point in best. @param mayTurn whether ways are looked for at a shrunk end @returns the distance there */
  private refined(u: number, v: number, mayTurn = true): number {
    let best = Infinity;
    let bu = (u = this.held(u, 0, this.uPeriod));
    let bv = (v = this.held(v, 2, this.vPeriod));
    this.settled = false;
    for (let step = 0, halves = 0; step < mostSteps + halves; step++) {
      const d = this.distanceAt(u, v);
      if (!(d < best)) {
        // Too long a step where the surface bends much: half of it, and half of that, before it is given up.
        if (Number.isNaN(d) || halves === mostHalves) break;
        halves++;
        this.stepU /= 2;
        this.stepV /= 2;
      } else {
        best = d;
        bu = u;
        bv = v;
        this.best.set(this.at);
        this.settled = this.step(u, v, d);
        if (d <= this.enough) {
          // Near enough: what is given is how far it would be from the foot, were the surface flat.
          this.settled = true;
          best = Math.sqrt(Math.max(0, d * d - this.gain));
          break;
        }
        if (mayTurn && this.shrunk) {
          const again = this.turn(u, v) ? this.refined(this.u, this.v, false) : Infinity;
          if (again < best) return again;
          this.distanceAt(u, v);
          this.best.set(this.at);
          this.settled = true;
        }
        if (this.settled) break;
      }
      u = this.held(bu + this.stepU, 0, this.uPeriod);
      v = this.held(bv + this.stepV, 2, this.vPeriod);
    }
    this.u = bu;
    this.v = bv;
    return best;
  }

  /** Looks at parameters. @returns how far the point is from there */
  private distanceAt(u: number, v: number): number {
    const { p, r, at } = this;
    this.look(u, v);
    r[0] = p[0] - at[0];
    r[1] = p[1] - at[1];
    r[2] = p[2] - at[2];
    return Math.sqrt(r[0] * r[0] + r[1] * r[1] + r[2] * r[2]);
  }

  /** The next step from what was looked at last, held within the ends. @returns whether none is needed */
  private step(u: number, v: number, d: number): boolean {
    const { du, dv, r } = this;
    const a = du[0] * du[0] + du[1] * du[1] + du[2] * du[2];
    const b = du[0] * dv[0] + du[1] * dv[1] + du[2] * dv[2];
    const c = dv[0] * dv[0] + dv[1] * dv[1] + dv[2] * dv[2];
    const e = du[0] * r[0] + du[1] * r[1] + du[2] * r[2];
    const f = dv[0] * r[0] + dv[1] * r[1] + dv[2] * r[2];
    const det = a * c - b * b;
    this.shrunk = a <= shrunk * c || c <= shrunk * a;
    const alongU = a > 0 ? e / a : 0;
    const alongV = c > 0 ? f / c : 0;
    let su = a > c ? alongU : 0;
    let sv = a > c ? 0 : alongV;
    if (det > 1e-14 * a * c) {
      su = (e * c - f * b) / det;
      sv = (a * f - b * e) / det;
    }
    // Where a step would leave the surface only the way along its end is left.
    const heldU = this.leaves(u, su, 0);
    if (heldU) {
      su = 0;
      sv = alongV;
    }
    if (this.leaves(v, sv, 2)) {
      sv = 0;
      su = heldU || this.leaves(u, alongU, 0) ? 0 : alongU;
    }
    const { range } = this;
    const long = Math.max(1, Math.abs(su) / (longestStep * (range[1] - range[0])), Math.abs(sv) / (longestStep * (range[3] - range[2])));
    this.stepU = su / long;
    this.stepV = sv / long;
    // How much shorter the squared distance could still get, were the surface flat.
    this.gain = e * su + f * sv;
    return this.gain <= footShare * d * d + footOff;
  }

  /** Whether a parameter stands at an end that a step goes beyond. @param k 0 for u, 2 for v */
  private leaves(x: number, step: number, k: 0 | 2): boolean {
    if ((k === 0 ? this.uPeriod : this.vPeriod) > 0) return false;
    return (step < 0 && x <= this.range[k]) || (step > 0 && x >= this.range[k + 1]);
  }

  /** Looks all ways from a point that an end of the surface has shrunk to; leaves parameters a step along the best of them. @returns false where none leads nearer */
  private turn(u: number, v: number): boolean {
    const [u0, u1, v0, v1] = this.range;
    const { du, dv, r } = this;
    const round = du[0] * du[0] + du[1] * du[1] + du[2] * du[2] < dv[0] * dv[0] + dv[1] * dv[1] + dv[2] * dv[2];
    const [low, high] = round ? [u0, u1] : [v0, v1];
    const inward = round ? (v - v0 < v1 - v ? 1 : -1) : u - u0 < u1 - u ? 1 : -1;
    const reach = longestStep * (round ? v1 - v0 : u1 - u0);
    const out = round ? dv : du;
    let best = 0;
    for (let k = 0; k < ways; k++) {
      const at = low + ((high - low) * (k + 0.5)) / ways;
      if (round) this.look(at, v);
      else this.look(u, at);
      const size = Math.sqrt(out[0] * out[0] + out[1] * out[1] + out[2] * out[2]);
      const gain = (inward * (out[0] * r[0] + out[1] * r[1] + out[2] * r[2])) / size;
      if (!(gain > best)) continue;
      best = gain;
      const go = inward * Math.min(reach, gain / size);
      this.u = round ? at : u + go;
      this.v = round ? v + go : at;
    }
    return best > 0;
  }

  /** Point and tangents at parameters. */
  private look(u: number, v: number): void {
    if (this.spline) {
      this.spline.look(u, v, 1);
      this.spline.copy(this.at, this.du, this.dv);
      return;
    }
    const p = surfaceAt(this.surface, u, v);
    this.at.set(p.at);
    this.du.set(p.du);
    this.dv.set(p.dv);
  }

  /** Whether the surface closes from one end of a parameter to the other. @param k 0 for u, 2 for v */
  private closes(k: 0 | 2): boolean {
    const s = this.range;
    const others = middles(s[2 - k], s[3 - k], 9);
    let size = 0;
    let apart = 0;
    let [fx, fy, fz] = [NaN, NaN, NaN];
    for (const other of others) {
      const [a, b] = [s[k], s[k + 1]].map((end) => (k === 0 ? surfaceAt(this.surface, end, other) : surfaceAt(this.surface, other, end)).at);
      const m = (k === 0 ? surfaceAt(this.surface, (s[0] + s[1]) / 2, other) : surfaceAt(this.surface, other, (s[2] + s[3]) / 2)).at;
      if (Number.isNaN(fx)) [fx, fy, fz] = a;
      size = Math.max(size, Math.hypot(m[0] - a[0], m[1] - a[1], m[2] - a[2]), Math.hypot(fx - a[0], fy - a[1], fz - a[2]));
      apart = Math.max(apart, Math.hypot(b[0] - a[0], b[1] - a[1], b[2] - a[2]));
    }
    return apart <= meets * size;
  }

  private makeGrid(): Grid {
    const [u0, u1, v0, v1] = this.range;
    const s = this.surface;
    const places = (knots: Float64Array, degree: number, count: number) =>
      Math.max(leastPlaces, Math.min(mostPlaces, (new Set(knots.subarray(degree, count + 1)).size - 1) * 2 * (degree + 1)));
    const us = middles(u0, u1, s.kind === 'bspline' ? places(s.uKnots, s.uDegree, s.uCount) : otherPlaces);
    const vs = middles(v0, v1, s.kind === 'bspline' ? places(s.vKnots, s.vDegree, s.vCount) : otherPlaces);
    return new Grid(us, vs, (u, v) => {
      this.look(u, v);
      return this.at;
    });
  }
}

/** Pieces that a creased surface is divided into at most; and how far before a crease the piece ends whose slopes are wanted there, in shares of its range. */
const mostPieces = 256;
const before = 1e-12;

/** The foot on a spline surface that is creased: on each of the smooth pieces between its creases, for steps do not find their way over one. */
export class CreasedFoot implements Foot {
  x = 0;
  y = 0;
  z = 0;
  enough = 0;
  /** Parameters of the point found last. */
  u = 0;
  v = 0;
  private readonly pieces: readonly SurfaceFoot[];

  /** @param range of u, then of v */
  constructor(surface: Surface, range: readonly [number, number, number, number], creases: readonly Crease[]) {
    const stops = (way: 'u' | 'v', low: number, high: number) => [low, ...creases.filter((c) => c.way === way).map((c) => c.at), high];
    const [us, vs] = [stops('u', range[0], range[1]), stops('v', range[2], range[3])];
    const spans = (list: number[]) => list.slice(1).map((to, i) => [list[i], i + 2 < list.length ? to - before * (to - list[i]) : to]);
    this.pieces = spans(us).flatMap(([a, b]) => spans(vs).map(([c, d]) => new SurfaceFoot(surface, [a, b, c, d])));
    for (const piece of this.pieces) piece.sure = 0;
  }

  static takes(creases: readonly Crease[]): boolean {
    const many = (way: 'u' | 'v') => creases.filter((c) => c.way === way).length + 1;
    return creases.length > 0 && many('u') * many('v') <= mostPieces;
  }

  find(px: number, py: number, pz: number): number {
    let best = Infinity;
    for (const piece of this.pieces) {
      piece.enough = this.enough;
      const d = piece.find(px, py, pz);
      if (!(d < best)) continue;
      best = d;
      ({ x: this.x, y: this.y, z: this.z, u: this.u, v: this.v } = piece);
      if (best <= this.enough) break;
    }
    return best;
  }
}

/** Places all over a surface. */
class Grid {
  readonly u: Float64Array;
  readonly v: Float64Array;
  /** The least distance between neighbours along v, mm. */
  readonly spacing: number;
  private readonly at: Float64Array;
  private readonly squares: Float64Array;
  /** How far a neighbour is at most. */
  private reach = 0;

  constructor(u: Float64Array, v: Float64Array, place: (u: number, v: number) => ArrayLike<number>) {
    this.u = u;
    this.v = v;
    this.at = new Float64Array(3 * u.length * v.length);
    this.squares = new Float64Array(u.length * v.length);
    for (let i = 0, k = 0; i < u.length; i++) for (let j = 0; j < v.length; j++, k++) this.at.set(place(u[i], v[j]), 3 * k);
    let spacing = Infinity;
    for (let k = 0; k < this.squares.length; k++) {
      if (k % v.length > 0) {
        const d = this.between(k, k - 1);
        if (d > 0) spacing = Math.min(spacing, d);
        this.reach = Math.max(this.reach, d);
      }
      if (k >= v.length) this.reach = Math.max(this.reach, this.between(k, k - v.length));
    }
    this.spacing = spacing;
  }

  private between(i: number, j: number): number {
    const { at } = this;
    return Math.hypot(at[3 * i] - at[3 * j], at[3 * i + 1] - at[3 * j + 1], at[3 * i + 2] - at[3 * j + 2]);
  }

  /** Places that are nearer than those beside them, and not much farther than the nearest of all: that one first. */
  startsNear(x: number, y: number, z: number): number[] {
    const { at, squares } = this;
    let nearest = 0;
    for (let k = 0; k < squares.length; k++) {
      const dx = at[3 * k] - x;
      const dy = at[3 * k + 1] - y;
      const dz = at[3 * k + 2] - z;
      squares[k] = dx * dx + dy * dy + dz * dz;
      if (!(squares[k] >= squares[nearest])) nearest = k;
    }
    const far = (Math.sqrt(squares[nearest]) + this.reach / 2) ** 2;
    const others: number[] = [];
    for (let k = 0; k < squares.length; k++) if (k !== nearest && squares[k] <= far && this.isLowest(k)) others.push(k);
    others.sort((i, j) => squares[i] - squares[j]);
    return [nearest, ...others.slice(0, mostStarts - 1)];
  }

  private isLowest(k: number): boolean {
    const { squares } = this;
    const n = this.v.length;
    const [i, j] = [Math.floor(k / n), k % n];
    for (let a = Math.max(0, i - 1); a <= Math.min(this.u.length - 1, i + 1); a++) {
      for (let b = Math.max(0, j - 1); b <= Math.min(n - 1, j + 1); b++) if (squares[a * n + b] < squares[k]) return false;
    }
    return true;
  }
}

/** Places of a profile looked at between two knots, and in all at least. */
const pieceLooks = 8;
const leastLooks = 32;

/**
 * The foot on a surface that a profile sweeps along a line or about an axis: on the profile, in the plane where the surface is one line: across the line, or of
 * heights and distances from the axis.
 */
export class SweptFoot implements Foot {
  x = 0;
  y = 0;
  z = 0;
  enough = 0;
  private readonly profile: Curve;
  private readonly range: readonly [number, number];
  /** Of an extrusion: x and y across it. Of a revolution: a place on the axis and its direction. */
  private readonly e1: Vec3;
  private readonly e2: Vec3;
  private readonly origin: Vec3;
  private readonly turned: boolean;
  /** The profile in its plane: parameters, and x and y of each. */
  private readonly ts: Float64Array;
  private readonly xy: Float64Array;
  private readonly squares: Float64Array;
  private readonly reach: number;
  /** What `look` found: x, y and how they change once and twice. */
  private readonly seen = new Float64Array(6);
  /** Parameter of the point found last on the profile. */
  t = 0;

  /** @param range of the profile's parameter */
  constructor(surface: Extract<Surface, { kind: 'extrusion' | 'revolution' }>, range: readonly [number, number]) {
    this.profile = surface.profile;
    // Round and round there is no end.
    this.range = surface.profile.kind === 'circle' || surface.profile.kind === 'ellipse' ? [-Infinity, Infinity] : range;
    this.turned = surface.kind === 'revolution';
    if (surface.kind === 'revolution') [this.origin, this.e1, this.e2] = [surface.at, surface.axis, surface.axis];
    else {
      const along = unit(surface.along);
      const least = [0, 1, 2].reduce((k, i) => (Math.abs(along[i]) < Math.abs(along[k]) ? i : k), 0);
      const axis: Vec3 = [0, 0, 0];
      axis[least] = 1;
      this.e1 = unit(cross(along, axis));
      this.e2 = cross(along, this.e1);
      this.origin = [0, 0, 0];
    }
    this.ts = looksAlong(surface.profile, range);
    this.xy = new Float64Array(2 * this.ts.length);
    this.squares = new Float64Array(this.ts.length);
    let reach = 0;
    this.ts.forEach((t, i) => {
      this.look(t);
      this.xy[2 * i] = this.seen[0];
      this.xy[2 * i + 1] = this.seen[1];
      if (i > 0) reach = Math.max(reach, Math.hypot(this.seen[0] - this.xy[2 * i - 2], this.seen[1] - this.xy[2 * i - 1]));
    });
    this.reach = reach;
  }

  find(px: number, py: number, pz: number): number {
    const q = sub([px, py, pz], this.origin);
    const [x, y] = this.turned ? [lengthOf(sub(q, scaled(this.e1, dot(q, this.e1)))), dot(q, this.e1)] : [dot(q, this.e1), dot(q, this.e2)];
    const { xy, squares } = this;
    let nearest = 0;
    for (let i = 0; i < squares.length; i++) {
      const dx = xy[2 * i] - x;
      const dy = xy[2 * i + 1] - y;
      squares[i] = dx * dx + dy * dy;
      if (!(squares[i] >= squares[nearest])) nearest = i;
    }
    let best = this.refined(x, y, this.ts[nearest]);
    let t = this.t;
    const far = (Math.sqrt(squares[nearest]) + this.reach / 2) ** 2;
    for (let i = 0; i < squares.length && best > this.enough; i++) {
      if (i === nearest || squares[i] > far || (i > 0 && squares[i - 1] < squares[i]) || squares[i + 1] < squares[i]) continue;
      const again = this.refined(x, y, this.ts[i]);
      if (again < best) [best, t] = [again, this.t];
    }
    this.t = t;
    this.place(q, t);
    return best;
  }

  /** The point of the surface: the profile's, moved along, or turned to where the point is. */
  private place(q: Vec3, t: number): void {
    this.look(t);
    const [a, b] = this.seen;
    let p: Vec3;
    if (this.turned) {
      const up = dot(q, this.e1);
      const out = sub(q, scaled(this.e1, up));
      const far = lengthOf(out);
      const on = far > 0 ? scaled(out, a / far) : scaled(this.anyAcross(t), a);
      p = [0, 1, 2].map((k) => this.origin[k] + on[k] + b * this.e1[k]) as Vec3;
    } else p = [0, 1, 2].map((k) => q[k] + (a - dot(q, this.e1)) * this.e1[k] + (b - dot(q, this.e2)) * this.e2[k]) as Vec3;
    [this.x, this.y, this.z] = p;
  }

  /** From a point on the axis all ways are as near: that of the profile itself. */
  private anyAcross(t: number): Vec3 {
    const q = sub(curveAt(this.profile, t).at, this.origin);
    const out = sub(q, scaled(this.e1, dot(q, this.e1)));
    const far = lengthOf(out);
    return far > 0 ? scaled(out, 1 / far) : [0, 0, 0];
  }

  /** Newton's steps along the profile from a parameter; leaves what they end at in t. */
  private refined(x: number, y: number, from: number): number {
    const [low, high] = this.range;
    const { seen } = this;
    let [best, bt, t, step] = [Infinity, from, from, 0];
    for (let n = 0, halves = 0; n < mostSteps + halves; n++) {
      this.look(t);
      const rx = x - seen[0];
      const ry = y - seen[1];
      const d = Math.sqrt(rx * rx + ry * ry);
      if (!(d < best)) {
        if (Number.isNaN(d) || halves === mostHalves) break;
        halves++;
        step /= 2;
      } else {
        [best, bt] = [d, t];
        const slope = rx * seen[2] + ry * seen[3];
        const flat = seen[2] * seen[2] + seen[3] * seen[3];
        const bent = flat - rx * seen[4] - ry * seen[5];
        step = flat > 0 ? slope / (bent > flat / 4 ? bent : flat) : 0;
        if ((t <= low && step < 0) || (t >= high && step > 0) || slope * step <= footShare * d * d + footOff) break;
      }
      t = Math.max(low, Math.min(high, bt + step));
    }
    this.t = bt;
    return best;
  }

  private look(t: number): void {
    const { at, d1, d2 } = curveAt(this.profile, t);
    const q = sub(at, this.origin);
    const { e1, e2, seen } = this;
    if (!this.turned) {
      seen[0] = dot(q, e1);
      seen[1] = dot(q, e2);
      seen[2] = dot(d1, e1);
      seen[3] = dot(d1, e2);
      seen[4] = dot(d2, e1);
      seen[5] = dot(d2, e2);
      return;
    }
    seen[1] = dot(q, e1);
    seen[3] = dot(d1, e1);
    seen[5] = dot(d2, e1);
    const out = sub(q, scaled(e1, seen[1]));
    const go = sub(d1, scaled(e1, seen[3]));
    const r = lengthOf(out);
    seen[0] = r;
    seen[2] = r > 0 ? dot(out, go) / r : lengthOf(go);
    seen[4] = r > 0 ? (dot(out, sub(d2, scaled(e1, seen[5]))) + dot(go, go) - seen[2] * seen[2]) / r : 0;
  }
}

/** Parameters to look at all along a curve: some between two knots of a spline each. */
function looksAlong(curve: Curve, [from, to]: readonly [number, number]): Float64Array {
  const base = curve.kind === 'offset' ? curve.of : curve;
  const stops = base.kind === 'bspline' ? [...new Set(base.knots)].filter((t) => t > from && t < to) : [];
  const ends = [from, ...stops, to];
  const each = Math.max(pieceLooks, Math.ceil(leastLooks / (ends.length - 1)));
  return Float64Array.from([...ends.slice(1).flatMap((end, i) => Array.from({ length: each }, (_, k) => ends[i] + ((end - ends[i]) * k) / each)), to]);
}
