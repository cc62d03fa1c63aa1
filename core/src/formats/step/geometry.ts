import { backwardsSpline, clampedCurve, clampedSurface, flatKnots } from '../../surfaces/nurbs.ts';
import type { Curve } from '../../surfaces/curves.ts';
import type { BsplineSurface, Frame, Surface } from '../../surfaces/surfaces.ts';
import { add, cross, dot, lengthOf, scaled, sub, unit, type Vec3 } from '../../geometry/vector.ts';
import { NotTaken } from '../../body/body.ts';
import { squareTo } from '../../body/inverse.ts';
import type { Part21, Value } from './part21.ts';
import { enumOf, listOf, refOf, refsOf } from './values.ts';

export const flagOf = (v: Value | undefined): boolean => {
  const name = enumOf(v);
  if (name !== 'T' && name !== 'F') throw new NotTaken('no-flag');
  return name === 'T';
};
export const numberOf = (v: Value | undefined): number => {
  if (typeof v !== 'number' || !Number.isFinite(v)) throw new NotTaken('no-number');
  return v;
};
const whole = (v: Value | undefined, most: number): number => {
  const n = numberOf(v);
  if (!Number.isInteger(n) || n < 0 || n > most) throw new NotTaken('no-count');
  return n;
};

/** Highest degree of a spline that is taken. */
const mostDegree = 25;
/** Surfaces of surfaces at most. */
const deepest = 8;

/** What numbers of a context mean: mm of its length unit, rad of its angle unit. */
export interface Scale {
  length: number;
  angle: number;
}

/**
 * Points, curves and surfaces of a file as exact geometry in mm and rad.
 * Source: ISO 10303-42, geometry schema.
 * @throws NotTaken for kinds and values that are not taken here
 */
export class StepGeometry {
  private readonly file: Part21;
  private readonly scale: Scale;
  private readonly curves = new Map<number, Curve>();

  constructor(file: Part21, scale: Scale) {
    this.file = file;
    this.scale = scale;
  }

  point(id: number): Vec3 {
    const { file } = this;
    if (file.types(id)[0] !== 'CARTESIAN_POINT') throw new NotTaken('no-point');
    const list = listOf(file.params(id)[1]).map(numberOf);
    if (list.length !== 3) throw new NotTaken('no-point');
    return [list[0] * this.scale.length, list[1] * this.scale.length, list[2] * this.scale.length];
  }

  /** A direction as a unit vector. */
  direction(id: number): Vec3 {
    if (this.file.types(id)[0] !== 'DIRECTION') throw new NotTaken('no-direction');
    const list = listOf(this.file.params(id)[1]).map(numberOf);
    if (list.length !== 3 || !(Math.hypot(...list) > 0)) throw new NotTaken('no-direction');
    return unit(list as Vec3);
  }

  /** A placement's axes. Source: ISO 10303-42, axis2_placement_3d, build_axes. */
  frame(id: number): Frame {
    const { file } = this;
    if (file.types(id)[0] !== 'AXIS2_PLACEMENT_3D') throw new NotTaken('no-placement');
    const [, at, axis, ref] = file.params(id);
    const z: Vec3 = axis === null ? [0, 0, 1] : this.direction(refOf(axis));
    const wanted: Vec3 = ref === null ? (Math.abs(z[0]) > 1 - 1e-12 ? [0, 1, 0] : [1, 0, 0]) : this.direction(refOf(ref));
    const flat = sub(wanted, scaled(z, dot(wanted, z)));
    const x = lengthOf(flat) > 1e-9 ? unit(flat) : squareTo(z);
    return { at: this.point(refOf(at)), x, y: cross(z, x), z };
  }

  private length(v: Value | undefined): number {
    return numberOf(v) * this.scale.length;
  }
  private positive(v: Value | undefined): number {
    const n = this.length(v);
    if (!(n > 0)) throw new NotTaken('no-size');
    return n;
  }

  /** A curve in space. A curve on surfaces counts as its curve in space. */
  curve(id: number, depth = 0): Curve {
    const known = this.curves.get(id);
    if (known) return known;
    const made = this.madeCurve(id, depth);
    this.curves.set(id, made);
    return made;
  }

