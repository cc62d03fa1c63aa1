import type { Vec3 } from '../geometry/vector.ts';

/** Where a ray meets a triangle. */
export interface RayHit {
  /** How far along, in lengths of the direction. */
  t: number;
  triangle: number;
  /** The ray comes out at the side that the triangle looks to. */
  leaving: boolean;
}

/**
 * Every triangle that a ray meets, nearest first. No tree is built: one look at each triangle costs less than a tree does for a click now and then
 * (4,000,000 of them some 60 ms). Source: Moeller and Trumbore, Fast, Minimum Storage Ray/Triangle Intersection, 1997.
 * @example onRay({ positions, triangles }, [0, 0, 9], [0, 0, -1])[0]?.t // how far it is down to the surface
 */
export function onRay(
  { positions: p, triangles: t }: { positions: ArrayLike<number>; triangles: ArrayLike<number> },
  [ox, oy, oz]: Vec3,
  [dx, dy, dz]: Vec3,
): RayHit[] {
  const hits: RayHit[] = [];
  for (let i = 0; i < t.length; i += 3) {
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
