import { lowerBound } from '../base/rows.ts';
import type { FacePlane } from './plane.ts';

/** Rows and points of a row lie this share of what the metric allows apart. */
const step = 0.945;
/** Height of a triangle of three sides of 1. */
const high = Math.sqrt(3) / 2;
/** Fewer points than this are left to halving. */
const leastPoints = 24;
/** Places each way at which the metric is looked at: first roughly, then by the number of points. */
const rough = 6;
const leastLooks = 10;
const mostLooks = 64;
/** How far within the ends the metric is looked at, in shares of the range. */
const within = 1e-3;
/** No points are put nearer to the outline than this, in steps. */
const rim = 0.45;
/** Rows, and points of a row, at most; how often all rows may cross the outline. */
const mostRows = 20_000;
const mostCrossings = 1_000_000;

/** Densities at the nodes of a grid over the face's parameters: points along u, rows along v, and how a row is longer where it goes along v as well. */
interface Field {
  nu: number;
  nv: number;
  u: Float64Array;
  v: Float64Array;
  /** Of each node (i nv + j): uu, uv, vv of the metric. */
  form: Float64Array;
  /** Rows below each node. */
  rows: Float64Array;
}

/**
 * Points all over a face, in rows from which equilateral triangles of the metric come: rows lie a triangle's height apart (so many as the metric asks for at each
 * place, so that they may bend, begin and end), points a side's length, every other row half a step on. Only those within the outline are given.
 */
export class Lattice {
  private readonly plane: FacePlane;
  private readonly rims: readonly Int32Array[];

  /** @param rims numbers of the points of each loop of the outline, in order */
  constructor(plane: FacePlane, rims: readonly Int32Array[]) {
    this.plane = plane;
    this.rims = rims;
  }

  /** Gives each point, row after row. @param each takes u, v and a point of the outline near the first of a run, else -1 */
  points(each: (u: number, v: number, near: number) => void): void {
    const box = this.box();
    const first = this.field(box, rough, rough);
    const count = pointsOf(first);
    if (!(count >= leastPoints)) return;
    const looks = Math.max(leastLooks, Math.min(mostLooks, Math.ceil(Math.sqrt(count))));
    const field = this.field(box, looks, looks);
    const crossings = this.crossings(field);
    if (!crossings) return;
    for (let k = 0; k < crossings.length; k++) if (crossings[k].length > 1) this.row(field, k, crossings[k], each);
  }

  private box(): [number, number, number, number] {
    const box: [number, number, number, number] = [Infinity, Infinity, -Infinity, -Infinity];
    for (const list of this.rims) {
      for (const p of list) {
        const u = this.plane.u(p);
        const v = this.plane.v(p);
        box[0] = Math.min(box[0], u);
        box[1] = Math.min(box[1], v);
        box[2] = Math.max(box[2], u);
        box[3] = Math.max(box[3], v);
      }
    }
    return box;
  }

  private field([u0, v0, u1, v1]: readonly number[], nu: number, nv: number): Field {
    const u = Float64Array.from({ length: nu + 1 }, (_, i) => u0 + ((u1 - u0) * i) / nu);
    const v = Float64Array.from({ length: nv + 1 }, (_, j) => v0 + ((v1 - v0) * j) / nv);
    const form = new Float64Array(3 * u.length * v.length);
    const rows = new Float64Array(u.length * v.length);
    const at = new Float64Array(3);
    for (let i = 0, k = 0; i < u.length; i++) {
      let before = 0;
      for (let j = 0; j < v.length; j++, k++) {
        // A little within: at its end a surface may have shrunk to a point.
        this.plane.metric(inner(u, i), inner(v, j), at);
        form.set(at, 3 * k);
        // Across a row: what is left of the way along v when the part along u is taken off.
        const across = Math.sqrt(Math.max(0, at[0] > 0 ? at[2] - (at[1] * at[1]) / at[0] : at[2])) / (high * step);
        rows[k] = j === 0 ? 0 : rows[k - 1] + ((before + across) / 2) * (v[j] - v[j - 1]);
        before = across;
      }
    }
    fitted(rows, u.length, v.length);
    return { nu: u.length, nv: v.length, u, v, form, rows };
  }

  /** Where each row crosses the outline: u, and the outline's point there, by u; null where rows cross it too often. */
  private crossings(field: Field): { u: number; near: number }[][] | null {
    let many = 0;
    const out: { u: number; near: number }[][] = [];
    for (const list of this.rims) {
      const n = list.length;
      const level = Float64Array.from(list, (p) => rowsAt(field, this.plane.u(p), this.plane.v(p)));
      for (let i = 0; i < n; i++) {
        const j = (i + 1) % n;
        const [a, b] = [level[i], level[j]];
        const [ua, ub] = [this.plane.u(list[i]), this.plane.u(list[j])];
        for (let k = Math.max(1, Math.ceil(Math.min(a, b))); k < Math.max(a, b) && k < mostRows; k++) {
          if (++many > mostCrossings) return null;
          while (out.length <= k) out.push([]);
          out[k].push({ u: ua + ((ub - ua) * (k - a)) / (b - a), near: list[i] });
        }
      }
    }
    for (const list of out) list.sort((p, q) => p.u - q.u);
    return out;
  }

