import { notNumbers } from './stl/block.ts';
import type { Finding } from '../base/finding.ts';
import type { Mesh } from '../geometry/mesh.ts';
import { keepTriangles } from '../geometry/shells.ts';

/** Places farther off than this have no volume that a number can say (it is a product of three of them): they count as no numbers. */
export const farthest = 1e100;

/** Triangles with a coordinate that is no number left out and counted; vertices stay as the file has them. */
export function finiteMesh(mesh: Mesh, findings: Finding[]): Mesh {
  const { positions: p, triangles: t } = mesh;
  let bad = false;
  for (let i = 0; i < p.length && !bad; i++) bad = !(Math.abs(p[i]) <= farthest);
  if (!bad) return mesh;
  const finite = (v: number) => [0, 1, 2].every((k) => Math.abs(p[v * 3 + k]) <= farthest);
  const kept = keepTriangles(mesh, (i) => finite(t[i * 3]) && finite(t[i * 3 + 1]) && finite(t[i * 3 + 2]));
  const count = (t.length - kept.triangles.length) / 3;
  if (count > 0) findings.push(notNumbers(count));
  return kept;
}
