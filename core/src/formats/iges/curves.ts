import { NotTaken, type BodyEdge } from '../../body/body.ts';
import { parameterOf } from '../../body/inverse.ts';
import { determinantOf, identityRows, timesRows, type Rows } from '../../geometry/rows.ts';
import { distance, scaled, sub, type Vec3 } from '../../geometry/vector.ts';
import type { Curve } from '../../surfaces/curves.ts';
import { clampedCurve, flatKnots } from '../../surfaces/nurbs.ts';
import { placedCurve } from '../../surfaces/placed.ts';
import { Cursor, type Records } from './records.ts';

/** A curve between two of its parameters, gone along upwards. */
export type Piece = Pick<BodyEdge, 'curve' | 'from' | 'to'>;

/** Poles of a spline at most, its degree, curves in a chain, and entities within entities. */
export const mostPoles = 1_000_000;
const mostDegree = 25;
const mostPieces = 100_000;
const deepest = 16;

/** Types of entities that are curves. */
export const curveTypes: ReadonlySet<number> = new Set([100, 102, 104, 106, 110, 112, 126]);

/** A matrix may turn, move and mirror, not scale: its determinant (or its opposite) and its rows are this near to 1. Files hold seven digits and more. */
const rigid = 1e-5;
/** A turn's rest that is this near to none, or to a whole turn, is that, rad. */
const wholeTurn = 1e-9;

/**
 * Curves of an IGES file in mm, each as the pieces that it is made of, in order.
 * Source: IGES 5.3, 4.3 (circular arc) to 4.31 (rational B-spline curve).
 */
export class IgesCurves {
  readonly file: Records;
  /** mm of a length in the file. */
  readonly scale: number;

  constructor(file: Records, scale: number) {
    this.file = file;
    this.scale = scale;
  }

  point(c: Cursor): Vec3 {
    return scaled(c.point(), this.scale);
  }

  /** Where an entity stands by its transformation matrix and by what holds it, mm. Source: IGES 5.3, 4.21 (transformation matrix). */
  placeOf(id: number, above: Rows, depth = 0): Rows {
    const { matrix } = this.file.entry(id);
    return matrix === 0 ? above : this.matrix(matrix, above, depth + 1);
  }

  /** A transformation matrix after a place; it may itself stand in another one. */
  matrix(id: number, above: Rows, depth = 0): Rows {
    if (depth > deepest || this.file.entry(id).type !== 124) throw new NotTaken('matrix');
    const rows = Array.from(new Cursor(this.file.fields(id)).numbers(12), (v, i) => (i % 4 === 3 ? v * this.scale : v));
    if (!(Math.abs(Math.abs(determinantOf(rows)) - 1) < rigid)) throw new NotTaken('scaled-place');
    for (let r = 0; r < 12; r += 4) if (!(Math.abs(Math.hypot(rows[r], rows[r + 1], rows[r + 2]) - 1) < rigid)) throw new NotTaken('scaled-place');
    return timesRows(this.placeOf(id, above, depth), rows);
  }

  /** The pieces of a curve, each going on where the one before ends. @throws NotTaken for kinds and values that are not taken */
  pieces(id: number, above: Rows = identityRows, depth = 0): Piece[] {
    const { type } = this.file.entry(id);
    if (depth > deepest) throw new NotTaken('too-deep');
    const place = this.placeOf(id, above);
    const c = new Cursor(this.file.fields(id));
    if (type === 102) {
      const ids = Array.from({ length: c.count(mostPieces) }, () => c.entry());
      // Points between the curves say nothing more.
      const all = ids.filter((i) => this.file.entry(i).type !== 116).flatMap((i) => this.pieces(i, place, depth + 1));
      if (all.length > mostPieces) throw new NotTaken('many-curves');
      return all;
    }
    return this.own(type, this.file.entry(id).form, c).map(({ curve, from, to }) => ({ curve: placedCurve(curve, place), from, to }));
  }

  /** A curve that is one piece. */
  single(id: number, above: Rows): Piece {
    const list = this.pieces(id, above);
    if (list.length !== 1) throw new NotTaken('composite-profile');
    return list[0];
  }