  /** The points of one row, between each crossing into the face and the next one out of it. */
  private row(field: Field, k: number, crossings: readonly { u: number; near: number }[], each: (u: number, v: number, near: number) => void): void {
    const { u, nu } = field;
    const at = Float64Array.from(u, (_, i) => heightOf(field, i, k));
    const long = new Float64Array(nu);
    for (let i = 1; i < nu; i++) long[i] = long[i - 1] + (this.lengthBetween(field, at, i) || 0);
    const steps = Math.round(long[nu - 1]);
    if (!(steps >= 1) || steps > mostRows) return;
    const grow = steps / long[nu - 1];
    const along = (x: number) => {
      const i = Math.max(1, Math.min(nu - 1, lowerBound(u, x)));
      return grow * (long[i - 1] + ((long[i] - long[i - 1]) * (x - u[i - 1])) / (u[i] - u[i - 1]));
    };
    const shift = k % 2 === 0 ? 0 : 0.5;
    for (let c = 0; c + 1 < crossings.length; c += 2) {
      const to = along(crossings[c + 1].u) - rim;
      let near = crossings[c].near;
      for (let s = Math.ceil(along(crossings[c].u) + rim - shift) + shift, i = 1; s <= to; s++) {
        while (i < nu - 1 && grow * long[i] < s) i++;
        // A column that has not so many rows: there the row has come to its end.
        if (Number.isNaN(at[i - 1]) || Number.isNaN(at[i])) continue;
        const share = (s / grow - long[i - 1]) / (long[i] - long[i - 1] || 1);
        each(u[i - 1] + share * (u[i] - u[i - 1]), at[i - 1] + share * (at[i] - at[i - 1]), near);
        near = -1;
      }
    }
  }

  /** How long a row is between two columns, in steps. */
  private lengthBetween({ u, v, nv, form }: Field, at: Float64Array, i: number): number {
    const du = u[i] - u[i - 1];
    const dv = at[i] - at[i - 1];
    let sum = 0;
    for (let e = i - 1; e <= i; e++) {
      const j = Math.max(1, Math.min(nv - 1, lowerBound(v, at[e])));
      const share = Math.max(0, Math.min(1, (at[e] - v[j - 1]) / (v[j] - v[j - 1])));
      const low = 3 * (e * nv + j - 1);
      const mix = (c: number) => form[low + c] + share * (form[low + 3 + c] - form[low + c]);
      sum += Math.sqrt(Math.max(0, mix(0) * du * du + 2 * mix(1) * du * dv + mix(2) * dv * dv)) / 2;
    }
    return sum / step;
  }
}

/** A place of a list; of its ends, a little within. */
const inner = (list: Float64Array, i: number): number => list[i] + (list[list.length - 1] - list[0]) * (i === 0 ? within : i === list.length - 1 ? -within : 0);

/** Makes the rows a whole number from end to end, where about as many are wanted all along. */
function fitted(rows: Float64Array, nu: number, nv: number): void {
  let [least, most] = [Infinity, 0];
  for (let i = 0; i < nu; i++) {
    const top = rows[i * nv + nv - 1];
    least = Math.min(least, top);
    most = Math.max(most, top);
  }
  if (!(most - least < 0.5) || !(least > 0)) return;
  const n = Math.max(1, Math.round(most + 0.3));
  for (let i = 0; i < nu; i++) {
    const share = n / rows[i * nv + nv - 1];
    for (let j = 0; j < nv; j++) rows[i * nv + j] *= share;
  }
}

/** About how many points there will be. */
function pointsOf({ nu, nv, u, v, form }: Field): number {
  let sum = 0;
  for (let k = 0; k < nu * nv; k++) sum += Math.sqrt(Math.max(0, form[3 * k] * form[3 * k + 2] - form[3 * k + 1] ** 2));
  return ((sum / (nu * nv)) * (u[nu - 1] - u[0]) * (v[nv - 1] - v[0])) / (high * step * step);
}

/** Rows below a place. */
function rowsAt({ nu, nv, u, v, rows }: Field, x: number, y: number): number {
  const i = Math.max(1, Math.min(nu - 1, lowerBound(u, x)));
  const j = Math.max(1, Math.min(nv - 1, lowerBound(v, y)));
  const s = (x - u[i - 1]) / (u[i] - u[i - 1]);
  const t = (y - v[j - 1]) / (v[j] - v[j - 1]);
  const below = (c: number) => rows[c * nv + j - 1] + t * (rows[c * nv + j] - rows[c * nv + j - 1]);
  return (1 - s) * below(i - 1) + s * below(i);
}

/** v at which a column has so many rows below; NaN when it has not so many. */
function heightOf({ nv, v, rows }: Field, i: number, k: number): number {
  const list = rows.subarray(i * nv, i * nv + nv);
  if (list[nv - 1] < k) return NaN;
  const j = Math.max(1, Math.min(nv - 1, lowerBound(list, k)));
  const gap = list[j] - list[j - 1];
  return gap > 0 ? v[j - 1] + ((k - list[j - 1]) / gap) * (v[j] - v[j - 1]) : v[j];
}
