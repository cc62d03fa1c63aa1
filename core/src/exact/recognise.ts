import { curveAt, type Curve } from './curves.ts';
import type { BsplineSurface, Surface } from './surfaces.ts';
import { add, cross, distance, dot, lengthOf, scaled, sub, unit, type Vec3 } from './vector.ts';

/** Points of a B-spline agree with a plane, cylinder or cone when they are this near, as a part of the surface's size. */
const agreement = 1e-9;

interface Circle {
  centre: Vec3;
  r: number;
  normal: Vec3 | null;
}

/**
 * Many programs write cylinders, cones and planes as B-splines. Where one is exactly that, it is treated as that:
 * nearest points have a closed form then, and the face counts as flat or round one way.
 */
export function recognised(surface: Surface): Surface {
  if (surface.kind !== 'bspline') return surface;
  return asPlane(surface) ?? asRevolvedLine(surface) ?? surface;
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
  const [p, q, r] = [points[0], points[8], points[20]];
  const u = sub(q, p);
  const v = sub(r, p);
  const n = cross(u, v);
  const nn = dot(n, n);
  if (nn < 1e-12 * dot(u, u) * dot(v, v)) return null;
  // Centre of the circle through three points. Source: any handbook of geometry.
  const to = add(scaled(cross(v, n), -dot(u, u)), scaled(cross(u, n), dot(v, v)));
  const centre = add(p, scaled(to, -1 / (2 * nn)));
  const radius = distance(centre, p);
  const normal = unit(n);
  for (const point of points) {
    if (Math.abs(distance(centre, point) - radius) > agreement * radius * 10) return null;
    if (Math.abs(dot(normal, sub(point, centre))) > agreement * radius * 10) return null;
  }
  return { centre, r: radius, normal };
}
