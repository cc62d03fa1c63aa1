import type { PoleGrid } from './nurbs.ts';

/** Highest degree that is evaluated; the kernel's own limit is 25. */
const mostDegree = 32;
const binomials: Float64Array[] = [];
for (let n = 0; n <= mostDegree; n++) {
  const row = new Float64Array(n + 1);
  for (let k = 0, b = 1; k <= n; b = (b * (n - k)) / (k + 1), k++) row[k] = Math.round(b);
  binomials.push(row);
}

/** Patches of one surface that are kept; more are made again when they are asked for. */
const mostKept = 4096;

/**
 * What gives the Bezier points of one span from the poles that reach into it: row k times the poles is point k. Each is a blossom at the span's two ends, so all
 * weights lie between 0 and 1. Source: Ramshaw, Blossoms are polar forms, 1989; Piegl and Tiller, The NURBS Book, 5.3.
 * @param knots flat; @param span the one that begins at knots[span]
 */
export function bezierRows(knots: Float64Array, degree: number, span: number): Float64Array {
  const order = degree + 1;
  const from = knots[span];
  const to = knots[span + 1];
  const rows = new Float64Array(order * order);
  const d = new Float64Array(order * order);
  for (let k = 0; k <= degree; k++) {
    // The poles as unit vectors, brought together one argument at a time: the first k of them the far end, the rest the near one.
    d.fill(0);
    for (let i = 0; i < order; i++) d[i * order + i] = 1;
    for (let r = 1; r <= degree; r++) {
      const at = r <= k ? to : from;
      for (let i = degree; i >= r; i--) {
        const low = knots[span - degree + i];
        const share = (at - low) / (knots[span + 1 + i - r] - low);
        for (let c = 0; c < order; c++) d[i * order + c] = (1 - share) * d[(i - 1) * order + c] + share * d[i * order + c];
      }
    }
    rows.set(d.subarray(degree * order, degree * order + order), k * order);
  }
  return rows;
}

/** Digits that may be lost on the way to powers: weights of no more than this size, else Bezier points are kept. */
const mostSwing = 20_000;

/** Weights of Bezier points in the factor of each power of s, where t = (1 + s) / 2: row k is the power. */
function powerRows(degree: number): Float64Array {
  const order = degree + 1;
  const rows = new Float64Array(order * order);
  for (let i = 0; i <= degree; i++) {
    // Bernstein's polynomial i as a product of (1 + s) / 2 and (1 - s) / 2.
    const factors = new Float64Array(order);
    factors[0] = binomials[degree][i];
    for (let n = 0; n < degree; n++) {
      const sign = n < i ? 1 : -1;
      for (let k = n + 1; k >= 0; k--) factors[k] = (factors[k] + (k > 0 ? sign * factors[k - 1] : 0)) / 2;
    }
    for (let k = 0; k <= degree; k++) rows[k * order + i] = factors[k];
  }
  return rows;
}

const product = (a: Float64Array, b: Float64Array, order: number): Float64Array => {
  const out = new Float64Array(order * order);
  for (let i = 0; i < order; i++) for (let j = 0; j < order; j++) for (let k = 0; k < order; k++) out[i * order + j] += a[i * order + k] * b[k * order + j];
  return out;
};

/**
 * A spline surface as patches, one for each span, made when they are asked for.
 * @example new SplinePatches(surface).at(surface.uDegree, surface.vDegree)
 */
export class SplinePatches {
  /** Whether patches are factors of powers. */
  readonly powers: boolean;
  private readonly s: PoleGrid;
  private readonly uRows: (Float64Array | undefined)[] = [];
  private readonly vRows: (Float64Array | undefined)[] = [];
  private readonly kept: (Float64Array | null)[];
  private readonly keys: Int32Array;

  constructor(s: PoleGrid) {
    this.s = s;
    const spans = (s.uCount - s.uDegree) * (s.vCount - s.vDegree);
    this.keys = new Int32Array(Math.max(1, Math.min(mostKept, spans))).fill(-1);
    this.kept = Array.from(this.keys, () => null);
    this.powers = binomials[s.uDegree][s.uDegree >> 1] * binomials[s.vDegree][s.vDegree >> 1] <= mostSwing;
  }