  private own(type: number, form: number, c: Cursor): Piece[] {
    switch (type) {
      case 100:
        return [this.arc(c)];
      case 104:
        return [this.ellipse(form, c)];
      case 106:
        return [this.polyline(form, c)];
      case 110:
        if (form !== 0) throw new NotTaken('endless-line');
        return [lineBetween(this.point(c), this.point(c))];
      case 112:
        return [this.parametric(c)];
      case 126:
        return [this.spline(c)];
      default:
        throw new NotTaken(`curve ${type}`);
    }
  }

  /** Counter-clockwise from start to end in a plane across z; a whole circle where the two are one. */
  private arc(c: Cursor): Piece {
    const [z, mx, my, ax, ay, bx, by] = Array.from(c.numbers(7), (v) => v * this.scale);
    const r = Math.hypot(ax - mx, ay - my);
    if (!(r > 0)) throw new NotTaken('no-size');
    const from = Math.atan2(ay - my, ax - mx);
    return { curve: { kind: 'circle', at: [mx, my, z], x: [1, 0, 0], y: [0, 1, 0], rx: r, ry: r }, from, to: roundFrom(from, Math.atan2(by - my, bx - mx)) };
  }

  /** Ax2 + Bxy + Cy2 + Dx + Ey + F = 0 across z: an ellipse, counter-clockwise from start to end. */
  private ellipse(form: number, c: Cursor): Piece {
    const [a, b, cc, d, e, f] = c.numbers(6);
    const [z, x1, y1, x2, y2] = Array.from(c.numbers(5), (v) => v * this.scale);
    const det = 4 * a * cc - b * b;
    // Parabolas and hyperbolas have their forms, and no middle.
    if (form > 1 || !(det > 0)) throw new NotTaken('conic');
    const [mx, my] = [(b * e - 2 * cc * d) / det, (b * d - 2 * a * e) / det];
    const rest = -(f + (d * mx + e * my) / 2);
    const turn = 0.5 * Math.atan2(b, a - cc);
    const [cos, sin] = [Math.cos(turn), Math.sin(turn)];
    const along = (a * cos + b * sin) * cos + cc * sin * sin;
    const across = (a * sin - b * cos) * sin + cc * cos * cos;
    const [rx, ry] = [Math.sqrt(rest / along) * this.scale, Math.sqrt(rest / across) * this.scale];
    if (!(rx > 0 && ry > 0 && Number.isFinite(rx + ry))) throw new NotTaken('no-size');
    const at: Vec3 = [mx * this.scale, my * this.scale, z];
    const axes: [Vec3, Vec3] = [[cos, sin, 0], [-sin, cos, 0]]; // prettier-ignore
    // The kernel's ellipses have their longer half axis first.
    const curve: Curve =
      ry > rx ? { kind: 'ellipse', at, x: axes[1], y: scaled(axes[0], -1), rx: ry, ry: rx } : { kind: 'ellipse', at, x: axes[0], y: axes[1], rx, ry };
    const from = parameterOf(curve, [x1, y1, z]);
    return { curve, from, to: roundFrom(from, parameterOf(curve, [x2, y2, z])) };
  }

  /** Points joined by straight lines: x and y across z, or x, y, z, or with a direction beside them. */
  private polyline(form: number, c: Cursor): Piece {
    if (![11, 12, 13, 63].includes(form)) throw new NotTaken('points');
    const kind = c.count(3);
    const count = c.count(mostPoles);
    const z = kind === 1 ? c.number() : 0;
    const points = Array.from({ length: count }, (): Vec3 => {
      const p: Vec3 = kind === 1 ? [c.number(), c.number(), z] : c.point();
      if (kind === 3) c.skip(3);
      return scaled(p, this.scale);
    }).filter((p, i, all) => i === 0 || distance(p, all[i - 1]) > 0);
    if (points.length < 2) throw new NotTaken('no-curve');
    const knots = points.map((_, i) => i);
    const last = knots.length - 1;
    if (last === 1) return lineBetween(points[0], points[1]);
    return {
      curve: { kind: 'bspline', degree: 1, knots: flatKnots(knots, knots.map((_, i) => (i === 0 || i === last ? 2 : 1))), poles: Float64Array.from(points.flat()), weights: null }, // prettier-ignore
      from: 0,
      to: last,
    };
  }