  private madeCurve(id: number, depth: number): Curve {
    const { file } = this;
    if (depth > deepest) throw new NotTaken('too-deep');
    const types = file.types(id);
    if (types.length > 1) return this.splineCurve(id, types);
    const p = file.params(id);
    switch (types[0]) {
      case 'LINE': {
        const vector = file.params(refOf(p[2]), 'VECTOR');
        return { kind: 'line', at: this.point(refOf(p[1])), along: this.direction(refOf(vector[1])) };
      }
      case 'CIRCLE':
      case 'ELLIPSE':
      case 'HYPERBOLA':
      case 'PARABOLA':
        return this.conic(types[0], p);
      case 'SURFACE_CURVE':
      case 'SEAM_CURVE':
      case 'INTERSECTION_CURVE':
        return this.curve(refOf(p[1]), depth + 1);
      case 'POLYLINE':
        return this.polyline(refsOf(p[1]));
      case 'TRIMMED_CURVE': {
        // Where an edge begins and ends its vertices say.
        const basis = this.curve(refOf(p[1]), depth + 1);
        return flagOf(p[4]) ? basis : backwards(basis);
      }
      default:
        return this.splineCurve(id, types);
    }
  }

  private conic(type: string, p: Value[]): Curve {
    const { at, x, y } = this.frame(refOf(p[1]));
    const r = this.positive(p[2]);
    if (type === 'CIRCLE') return { kind: 'circle', at, x, y, rx: r, ry: r };
    if (type === 'PARABOLA') return { kind: 'parabola', at, x, y, focal: r };
    const other = this.positive(p[3]);
    if (type === 'HYPERBOLA') return { kind: 'hyperbola', at, x, y, rx: r, ry: other };
    // The kernel's ellipses have their longer half axis first.
    if (other > r) return { kind: 'ellipse', at, x: y, y: scaled(x, -1), rx: other, ry: r };
    return { kind: 'ellipse', at, x, y, rx: r, ry: other };
  }

  private polyline(ids: readonly number[]): Curve {
    const points = ids.map((id) => this.point(id));
    if (points.length < 2) throw new NotTaken('no-curve');
    const knots = points.map((_, i) => i);
    return { kind: 'bspline', degree: 1, knots: flatKnots(knots, knots.map((_, i) => (i === 0 || i === knots.length - 1 ? 2 : 1))), poles: Float64Array.from(points.flat()), weights: null }; // prettier-ignore
  }

  private splineCurve(id: number, types: readonly string[]): Curve {
    const { file } = this;
    const several = types.length > 1;
    const withKnots = types.includes('B_SPLINE_CURVE_WITH_KNOTS');
    if (!withKnots && !['BEZIER_CURVE', 'QUASI_UNIFORM_CURVE', 'UNIFORM_CURVE'].some((t) => types.includes(t)))
      throw new NotTaken(`curve ${types[0] ?? 'that is not there'}`);
    const base = several ? file.params(id, 'B_SPLINE_CURVE') : file.params(id).slice(1);
    const degree = whole(base[0], mostDegree);
    const ids = refsOf(base[1]);
    const poles = Float64Array.from(ids.flatMap((p) => this.point(p)));
    const given = several && withKnots ? file.params(id, 'B_SPLINE_CURVE_WITH_KNOTS') : base.slice(5);
    const knots = withKnots ? knotsFrom(given[0], given[1], degree, ids.length) : evenKnots(types, degree, ids.length);
    const rational = types.includes('RATIONAL_B_SPLINE_CURVE') ? listOf(file.params(id, 'RATIONAL_B_SPLINE_CURVE')[0]) : null;
    const weights = weightsFrom(rational, ids.length);
    if (floats(knots, degree)) return { kind: 'bspline', degree, ...clampedCurve(degree, knots, poles, weights) };
    return { kind: 'bspline', degree, knots, poles, weights };
  }

