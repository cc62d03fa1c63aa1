import { add, cross, distance, dot, scaled, sub, unit, type Vec3 } from './vector.ts';

/** The circle through three points; its normal so that they follow each other counter-clockwise. Null when they lie in a line. Source: any handbook of geometry. */
export function circleThrough(a: Vec3, b: Vec3, c: Vec3): { centre: Vec3; r: number; normal: Vec3 } | null {
  const [u, v] = [sub(b, a), sub(c, a)];
  const n = cross(u, v);
  const nn = dot(n, n);
  if (!(nn > 1e-18 * dot(u, u) * dot(v, v))) return null;
  const to = add(scaled(cross(v, n), -dot(u, u)), scaled(cross(u, n), dot(v, v)));
  const centre = add(a, scaled(to, -1 / (2 * nn)));
  return { centre, r: distance(centre, a), normal: unit(n) };
}
