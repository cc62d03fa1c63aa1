import { curveAt, type Curve } from './curves.ts';
import type { BsplineSurface, Surface } from './surfaces.ts';
import { circleThrough } from '../geometry/circle.ts';
import { add, cross, distance, dot, lengthOf, scaled, sub, unit, type Vec3 } from '../geometry/vector.ts';

/** Points of a B-spline agree with a plane, cylinder or cone when they are this near, as a part of the surface's size. */
const agreement = 1e-9;

interface Circle {
  centre: Vec3;
  r: number;
  normal: Vec3 | null;
}

/**
 * Many programs write cylinders, cones and planes as B-splines, or as extrusions and revolutions of their profiles. Where one is exactly that, it is treated as that:
 * nearest points have a closed form then, and the face counts as flat or round one way.
 */
export function recognised(surface: Surface): Surface {
  if (surface.kind === 'extrusion') return asExtruded(surface) ?? surface;
  if (surface.kind === 'revolution') return asRevolved(surface) ?? surface;
  if (surface.kind !== 'bspline') return surface;
  return asPlane(surface) ?? asRevolvedLine(surface) ?? surface;
}

/** A right angle or a parallel, as the sine or cosine left over. */
const square = 1e-9;

/** An extruded line is a plane; an extruded circle, straight up, a cylinder, also where it is given as a B-spline. */
function asExtruded({ along, profile }: Extract<Surface, { kind: 'extrusion' }>): Surface | null {
  const z = unit(along);
  if (profile.kind === 'line') {
    const x = unit(profile.along);
    const n = cross(x, z);
    return lengthOf(n) < square ? null : { kind: 'plane', frame: { at: profile.at, x, y: cross(unit(n), x), z: unit(n) } };
  }
  const found = circleIn(profile);
  if (!found || Math.abs(Math.abs(dot(found.normal, z)) - 1) > square) return null;
  return { kind: 'cylinder', r: found.r, frame: { at: found.centre, x: found.x, y: cross(z, found.x), z } };
}

/** A line turned about an axis is a plane, cylinder or cone; a circle whose plane holds the axis a torus, or a sphere when its centre is on it. */
function asRevolved({ at, axis, profile }: Extract<Surface, { kind: 'revolution' }>): Surface | null {
  const z = unit(axis);
  const radialOf = (p: Vec3) => sub(sub(p, at), scaled(z, dot(sub(p, at), z)));
  if (profile.kind === 'line') {
    const along = unit(profile.along);
    const radial = radialOf(profile.at);
    const tilt = dot(along, z);
    // Out of the plane of the axis a line makes a hyperboloid.
    if (Math.abs(dot(cross(along, z), radial)) > square * Math.max(1, lengthOf(radial))) return null;
    const height = dot(sub(profile.at, at), z);
    const middle = add(at, scaled(z, height));
    if (Math.abs(tilt) < square) {
      const x = unit(along);
      return { kind: 'plane', frame: { at: middle, x, y: cross(z, x), z } };
    }
    // From a point of the axis on the line itself says which way it leaves it.
    const leaving = sub(along, scaled(z, tilt));
    const x = lengthOf(radial) > square ? unit(radial) : lengthOf(leaving) > square ? unit(leaving) : unit(cross(Math.abs(z[0]) < 0.6 ? [1, 0, 0] : [0, 1, 0], z)); // prettier-ignore
    const frame = { at: middle, x, y: cross(z, x), z };
    const slope = dot(along, x) / tilt;
    if (Math.abs(slope) < square) return lengthOf(radial) > 0 ? { kind: 'cylinder', r: lengthOf(radial), frame } : null;
    return { kind: 'cone', r: lengthOf(radial), half: Math.atan(slope), frame };
  }
  const found = circleIn(profile);
  if (!found) return null;
  const radial = radialOf(found.centre);
  const major = lengthOf(radial);
  // The axis lies in the circle's plane.
  if (Math.abs(dot(found.normal, z)) > square || Math.abs(dot(found.normal, sub(found.centre, at))) > square * Math.max(1, major) * 10) return null;
  const middle = add(at, scaled(z, dot(sub(found.centre, at), z)));
  if (major <= square * found.r) {
    const x = unit(sub(found.x, scaled(z, dot(found.x, z))));
    return lengthOf(x) > 0.5 ? { kind: 'sphere', r: found.r, frame: { at: middle, x, y: cross(z, x), z } } : null;
  }
  // A tube that reaches over its own axis is no ring of one sheet.
  if (major <= found.r) return null;
  const x = scaled(radial, 1 / major);
  return { kind: 'torus', major, minor: found.r, frame: { at: middle, x, y: cross(z, x), z } };
}

/** The circle that a profile is: given as one, or as a B-spline that lies on one. */
function circleIn(profile: Curve): { centre: Vec3; r: number; normal: Vec3; x: Vec3 } | null {
  // An ellipse with two equal axes is a circle: some programs write all their circles so.
  if (profile.kind === 'circle' || (profile.kind === 'ellipse' && Math.abs(profile.rx - profile.ry) <= agreement * profile.rx))
    return { centre: profile.at, r: profile.rx, normal: cross(profile.x, profile.y), x: profile.x };
  if (profile.kind !== 'bspline') return null;
  const found = circleOf(profile);
  if (!found || !found.normal || !(found.r > 0)) return null;
  return { centre: found.centre, r: found.r, normal: found.normal, x: unit(sub(pointOf(profile, 0), found.centre)) };
}

