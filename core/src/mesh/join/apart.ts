import { boxOf, diagonalOf } from '../../geometry/box.ts';
import { edgesOf } from '../../geometry/edges.ts';
import type { Mesh } from '../../geometry/mesh.ts';
import { weldEqual } from '../../geometry/weld.ts';
import { parted, withoutCollapsed } from '../repair/steps.ts';

/**
 * Solids that touch along an edge have vertices of their own there, at the same place. A file that knows places only would
 * join them to edges with four triangles, so they are parted by a hair (a 2^-18 of the diagonal).
 */
export function apartInFiles(mesh: Mesh): Mesh {
  const welded = weldEqual(mesh.positions, mesh.triangles);
  if (edgesOf(welded.triangles, welded.positions.length / 3).nonManifold === 0) return mesh;
  const whole = withoutCollapsed(welded).mesh;
  const apart = parted(whole, diagonalOf(boxOf(mesh.positions)) * 2 ** -18).mesh;
  const { open, nonManifold, flipped } = edgesOf(apart.triangles, apart.positions.length / 3);
  return open + nonManifold + flipped === 0 ? apart : mesh;
}