  /** A surface in space. A trimmed one counts as what it is trimmed from. */
  surface(id: number, depth = 0): Surface {
    const { file } = this;
    if (depth > deepest) throw new NotTaken('too-deep');
    const types = file.types(id);
    if (types.length > 1) return this.splineSurface(id, types);
    const p = file.params(id);
    const round = this.elementary(types[0] ?? '', p);
    if (round) return round;
    switch (types[0]) {
      case 'SURFACE_OF_LINEAR_EXTRUSION': {
        const vector = file.params(refOf(p[2]), 'VECTOR');
        return { kind: 'extrusion', profile: this.curve(refOf(p[1])), along: this.direction(refOf(vector[1])) };
      }
      case 'SURFACE_OF_REVOLUTION': {
        const axis = file.params(refOf(p[2]), 'AXIS1_PLACEMENT');
        return { kind: 'revolution', profile: this.curve(refOf(p[1])), at: this.point(refOf(axis[1])), axis: axis[2] === null ? [0, 0, 1] : this.direction(refOf(axis[2])) }; // prettier-ignore
      }
      case 'RECTANGULAR_TRIMMED_SURFACE': {
        // Each way may be gone along the other way: both turned, it looks to the same side.
        if (flagOf(p[6]) !== flagOf(p[7])) throw new NotTaken('turned-surface');
        return this.surface(refOf(p[1]), depth + 1);
      }
      case 'OFFSET_SURFACE':
        return offsetOf(this.surface(refOf(p[1]), depth + 1), this.length(p[2]));
      default:
        return this.splineSurface(id, types);
    }
  }

  /** Planes, cylinders, cones, spheres and tori; null for other types. */
  private elementary(type: string, p: Value[]): Surface | null {
    switch (type) {
      case 'PLANE':
        return { kind: 'plane', frame: this.frame(refOf(p[1])) };
      case 'CYLINDRICAL_SURFACE':
        return { kind: 'cylinder', frame: this.frame(refOf(p[1])), r: this.positive(p[2]) };
      case 'CONICAL_SURFACE': {
        const r = this.length(p[2]);
        const half = numberOf(p[3]) * this.scale.angle;
        if (!(r >= 0 && half > 0 && half < Math.PI / 2)) throw new NotTaken('no-size');
        return { kind: 'cone', frame: this.frame(refOf(p[1])), r, half };
      }
      case 'SPHERICAL_SURFACE':
        return { kind: 'sphere', frame: this.frame(refOf(p[1])), r: this.positive(p[2]) };
      case 'TOROIDAL_SURFACE':
      case 'DEGENERATE_TOROIDAL_SURFACE':
        return { kind: 'torus', frame: this.frame(refOf(p[1])), major: this.positive(p[2]), minor: this.positive(p[3]) };
      default:
        return null;
    }
  }

  private splineSurface(id: number, types: readonly string[]): BsplineSurface {
    const { file } = this;
    const several = types.length > 1;
    const has = (type: string) => types.includes(type);
    const base = several ? file.params(id, 'B_SPLINE_SURFACE') : file.params(id).slice(1);
    const known = ['B_SPLINE_SURFACE_WITH_KNOTS', 'BEZIER_SURFACE', 'QUASI_UNIFORM_SURFACE', 'UNIFORM_SURFACE'].some(has);
    if (!known) throw new NotTaken(`surface ${types[0] ?? 'that is not there'}`);
    const [uDegree, vDegree] = [whole(base[0], mostDegree), whole(base[1], mostDegree)];
    const rows = listOf(base[2]).map(refsOf);
    const [uCount, vCount] = [rows.length, rows[0]?.length ?? 0];
    if (uCount === 0 || vCount === 0 || rows.some((r) => r.length !== vCount)) throw new NotTaken('no-poles');
    const poles = Float64Array.from(rows.flatMap((row) => row.flatMap((p) => this.point(p))));
    let uKnots: Float64Array;
    let vKnots: Float64Array;
    if (has('B_SPLINE_SURFACE_WITH_KNOTS')) {
      const p = several ? file.params(id, 'B_SPLINE_SURFACE_WITH_KNOTS') : base.slice(7);
      uKnots = knotsFrom(p[0], p[2], uDegree, uCount);
      vKnots = knotsFrom(p[1], p[3], vDegree, vCount);
    } else {
      uKnots = evenKnots(types, uDegree, uCount);
      vKnots = evenKnots(types, vDegree, vCount);
    }
    const rational = has('RATIONAL_B_SPLINE_SURFACE') ? listOf(file.params(id, 'RATIONAL_B_SPLINE_SURFACE')[0]).flatMap(listOf) : null;
    const weights = weightsFrom(rational, uCount * vCount);
    const surface: BsplineSurface = { kind: 'bspline', uDegree, vDegree, uCount, vCount, uKnots, vKnots, poles, weights };
    return floats(uKnots, uDegree) || floats(vKnots, vDegree) ? clampedSurface(surface) : surface;
  }
}