function poleOf(s: BsplineSurface, i: number): Vec3 {
  return [s.poles[i * 3], s.poles[i * 3 + 1], s.poles[i * 3 + 2]];
}

/** All poles in one plane: then so is the surface. */
function asPlane(s: BsplineSurface): Surface | null {
  const count = s.uCount * s.vCount;
  const at = poleOf(s, 0);
  let size = 0;
  let x: Vec3 = [1, 0, 0];
  for (let i = 1; i < count; i++) {
    const d = sub(poleOf(s, i), at);
    if (lengthOf(d) > size) {
      size = lengthOf(d);
      x = unit(d);
    }
  }
  let z: Vec3 = [0, 0, 0];
  for (let i = 1; i < count; i++) {
    const n = cross(x, sub(poleOf(s, i), at));
    if (lengthOf(n) > lengthOf(z)) z = n;
  }
  if (size === 0 || lengthOf(z) < 1e-6 * size) return null;
  z = unit(z);
  for (let i = 1; i < count; i++) if (Math.abs(dot(z, sub(poleOf(s, i), at))) > agreement * size) return null;
  return { kind: 'plane', frame: { at, x, y: cross(z, x), z } };
}

/** Straight one way between two circles on one axis: a cylinder, or a cone when they differ. */
function asRevolvedLine(s: BsplineSurface): Surface | null {
  const straightU = s.uDegree === 1 && s.uCount === 2;
  const straightV = s.vDegree === 1 && s.vCount === 2;
  if (straightU === straightV) return null;
  const [a, b] = [0, 1].map((end) => circleOf(isoCurve(s, straightU, end)));
  if (!a || !b) return null;
  const axis = sub(b.centre, a.centre);
  const size = lengthOf(axis) + Math.max(a.r, b.r);
  if (lengthOf(axis) < 1e-6 * size) return null;
  const z = unit(axis);
  for (const circle of [a, b]) if (circle.normal && lengthOf(cross(circle.normal, z)) > 1e-7) return null;
  const wide = a.r >= b.r ? a : b;
  const from = pointOf(isoCurve(s, straightU, wide === a ? 0 : 1), 0);
  const x = unit(sub(from, wide.centre));
  const frame = { at: a.centre, x, y: cross(z, x), z };
  const found: Surface =
    Math.abs(a.r - b.r) <= agreement * size
      ? { kind: 'cylinder', frame, r: a.r }
      : { kind: 'cone', frame, r: a.r, half: Math.atan2(b.r - a.r, lengthOf(axis)) };
  // Matching weights at both ends keep the rulings straight and in step; check by the angle of the two curves.
  const one = isoCurve(s, straightU, 0);
  const two = isoCurve(s, straightU, 1);
  for (let k = 0; k <= 8; k++) {
    const p = sub(pointOf(one, k / 8), a.centre);
    const q = sub(pointOf(two, k / 8), b.centre);
    const off = sub(scaled(p, b.r), scaled(q, a.r));
    if (lengthOf(off) > 1e-7 * size * Math.max(a.r, b.r)) return null;
  }
  return found;
}

/** The boundary curve across the straight direction, at its beginning (0) or end (1). */
function isoCurve(s: BsplineSurface, straightU: boolean, end: number): Extract<Curve, { kind: 'bspline' }> {
  const count = straightU ? s.vCount : s.uCount;
  const poles = new Float64Array(count * 3);
  const weights = s.weights ? new Float64Array(count) : null;
  for (let i = 0; i < count; i++) {
    const at = straightU ? end * s.vCount + i : i * s.vCount + end;
    poles.set(poleOf(s, at), i * 3);
    if (weights) weights[i] = s.weights![at];
  }
  return { kind: 'bspline', degree: straightU ? s.vDegree : s.uDegree, knots: straightU ? s.vKnots : s.uKnots, poles, weights };
}

function pointOf(c: Extract<Curve, { kind: 'bspline' }>, share: number): Vec3 {
  const [from, to] = [c.knots[c.degree], c.knots[c.poles.length / 3]];
  return curveAt(c, from + (to - from) * share).at;
}

/** The circle that a curve lies on, a point when it has no length, or null. */
function circleOf(c: Extract<Curve, { kind: 'bspline' }>): Circle | null {
  const points = Array.from({ length: 33 }, (_, k) => pointOf(c, k / 32));
  const size = Math.max(...points.map((p) => distance(p, points[0])));
  const reach = Math.max(...c.poles.map(Math.abs), 1e-9);
  if (size <= 1e-12 * reach) return { centre: points[0], r: 0, normal: null };
  const found = circleThrough(points[0], points[8], points[20]);
  if (!found) return null;
  const { centre, r: radius, normal } = found;
  for (const point of points) {
    if (Math.abs(distance(centre, point) - radius) > agreement * radius * 10) return null;
    if (Math.abs(dot(normal, sub(point, centre))) > agreement * radius * 10) return null;
  }
  return { centre, r: radius, normal };
}
