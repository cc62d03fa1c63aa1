import { NotTaken } from '../../body/body.ts';
import { squareTo } from '../../body/inverse.ts';
import { determinantOf, type Rows } from '../../geometry/rows.ts';
import { cross, dot, lengthOf, scaled, sub, unit, type Vec3 } from '../../geometry/vector.ts';
import { curveAt, type Curve } from '../../surfaces/curves.ts';
import { backwardsSpline, clampedSurface } from '../../surfaces/nurbs.ts';
import { placedSurface } from '../../surfaces/placed.ts';
import type { BsplineSurface, Frame, Surface } from '../../surfaces/surfaces.ts';
import { checkKnots, mostPoles, weightsFrom, type IgesCurves, type Piece } from './curves.ts';
import { Cursor } from './records.ts';

/** A surface of the file, and where it ends by itself: parameters of its first and last lines; null where only its bounds say so. */
export interface Sheet {
  surface: Surface;
  ends: [number, number, number, number] | null;
  /** -1 where the file's own direction across it is the other one than du x dv here. */
  sign: 1 | -1;
}

/**
 * A surface of an IGES file in mm.
 * Source: IGES 5.3, 4.17 (plane) to 4.53 (torus).
 * @throws NotTaken for kinds and values that are not taken here
 */
export function sheetOf(curves: IgesCurves, id: number, above: Rows): Sheet {
  const { file, scale } = curves;
  const { type } = file.entry(id);
  const place = curves.placeOf(id, above);
  const c = new Cursor(file.fields(id));
  // What is made of curves is placed with them.
  if (type === 118) return ruled(curves, c, file.entry(id).form, place);
  if (type === 120) return revolved(curves, c, place);
  if (type === 122) return tabulated(curves, c, place);
  const surface = type === 108 ? plane(c, scale) : type === 128 ? spline(c, scale) : new Elementary(curves, c).of(type);
  const ends = surface.kind === 'bspline' ? rangeOf(surface) : null;
  return { surface: placedSurface(surface, place), ends, sign: 1 };
}

const rangeOf = (s: BsplineSurface): [number, number, number, number] => [s.uKnots[0], s.uKnots[s.uCount], s.vKnots[0], s.vKnots[s.vCount]];

/** Ax + By + Cz = D. */
function plane(c: Cursor, scale: number): Surface {
  const normal: Vec3 = c.point();
  const long = lengthOf(normal);
  const d = c.number() * scale;
  if (!(long > 0)) throw new NotTaken('no-direction');
  const z = unit(normal);
  const x = squareTo(z);
  return { kind: 'plane', frame: { at: scaled(z, d / long), x, y: cross(z, x), z } };
}

function spline(c: Cursor, scale: number): BsplineSurface {
  const [uUpper, vUpper] = [c.count(mostPoles), c.count(mostPoles)];
  const [uDegree, vDegree] = [c.count(25), c.count(25)];
  c.skip(5);
  const [uCount, vCount] = [uUpper + 1, vUpper + 1];
  if (uCount * vCount > mostPoles) throw new NotTaken('many-poles');
  const [uKnots, vKnots] = [c.numbers(uCount + uDegree + 1), c.numbers(vCount + vDegree + 1)];
  const floats = [checkKnots(uKnots, uDegree, uCount), checkKnots(vKnots, vDegree, vCount)].includes(true);
  const weights = weightsFrom(turnedGrid(c.numbers(uCount * vCount), uCount, vCount, 1));
  const poles = turnedGrid(c.numbers(3 * uCount * vCount), uCount, vCount, 3).map((v) => v * scale);
  const surface: BsplineSurface = { kind: 'bspline', uDegree, vDegree, uCount, vCount, uKnots, vKnots, poles, weights };
  return floats ? clampedSurface(surface) : surface;
}

/** The file counts u first; here v comes first. */
function turnedGrid(list: Float64Array, uCount: number, vCount: number, each: number): Float64Array {
  const out = new Float64Array(list.length);
  for (let j = 0; j < vCount; j++)
    for (let i = 0; i < uCount; i++) for (let k = 0; k < each; k++) out[(i * vCount + j) * each + k] = list[(j * uCount + i) * each + k];
  return out;
}

/** A curve turned about a line from one angle to another. */
function revolved(curves: IgesCurves, c: Cursor, place: Rows): Sheet {
  const [axisId, profileId, from, to] = [c.entry(), c.entry(), c.number(), c.number()];
  const axis = curves.single(axisId, place);
  if (axis.curve.kind !== 'line') throw new NotTaken('no-direction');
  const profile = curves.single(profileId, place);
  // Mirrored, it turns the other way.
  const along = scaled(unit(axis.curve.along), determinantOf(place) < 0 ? -1 : 1);
  const surface: Surface = { kind: 'revolution', at: axis.curve.at, axis: along, profile: profile.curve };
  // The file goes along the profile first and round second.
  return { surface, ends: to > from ? [from, to, profile.from, profile.to] : null, sign: -1 };
}

/** A curve moved along a line that begins where the curve does. */
function tabulated(curves: IgesCurves, c: Cursor, place: Rows): Sheet {
  const profile = curves.single(c.entry(), place);
  const end = placedPoint(place, curves.point(c));
  const way = sub(end, curveAt(profile.curve, profile.from).at);
  const long = lengthOf(way);
  if (!(long > 0)) throw new NotTaken('no-direction');
  return { surface: { kind: 'extrusion', along: scaled(way, 1 / long), profile: profile.curve }, ends: [profile.from, profile.to, 0, long], sign: 1 };
}

const placedPoint = (m: Rows, p: Vec3): Vec3 => [0, 4, 8].map((r) => m[r] * p[0] + m[r + 1] * p[1] + m[r + 2] * p[2] + m[r + 3]) as Vec3;

