import { basisAt, findSpan, slopesAt } from './nurbs.ts';
import { add, distance, scaled, type Vec3 } from '../geometry/vector.ts';

/** A curve in space. Parameters as in ISO 10303-42: angles in rad for circles and ellipses, mm along lines. */
export type Curve =
  | { kind: 'line'; at: Vec3; along: Vec3 }
  | { kind: 'circle' | 'ellipse'; at: Vec3; x: Vec3; y: Vec3; rx: number; ry: number }
  | { kind: 'parabola'; at: Vec3; x: Vec3; y: Vec3; focal: number }
  | { kind: 'hyperbola'; at: Vec3; x: Vec3; y: Vec3; rx: number; ry: number }
  | { kind: 'bspline'; degree: number; knots: Float64Array; poles: Float64Array; weights: Float64Array | null }
  | { kind: 'offset'; of: Curve; by: number; side: Vec3 }
  | { kind: 'other' };

/** A point of a curve and its first two derivatives by the parameter. */
export interface CurvePoint {
  at: Vec3;
  d1: Vec3;
  d2: Vec3;
}

/** Point and derivatives of a curve at parameter u. @param most 1 where the second derivative is not needed: it is 0 then for splines */
export function curveAt(curve: Curve, u: number, most: 1 | 2 = 2): CurvePoint {
  switch (curve.kind) {
    case 'line':
      return { at: add(curve.at, scaled(curve.along, u)), d1: curve.along, d2: [0, 0, 0] };
    case 'circle':
    case 'ellipse': {
      const c = Math.cos(u);
      const s = Math.sin(u);
      const { at, x, y, rx, ry } = curve;
      const [a, b] = [rx * c, ry * s];
      const [d, e] = [rx * s, ry * c];
      return {
        at: [at[0] + a * x[0] + b * y[0], at[1] + a * x[1] + b * y[1], at[2] + a * x[2] + b * y[2]],
        d1: [e * y[0] - d * x[0], e * y[1] - d * x[1], e * y[2] - d * x[2]],
        d2: [-a * x[0] - b * y[0], -a * x[1] - b * y[1], -a * x[2] - b * y[2]],
      };
    }
    case 'parabola': {
      const { at, x, y, focal } = curve;
      const k = 1 / (4 * focal);
      return {
        at: add(at, add(scaled(x, u * u * k), scaled(y, u))),
        d1: add(scaled(x, 2 * u * k), y),
        d2: scaled(x, 2 * k),
      };
    }
    case 'hyperbola': {
      const { at, x, y, rx, ry } = curve;
      const [c, s] = [Math.cosh(u), Math.sinh(u)];
      const along = (a: number, b: number) => add(scaled(x, rx * a), scaled(y, ry * b));
      return { at: add(at, along(c, s)), d1: along(s, c), d2: along(c, s) };
    }
    case 'bspline':
      return bsplineAt(curve, u, most);
    case 'offset': {
      const value = (t: number): Vec3 => {
        const base = curveAt(curve.of, t);
        const n: Vec3 = [
          base.d1[1] * curve.side[2] - base.d1[2] * curve.side[1],
          base.d1[2] * curve.side[0] - base.d1[0] * curve.side[2],
          base.d1[0] * curve.side[1] - base.d1[1] * curve.side[0],
        ];
        const size = Math.hypot(...n) || 1;
        return add(base.at, scaled(n, curve.by / size));
      };
      return byDifferences(value, u);
    }
    case 'other':
      return { at: [NaN, NaN, NaN], d1: [0, 0, 0], d2: [0, 0, 0] };
  }
}

function byDifferences(value: (t: number) => Vec3, u: number): CurvePoint {
  const h = 1e-4;
  const at = value(u);
  const before = value(u - h);
  const after = value(u + h);
  return {
    at,
    d1: [0, 1, 2].map((k) => (after[k] - before[k]) / (2 * h)) as Vec3,
    d2: [0, 1, 2].map((k) => (after[k] - 2 * at[k] + before[k]) / (h * h)) as Vec3,
  };
}

const basis = new Float64Array(3 * 32);
/** Point, first and second derivative before the division by the weight; four numbers each. */
const sums = new Float64Array(12);

function bsplineAt(curve: Extract<Curve, { kind: 'bspline' }>, u: number, most: 1 | 2): CurvePoint {
  const { degree, knots, poles, weights } = curve;
  const count = poles.length / 3;
  const span = findSpan(knots, degree, count, u);
  if (most === 1) slopesAt(curve, span, u, basis);
  else basisAt(curve, span, u, basis);
  // Homogeneous sums A(u), w(u) and derivatives; then the quotient rule (The NURBS Book, eq. 4.8).
  sums.fill(0);
  const order = degree + 1;
  for (let j = 0; j < order; j++) {
    const i = span - degree + j;
    const weight = weights ? weights[i] : 1;
    const [x, y, z] = [poles[i * 3], poles[i * 3 + 1], poles[i * 3 + 2]];
    for (let k = 0; k <= most; k++) {
      const w = weight * basis[k * order + j];
      sums[k * 4] += w * x;
      sums[k * 4 + 1] += w * y;
      sums[k * 4 + 2] += w * z;
      sums[k * 4 + 3] += w;
    }
  }
  const w = 1 / sums[3];
  const [wu, wuu] = [sums[7], sums[11]];
  const at: Vec3 = [sums[0] * w, sums[1] * w, sums[2] * w];
  const d1: Vec3 = [(sums[4] - wu * at[0]) * w, (sums[5] - wu * at[1]) * w, (sums[6] - wu * at[2]) * w];
  const d2: Vec3 = [(sums[8] - 2 * wu * d1[0] - wuu * at[0]) * w, (sums[9] - 2 * wu * d1[1] - wuu * at[1]) * w, (sums[10] - 2 * wu * d1[2] - wuu * at[2]) * w];
  return { at, d1, d2 };
}

const turn = 2 * Math.PI;
/** Ends of a spline are the same point when they are this near, as a part of its size. */
const sameEnds = 1e-9;

/** The parameters over which a curve is looked at: knots, a full turn, far along open ones. */
export function curveSpan(c: Curve): [number, number] {
  if (c.kind === 'bspline') return [c.knots[c.degree], c.knots[c.poles.length / 3]];
  if (c.kind === 'circle' || c.kind === 'ellipse') return [0, turn];
  if (c.kind === 'hyperbola') return [-7, 7];
  if (c.kind === 'offset') return curveSpan(c.of);
  return [-1e6, 1e6];
}

/** The round trip of a closed curve in its parameter; 0 when it is open. */
export function periodOf(c: Curve): number {
  if (c.kind === 'circle' || c.kind === 'ellipse') return turn;
  if (c.kind === 'offset') return periodOf(c.of);
  if (c.kind !== 'bspline') return 0;
  const [a, b] = curveSpan(c);
  const size = c.poles.reduce((most, x) => Math.max(most, Math.abs(x)), 0);
  return distance(curveAt(c, a, 1).at, curveAt(c, b, 1).at) <= sameEnds * size ? b - a : 0;
}
