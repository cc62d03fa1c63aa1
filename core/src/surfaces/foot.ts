import { Bend } from './bend.ts';
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
export const mostSteps = 16;
export const mostHalves = 6;
/** A step is no longer than this share of the range: beside a place where a surface has shrunk to a point the way round it is short, and soon bends away. */
const longestStep = 0.125;
/** A tangent of this share of the other one's squared length is gone: the surface has shrunk to a point there. Ways looked at from there. */
const shrunk = 1e-18;
const ways = 24;
/** A foot that is off by this share of the distance, squared, is one: the distance is too long by half of that share. */
export const footShare = 2e-6;
/** Squared mm by which any foot may be off. */
export const footOff = 1e-24;

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
  private readonly bend: Bend;
  /** The point that is looked for, and from where was looked at last to it. */
  private readonly p = new Float64Array(3);
  private readonly r = new Float64Array(3);
  /** By how much a step would make the squared distance shorter, were the surface flat. */
  private gain = 0;
  private stepU = 0;
  private stepV = 0;
  /** Whether the surface has shrunk to a point where was looked at last. */
  private shrunk = false;
  /** What was looked at last: its point and tangents. */
  private readonly at: Float64Array;
  private readonly best = new Float64Array(3);
  private readonly du: Float64Array;
  private readonly dv: Float64Array;
  private grid: Grid | null = null;
  /** Whether the last search came to its end. */
  private settled = false;

  /** @param range of u, then of v */
  constructor(surface: Surface, range: readonly [number, number, number, number]) {
    this.surface = surface;
    this.range = range;
    this.bend = new Bend(surface);
    ({ at: this.at, du: this.du, dv: this.dv } = this.bend);
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
    this.bend.point(u, v);
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
      if (round) this.bend.point(at, v);
      else this.bend.point(u, at);
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
      this.bend.point(u, v);
      return this.at;
    });
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