  /** The patch of the span that begins at these knots: (p + 1)(q + 1) times x w, y w, z w, w, row by row along v. */
  at(uSpan: number, vSpan: number): Float64Array {
    const { s, keys, kept } = this;
    const key = (uSpan - s.uDegree) * (s.vCount - s.vDegree) + vSpan - s.vDegree;
    const slot = key % keys.length;
    const there = keys[slot] === key ? kept[slot] : null;
    if (there) return there;
    keys[slot] = key;
    return (kept[slot] = this.made(uSpan, vSpan));
  }

  private rows(knots: Float64Array, degree: number, span: number): Float64Array {
    const bezier = bezierRows(knots, degree, span);
    return this.powers ? product(powerRows(degree), bezier, degree + 1) : bezier;
  }

  private made(uSpan: number, vSpan: number): Float64Array {
    const { s } = this;
    const [uo, vo] = [s.uDegree + 1, s.vDegree + 1];
    const along = (this.vRows[vSpan] ??= this.rows(s.vKnots, s.vDegree, vSpan));
    const across = (this.uRows[uSpan] ??= this.rows(s.uKnots, s.uDegree, uSpan));
    const half = new Float64Array(uo * vo * 4);
    for (let i = 0; i < uo; i++) {
      const first = (uSpan - s.uDegree + i) * s.vCount + vSpan - s.vDegree;
      for (let k = 0; k < vo; k++) {
        for (let j = 0; j < vo; j++) {
          const w = s.weights ? s.weights[first + j] : 1;
          const b = along[k * vo + j] * w;
          const at = 4 * (i * vo + k);
          for (let c = 0; c < 3; c++) half[at + c] += b * s.poles[3 * (first + j) + c];
          half[at + 3] += b;
        }
      }
    }
    const out = new Float64Array(uo * vo * 4);
    const row = 4 * vo;
    for (let l = 0; l < uo; l++) for (let i = 0; i < uo; i++) for (let c = 0; c < row; c++) out[l * row + c] += across[l * uo + i] * half[i * row + c];
    return out;
  }
}

const known = new WeakMap<PoleGrid, SplinePatches>();

/** The patches of a surface, the same ones for all who ask. */
export function patchesOf(s: PoleGrid): SplinePatches {
  let patches = known.get(s);
  if (!patches) known.set(s, (patches = new SplinePatches(s)));
  return patches;
}

const powers = new Float64Array(mostDegree + 1);
const lower = new Float64Array(mostDegree + 1);

/** Bernstein polynomials of a degree at t. @param r 1 - t */
function bernstein(degree: number, t: number, r: number, out: Float64Array): void {
  const b = binomials[degree];
  powers[0] = 1;
  for (let k = 1; k <= degree; k++) powers[k] = powers[k - 1] * r;
  for (let k = 0, p = 1; k <= degree; k++, p *= t) out[k] = b[k] * p * powers[degree - k];
}

/**
 * Bernstein polynomials, and their first `most` derivatives by a place that goes from -1 to 1: rows of degree + 1 numbers. Source: The NURBS Book, eq. 1.8 to 1.10.
 * @param t the place, from 0 to 1
 */
export function bernsteinRows(degree: number, t: number, most: 1 | 2, out: Float64Array): void {
  const order = degree + 1;
  const r = 1 - t;
  out.fill(0);
  bernstein(degree, t, r, out);
  if (degree === 0) return;
  bernstein(degree - 1, t, r, lower);
  for (let k = 0; k < order; k++) out[order + k] = (degree / 2) * ((k > 0 ? lower[k - 1] : 0) - (k < degree ? lower[k] : 0));
  if (most === 1 || degree === 1) return;
  bernstein(degree - 2, t, r, lower);
  for (let k = 0; k < order; k++) {
    const [before, here, after] = [k > 1 ? lower[k - 2] : 0, k > 0 && k < degree ? lower[k - 1] : 0, k < degree - 1 ? lower[k] : 0];
    out[2 * order + k] = ((degree * (degree - 1)) / 4) * (before - 2 * here + after);
  }
}