/** Straight lines between two curves: between two lines, or two splines of the same knots. */
function ruled(curves: IgesCurves, c: Cursor, form: number, place: Rows): Sheet {
  const [one, two] = [c.entry(), c.entry()].map((id) => curves.single(id, place));
  const back = c.number() === 1;
  const [a, b] = [asSpline(one), asSpline(two)];
  // By lengths along them the two go alike only where both are straight.
  if (form !== 1 && (one.curve.kind !== 'line' || two.curve.kind !== 'line')) throw new NotTaken('ruled-by-length');
  const other = back ? backwardsSpline(b) : b;
  const count = a.poles.length / 3;
  if (!alike(a, other)) throw new NotTaken('ruled-curves');
  const poles = new Float64Array(6 * count);
  const weights = a.weights || other.weights ? new Float64Array(2 * count) : null;
  for (let i = 0; i < count; i++) {
    poles.set(a.poles.subarray(3 * i, 3 * i + 3), 6 * i);
    poles.set(other.poles.subarray(3 * i, 3 * i + 3), 6 * i + 3);
    weights?.set([a.weights?.[i] ?? 1, other.weights?.[i] ?? 1], 2 * i);
  }
  const surface: BsplineSurface = { kind: 'bspline', uDegree: a.degree, vDegree: 1, uCount: count, vCount: 2, uKnots: a.knots, vKnots: Float64Array.of(0, 0, 1, 1), poles, weights }; // prettier-ignore
  return { surface, ends: rangeOf(surface), sign: 1 };
}

/** Whether two splines over 0 to 1 have the same degree and knots. */
const alike = (a: Spline, b: Spline): boolean =>
  a.degree === b.degree && a.knots.length === b.knots.length && a.knots.every((k, i) => Math.abs(k - b.knots[i]) < 1e-12);

type Spline = Extract<Curve, { kind: 'bspline' }>;

/** A line or a whole spline over parameters from 0 to 1. */
function asSpline({ curve, from, to }: Piece): Spline {
  if (curve.kind === 'line') {
    const poles = Float64Array.from([...curveAt(curve, from).at, ...curveAt(curve, to).at]);
    return { kind: 'bspline', degree: 1, knots: Float64Array.of(0, 0, 1, 1), poles, weights: null };
  }
  if (curve.kind !== 'bspline' || from !== curve.knots[0] || to !== curve.knots[curve.knots.length - 1]) throw new NotTaken('ruled-curves');
  return { ...curve, knots: curve.knots.map((k) => (k - from) / (to - from)) };
}

/** Planes, cylinders, cones, spheres and tori by a point, an axis and lengths. */
class Elementary {
  private readonly curves: IgesCurves;
  private readonly c: Cursor;

  constructor(curves: IgesCurves, c: Cursor) {
    this.curves = curves;
    this.c = c;
  }

  of(type: number): Surface {
    const at = this.located(type);
    switch (type) {
      case 190:
        return { kind: 'plane', frame: this.frame(at) };
      case 192:
        return this.round(at, (frame, r) => ({ kind: 'cylinder', frame, r }));
      case 194:
        return this.round(at, (frame, r, half) => ({ kind: 'cone', frame, r, half: (half * Math.PI) / 180 }), true);
      case 196: {
        const r = this.length();
        return { kind: 'sphere', frame: this.frame(at), r };
      }
      case 198:
        return this.torus(at);
      default:
        throw new NotTaken(`surface ${type}`);
    }
  }

  /** The point that a surface begins at. */
  private located(type: number): Vec3 {
    if (![190, 192, 194, 196, 198].includes(type)) throw new NotTaken(`surface ${type}`);
    return this.at(this.c.entry());
  }

  private at(id: number): Vec3 {
    const { file } = this.curves;
    if (file.entry(id).type !== 116) throw new NotTaken('no-point');
    return this.curves.point(new Cursor(file.fields(id)));
  }

  private direction(id: number): Vec3 | null {
    if (id === 0) return null;
    const { file } = this.curves;
    if (file.entry(id).type !== 123) throw new NotTaken('no-direction');
    const d = new Cursor(file.fields(id)).point();
    if (!(lengthOf(d) > 0)) throw new NotTaken('no-direction');
    return unit(d);
  }

  private length(): number {
    const r = this.c.number() * this.curves.scale;
    if (!(r > 0)) throw new NotTaken('no-size');
    return r;
  }

  /** Axis and reference direction, where they are said. */
  private frame(at: Vec3, axis?: Vec3): Frame {
    const z = axis ?? this.direction(this.c.entry()) ?? [0, 0, 1];
    const wanted = this.c.left > 0 ? this.direction(this.c.entry()) : null;
    const flat = wanted && sub(wanted, scaled(z, dot(wanted, z)));
    const x = flat && lengthOf(flat) > 1e-9 ? unit(flat) : squareTo(z);
    return { at, x, y: cross(z, x), z };
  }

  private round(at: Vec3, made: (frame: Frame, r: number, half: number) => Surface, cone = false): Surface {
    const axis = this.direction(this.c.entry());
    if (!axis) throw new NotTaken('no-direction');
    // A cone may begin at its tip.
    const r = cone ? this.c.number() * this.curves.scale : this.length();
    const half = cone ? this.c.number() : 0;
    if (!(r >= 0) || (cone && !(half > 0 && half < 90))) throw new NotTaken('no-size');
    return made(this.frame(at, axis), r, half);
  }

  private torus(at: Vec3): Surface {
    const axis = this.direction(this.c.entry());
    if (!axis) throw new NotTaken('no-direction');
    const [major, minor] = [this.length(), this.length()];
    return { kind: 'torus', frame: this.frame(at, axis), major, minor };
  }
}
