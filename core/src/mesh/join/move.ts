import type { Box } from '../../geometry/box.ts';
import type { Mesh } from '../../geometry/mesh.ts';
import { identityRows, timesRows, type Rows } from '../../geometry/rows.ts';
import { placed } from '../../geometry/placement.ts';

export type Axis = 0 | 1 | 2;

/** A shift by typed offsets, mm, after where the part stands now. */
export function shifted(place: Rows, by: readonly [number, number, number]): Rows {
  const out = [...place];
  for (let k = 0; k < 3; k++) out[k * 4 + 3] += by[k];
  return out;
}

/** A turn about an axis through a point (mm) by an angle in degrees, after where the part stands now. */
export function turnedAbout(place: Rows, axis: Axis, degrees: number, at: readonly [number, number, number]): Rows {
  const c = Math.cos((degrees * Math.PI) / 180);
  const s = Math.sin((degrees * Math.PI) / 180);
  const [u, v] = [(axis + 1) % 3, (axis + 2) % 3];
  const m = [...identityRows];
  m[u * 4 + u] = c;
  m[u * 4 + v] = -s;
  m[v * 4 + u] = s;
  m[v * 4 + v] = c;
  for (let k = 0; k < 3; k++) m[k * 4 + 3] = at[k] - (m[k * 4] * at[0] + m[k * 4 + 1] * at[1] + m[k * 4 + 2] * at[2]);
  return timesRows(m, place);
}

/** What of two boxes is brought together along one axis. */
export type AlignBy = 'low to low' | 'high to high' | 'middle to middle' | 'low to high' | 'high to low';

/** The shift that aligns a box with another along an axis; the gap (mm) is left between faces that come to face each other. */
export function alignment(moving: Box, fixed: Box, { axis, by, gap = 0 }: { axis: Axis; by: AlignBy; gap?: number }): [number, number, number] {
  const out: [number, number, number] = [0, 0, 0];
  const a = moving;
  const b = fixed;
  if (by === 'low to low') out[axis] = b.min[axis] - a.min[axis];
  else if (by === 'high to high') out[axis] = b.max[axis] - a.max[axis];
  else if (by === 'middle to middle') out[axis] = (b.min[axis] + b.max[axis] - a.min[axis] - a.max[axis]) / 2;
  else if (by === 'low to high') out[axis] = b.max[axis] + gap - a.min[axis];
  else out[axis] = b.min[axis] - gap - a.max[axis];
  return out;
}

/** The shift that sets a box down on the bed (Z 0). */
export function toBed(box: Box): [number, number, number] {
  return [0, 0, -box.min[2]];
}

/** A mesh mirrored at the plane through `at` (mm) across an axis; its triangles are turned round so that it stays right side out. */
export function mirrored(mesh: Mesh, axis: Axis, at: number): Mesh {
  const positions = mesh.positions.slice();
  for (let i = axis; i < positions.length; i += 3) positions[i] = 2 * at - positions[i];
  const triangles = mesh.triangles.slice();
  for (let i = 0; i < triangles.length; i += 3) [triangles[i + 1], triangles[i + 2]] = [triangles[i + 2], triangles[i + 1]];
  return { positions, triangles };
}

/** The factor that makes a size (mm) along one axis what is wanted. */
export function factorForSize(box: Box, axis: Axis, wanted: number): number {
  const size = box.max[axis] - box.min[axis];
  if (!(size > 0) || !(wanted > 0)) throw new RangeError('both sizes must be above 0');
  return wanted / size;
}

/** A mesh scaled evenly about the origin. */
export function scaled(mesh: Mesh, factor: number): Mesh {
  return {
    positions: placed(mesh.positions, { rows: Float64Array.of(factor, 0, 0, 0, factor, 0, 0, 0, factor), shift: [0, 0, 0] }),
    triangles: mesh.triangles,
  };
}