/** The same curve gone along the other way. */
function backwards(c: Curve): Curve {
  switch (c.kind) {
    case 'line':
      return { ...c, along: scaled(c.along, -1) };
    case 'circle':
    case 'ellipse':
    case 'parabola':
    case 'hyperbola':
      return { ...c, y: scaled(c.y, -1) };
    case 'bspline':
      return backwardsSpline(c);
    default:
      throw new NotTaken('curve-kind');
  }
}

/** Whether a spline goes on beyond the range that it is defined in: it does not end at its last poles. */
const floats = (knots: Float64Array, degree: number): boolean => knots[0] !== knots[degree] || knots[knots.length - 1] !== knots[knots.length - 1 - degree];

/** Weights of poles; null where all are the same. */
function weightsFrom(given: Value[] | null, count: number): Float64Array | null {
  const list = given?.map(numberOf) ?? [];
  if (given && (list.length !== count || list.some((w) => !(w > 0)))) throw new NotTaken('no-weights');
  return list.some((w) => w !== list[0]) ? Float64Array.from(list) : null;
}

/** Flat knots from how often each stands there. */
function knotsFrom(times: Value | undefined, knots: Value | undefined, degree: number, count: number): Float64Array {
  const many = listOf(times).map((n) => whole(n, degree + 1));
  const at = listOf(knots).map(numberOf);
  const total = many.reduce((a, b) => a + b, 0);
  if (many.length !== at.length || total !== count + degree + 1 || at.some((k, i) => i > 0 && !(k > at[i - 1]))) throw new NotTaken('no-knots');
  const flat = flatKnots(at, many);
  if (!(flat[count] > flat[degree])) throw new NotTaken('no-knots');
  return flat;
}

/** Knots that a type gives without saying them. Source: ISO 10303-42, default_b_spline_knots. */
function evenKnots(types: readonly string[], degree: number, count: number): Float64Array {
  if (types.some((t) => t === 'UNIFORM_CURVE' || t === 'UNIFORM_SURFACE')) return Float64Array.from({ length: count + degree + 1 }, (_, i) => i - degree);
  const bezier = types.some((t) => t.startsWith('BEZIER'));
  const spans = bezier ? (count - 1) / degree : count - degree;
  if (!Number.isInteger(spans) || spans < 1) throw new NotTaken('no-knots');
  const at = Array.from({ length: spans + 1 }, (_, i) => i);
  return flatKnots(at, at.map((_, i) => (i === 0 || i === spans ? degree + 1 : bezier ? degree : 1))); // prettier-ignore
}

/** Where a point lies from another along unit axes. */
export const placedIn = (f: Frame, p: Vec3): Vec3 => add(f.at, add(scaled(f.x, p[0]), add(scaled(f.y, p[1]), scaled(f.z, p[2]))));

/**
 * The surface that lies off another one by so much on the side to which du x dv points: of planes and round surfaces one of the same kind.
 * Source: ISO 10303-42, offset_surface.
 * @throws NotTaken for others, and where nothing of a round one is left
 */
function offsetOf(s: Surface, by: number): Surface {
  const left = (r: number): number => {
    if (!(r > 0)) throw new NotTaken('no-size');
    return r;
  };
  switch (s.kind) {
    case 'plane':
      return { kind: 'plane', frame: { ...s.frame, at: add(s.frame.at, scaled(s.frame.z, by)) } };
    case 'cylinder':
    case 'sphere':
      return { ...s, r: left(s.r + by) };
    case 'torus':
      return { ...s, minor: left(s.minor + by) };
    case 'cone':
      // Square to its side: outwards by the cosine, and back along the axis by the sine of its half angle.
      return { ...s, frame: { ...s.frame, at: add(s.frame.at, scaled(s.frame.z, -by * Math.sin(s.half))) }, r: left(s.r + by * Math.cos(s.half)) };
    default:
      throw new NotTaken('surface OFFSET_SURFACE');
  }
}
