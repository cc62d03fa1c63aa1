import { RayMeeting } from '../geometry/ray-meeting.ts';
import { spanned, unit, type Vec3 } from '../geometry/vector.ts';

/** Where a ray meets a triangle. */
export interface RayHit {
  /** How far along, in lengths of the direction. */
  t: number;
  triangle: number;
  /** The ray comes out at the side that the triangle looks to. */
  leaving: boolean;
}

/** A corner so near to a plane through the ray, as a share of its distance from the ray's start, counts as on both sides of it: rounding is far below. */
const onBothWithin = 1e-12;

/** On which sides of two planes through the ray each vertex lies: bits 1 and 2 beyond and before the first, 4 and 8 the second; none within the margin. */
function sidesOf(p: ArrayLike<number>, [ox, oy, oz]: Vec3, direction: Vec3): Uint8Array {
  const [u, v] = spanned(unit(direction));
  const [ux, uy, uz] = u;
  const [vx, vy, vz] = v;
  const sides = new Uint8Array(p.length / 3);
  for (let i = 0, k = 0; k < sides.length; i += 3, k++) {
    const x = p[i] - ox;
    const y = p[i + 1] - oy;
    const z = p[i + 2] - oz;
    const margin = onBothWithin * (Math.abs(x) + Math.abs(y) + Math.abs(z));
    const a = ux * x + uy * y + uz * z;
    const b = vx * x + vy * y + vz * z;
    sides[k] = (a > margin ? 1 : a < -margin ? 2 : 0) | (b > margin ? 4 : b < -margin ? 8 : 0);
  }
  return sides;
}

/**
 * Every triangle that a ray meets, nearest first. No tree is built: a look at each vertex, and at the few triangles that do not lie whole on one side
 * of the ray, costs less than a tree does for a click now and then. Sources: the sides are the outcodes of Cohen and Sutherland, about the ray.
 * @example onRay({ positions, triangles }, [0, 0, 9], [0, 0, -1])[0]?.t // how far it is down to the surface
 */
export function onRay({ positions: p, triangles: t }: { positions: ArrayLike<number>; triangles: ArrayLike<number> }, origin: Vec3, direction: Vec3): RayHit[] {
  const sides = sidesOf(p, origin, direction);
  const ray = new RayMeeting(origin, direction);
  const hits: RayHit[] = [];
  for (let i = 0; i < t.length; i += 3) {
    if ((sides[t[i]] & sides[t[i + 1]] & sides[t[i + 2]]) !== 0) continue;
    if (ray.meets(p, t, i / 3) && ray.at > 0) hits.push({ t: ray.at, triangle: i / 3, leaving: ray.facing > 0 });
  }
  return hits.sort((one, other) => one.t - other.t);
}
