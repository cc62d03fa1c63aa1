import { boxOf } from './box.ts';
import type { Mesh } from './mesh.ts';

/** Area (mm2) of triangles that lie on the lowest plane along an axis and face down along it. */
function restingArea(mesh: Mesh, axis: number): number {
  const { positions: p, triangles: t } = mesh;
  const box = boxOf(p);
  const low = box.min[axis];
  const near = 1e-4 * Math.max(1e-12, box.max[axis] - low);
  let area = 0;
  const [u, v] = [(axis + 1) % 3, (axis + 2) % 3];
  for (let i = 0; i < t.length; i += 3) {
    const [a, b, c] = [t[i] * 3, t[i + 1] * 3, t[i + 2] * 3];
    if (p[a + axis] - low > near || p[b + axis] - low > near || p[c + axis] - low > near) continue;
    const n = (p[b + u] - p[a + u]) * (p[c + v] - p[a + v]) - (p[b + v] - p[a + v]) * (p[c + u] - p[a + u]);
    if (n < 0) area -= n / 2;
  }
  return area;
}

/** The surface's area as a vector (mm2): zero for a closed mesh, the way an open one faces. */
function facing(mesh: Mesh): [number, number, number] {
  const { positions: p, triangles: t } = mesh;
  const sum: [number, number, number] = [0, 0, 0];
  for (let i = 0; i < t.length; i += 3) {
    const [a, b, c] = [t[i] * 3, t[i + 1] * 3, t[i + 2] * 3];
    const u = [p[b] - p[a], p[b + 1] - p[a + 1], p[b + 2] - p[a + 2]];
    const v = [p[c] - p[a], p[c + 1] - p[a + 1], p[c + 2] - p[a + 2]];
    sum[0] += (u[1] * v[2] - u[2] * v[1]) / 2;
    sum[1] += (u[2] * v[0] - u[0] * v[2]) / 2;
    sum[2] += (u[0] * v[1] - u[1] * v[0]) / 2;
  }
  return sum;
}

/**
 * Whether a mesh was made with Y up: together its parts rest on a flat base along Y and hardly on one along Z.
 * A rule of thumb (common practice, no source): the base along Y must be ten times the one along Z and a hundredth of the
 * box's footprint. A relief, which has no base, counts when it faces along Y far more than along X and Z.
 */
export function looksYUp(meshes: readonly Mesh[]): boolean {
  let y = 0;
  let z = 0;
  let footprint = 0;
  for (const mesh of meshes) {
    y += restingArea(mesh, 1);
    z += restingArea(mesh, 2);
    const box = boxOf(mesh.positions);
    footprint += Math.max(0, (box.max[0] - box.min[0]) * (box.max[2] - box.min[2]));
  }
  const [fx, fy, fz] = meshes.map(facing).reduce((a, f) => [a[0] + f[0], a[1] + f[1], a[2] + f[2]], [0, 0, 0]);
  const relief = Math.abs(fy) > 0.5 * footprint && Math.abs(fy) > 5 * Math.max(Math.abs(fx), Math.abs(fz));
  return relief || (y > 10 * z && y > 0.01 * footprint);
}

/** Turns positions from Y up to Z up in place: (x, y, z) becomes (x, -z, y). */
export function turnToZUp(positions: Float64Array): void {
  for (let i = 0; i < positions.length; i += 3) {
    const y = positions[i + 1];
    positions[i + 1] = -positions[i + 2];
    positions[i + 2] = y;
  }
}

/** Positions turned from Z up to Y up, in a new array: (x, y, z) becomes (x, z, -y). */
export function turnedToYUp(positions: Float64Array): Float64Array {
  const out = new Float64Array(positions.length);
  for (let i = 0; i < positions.length; i += 3) {
    out[i] = positions[i];
    out[i + 1] = positions[i + 2];
    out[i + 2] = -positions[i + 1];
  }
  return out;
}
