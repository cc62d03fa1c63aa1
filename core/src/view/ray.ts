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
 * of the ray, costs less than a tree does for a click now and then. Sources: the sides are the outcodes of Cohen and Sutherland, about the ray;
 * Moeller and Trumbore, Fast, Minimum Storage Ray/Triangle Intersection, 1997.
 * @example onRay({ positions, triangles }, [0, 0, 9], [0, 0, -1])[0]?.t // how far it is down to the surface
 */
export function onRay({ positions: p, triangles: t }: { positions: ArrayLike<number>; triangles: ArrayLike<number> }, origin: Vec3, direction: Vec3): RayHit[] {
  const [ox, oy, oz] = origin;
  const [dx, dy, dz] = direction;
  const sides = sidesOf(p, origin, direction);
  const hits: RayHit[] = [];
  for (let i = 0; i < t.length; i += 3) {
    if ((sides[t[i]] & sides[t[i + 1]] & sides[t[i + 2]]) !== 0) continue;
    const a = t[i] * 3;
    const b = t[i + 1] * 3;
    const c = t[i + 2] * 3;
    const ax = p[a];
    const ay = p[a + 1];
    const az = p[a + 2];
    const ux = p[b] - ax;
    const uy = p[b + 1] - ay;
    const uz = p[b + 2] - az;
    const vx = p[c] - ax;
    const vy = p[c + 1] - ay;
    const vz = p[c + 2] - az;
    const px = dy * vz - dz * vy;
    const py = dz * vx - dx * vz;
    const pz = dx * vy - dy * vx;
    const determinant = ux * px + uy * py + uz * pz;
    if (determinant === 0) continue;
    const sx = ox - ax;
    const sy = oy - ay;
    const sz = oz - az;
    const u = (sx * px + sy * py + sz * pz) / determinant;
    if (!(u >= 0 && u <= 1)) continue;
    const qx = sy * uz - sz * uy;
    const qy = sz * ux - sx * uz;
    const qz = sx * uy - sy * ux;
    const v = (dx * qx + dy * qy + dz * qz) / determinant;
    if (!(v >= 0 && u + v <= 1)) continue;
    const far = (vx * qx + vy * qy + vz * qz) / determinant;
    // The determinant is minus the direction's share along the normal.
    if (far > 0) hits.push({ t: far, triangle: i / 3, leaving: determinant < 0 });
  }
  return hits.sort((one, other) => one.t - other.t);
}
