import type { Vec3 } from './vector.ts';

/**
 * A ray, and where it meets one triangle after another. Source: Moeller and Trumbore, Fast, minimum storage ray/triangle intersection, 1997.
 * @example const ray = new RayMeeting([5, 5, 20], [0, 0, -1]); if (ray.meets(mesh.positions, mesh.triangles, 0)) ray.at // 10
 */
export class RayMeeting {
  /** Where the triangle found last was met, in multiples of the direction's length (below 0: behind the start). */
  at = 0;
  /** From which side: 1 from behind, so that the ray comes out there; -1 from the front. */
  facing: 1 | -1 = 1;
  protected readonly x: number;
  protected readonly y: number;
  protected readonly z: number;
  protected readonly dx: number;
  protected readonly dy: number;
  protected readonly dz: number;

  constructor(from: Readonly<Vec3>, along: Readonly<Vec3>) {
    [this.x, this.y, this.z] = from;
    [this.dx, this.dy, this.dz] = along;
  }

  /** Whether the ray's whole line meets a triangle, its sides counted in; never one that it lies in the plane of. */
  meets(p: ArrayLike<number>, t: ArrayLike<number>, tri: number): boolean {
    const { dx, dy, dz } = this;
    const i = t[tri * 3] * 3;
    const j = t[tri * 3 + 1] * 3;
    const k = t[tri * 3 + 2] * 3;
    const e1x = p[j] - p[i];
    const e1y = p[j + 1] - p[i + 1];
    const e1z = p[j + 2] - p[i + 2];
    const e2x = p[k] - p[i];
    const e2y = p[k + 1] - p[i + 1];
    const e2z = p[k + 2] - p[i + 2];
    const hx = dy * e2z - dz * e2y;
    const hy = dz * e2x - dx * e2z;
    const hz = dx * e2y - dy * e2x;
    const det = e1x * hx + e1y * hy + e1z * hz;
    if (det === 0) return false;
    const inv = 1 / det;
    const sx = this.x - p[i];
    const sy = this.y - p[i + 1];
    const sz = this.z - p[i + 2];
    const u = (sx * hx + sy * hy + sz * hz) * inv;
    if (!(u >= 0 && u <= 1)) return false;
    const qx = sy * e1z - sz * e1y;
    const qy = sz * e1x - sx * e1z;
    const qz = sx * e1y - sy * e1x;
    const v = (dx * qx + dy * qy + dz * qz) * inv;
    if (!(v >= 0 && u + v <= 1)) return false;
    this.at = (e2x * qx + e2y * qy + e2z * qz) * inv;
    this.facing = det > 0 ? -1 : 1;
    return true;
  }
}