  /** Cubic pieces by their powers, as Bezier pieces of one spline. Source: IGES 5.3, 4.14; The NURBS Book, 6.6 (power basis to Bezier). */
  private parametric(c: Cursor): Piece {
    c.skip(3);
    const count = c.count(mostPoles);
    if (count === 0) throw new NotTaken('no-curve');
    const breaks = Array.from(c.numbers(count + 1));
    if (breaks.some((t, i) => i > 0 && !(t > breaks[i - 1]))) throw new NotTaken('no-knots');
    const poles: number[] = [];
    for (let i = 0; i < count; i++) {
      const h = breaks[i + 1] - breaks[i];
      const by = [0, 1, 2].map(() => bezierOf(c.numbers(4), h));
      for (let k = i === 0 ? 0 : 1; k < 4; k++) for (let a = 0; a < 3; a++) poles.push(by[a][k] * this.scale);
    }
    const times = breaks.map((_, i) => (i === 0 || i === count ? 4 : 3));
    return { curve: { kind: 'bspline', degree: 3, knots: flatKnots(breaks, times), poles: Float64Array.from(poles), weights: null }, from: breaks[0], to: breaks[count] }; // prettier-ignore
  }

  private spline(c: Cursor): Piece {
    const upper = c.count(mostPoles);
    const degree = c.count(mostDegree);
    c.skip(4);
    const given = {
      knots: c.numbers(upper + degree + 2),
      weights: weightsFrom(c.numbers(upper + 1)),
      poles: c.numbers(3 * (upper + 1)).map((v) => v * this.scale),
    };
    const { knots, weights, poles } = checkKnots(given.knots, degree, upper + 1) ? clampedCurve(degree, given.knots, given.poles, given.weights) : given;
    const [low, high] = [knots[0], knots[knots.length - 1]];
    const [from, to] = c.left >= 2 ? [c.number(), c.number()] : [low, high];
    const slack = 1e-9 * (high - low);
    if (!(from < to && from >= low - slack && to <= high + slack)) throw new NotTaken('no-range');
    const [begin, end] = [Math.max(low, from), Math.min(high, to)];
    if (degree === 1 && poles.length === 6 && !weights) return lineBetween([poles[0], poles[1], poles[2]], [poles[3], poles[4], poles[5]], (begin - low) / (high - low), (end - low) / (high - low)); // prettier-ignore
    return { curve: { kind: 'bspline', degree, knots, poles, weights }, from: begin, to: end };
  }
}

/** The straight way between two points, or between two shares of it. */
export function lineBetween(a: Vec3, b: Vec3, from = 0, to = 1): Piece {
  const long = distance(a, b);
  if (!(long > 0)) throw new NotTaken('empty-edge');
  return { curve: { kind: 'line', at: a, along: scaled(sub(b, a), 1 / long) }, from: from * long, to: to * long };
}

/** The end of a turn, after its begin by at most a whole one. */
function roundFrom(from: number, to: number): number {
  const turn = 2 * Math.PI;
  const by = (((to - from) % turn) + turn) % turn;
  return from + (by < wholeTurn ? turn : by);
}

/** Poles of a cubic by its powers a + bs + cs2 + ds3 over a length h. */
function bezierOf([a, b, c, d]: Float64Array, h: number): [number, number, number, number] {
  const [p, q, r] = [b * h, c * h * h, d * h * h * h];
  return [a, a + p / 3, a + (2 * p + q) / 3, a + p + q + r];
}

/** Weights of poles; null where all are the same. */
export function weightsFrom(list: Float64Array): Float64Array | null {
  if (list.some((w) => !(w > 0))) throw new NotTaken('no-weights');
  return list.some((w) => w !== list[0]) ? list : null;
}

/** Checks knots; whether the spline goes on beyond the range that it is defined in, so that it does not end at its last poles. @throws NotTaken */
export function checkKnots(knots: Float64Array, degree: number, count: number): boolean {
  if (degree < 1 || count <= degree) throw new NotTaken('no-poles');
  for (let i = 1; i < knots.length; i++) if (!(knots[i] >= knots[i - 1])) throw new NotTaken('no-knots');
  if (!(knots[count] > knots[degree])) throw new NotTaken('no-knots');
  // A knot that stands more often than the degree breaks the spline in two.
  for (let i = degree + 1; i + degree < count; i++) if (knots[i] === knots[i + degree]) throw new NotTaken('no-knots');
  return knots[0] !== knots[degree] || knots[count] !== knots[count + degree];
}
