import { notNumbers } from './stl/block.ts';
import type { Finding } from '../base/finding.ts';
import type { Mesh } from '../geometry/mesh.ts';
import { keepTriangles } from '../geometry/shells.ts';

/** Triangles with a coordinate that is no number left out and counted; vertices stay as the file has them. */
export function finiteMesh(mesh: Mesh, findings: Finding[]): Mesh {
  const { positions: p, triangles: t } = mesh;
  let bad = false;
  for (let i = 0; i < p.length && !bad; i++) bad = !Number.isFinite(p[i]);
  if (!bad) return mesh;
  const finite = (v: number) => Number.isFinite(p[v * 3]) && Number.isFinite(p[v * 3 + 1]) && Number.isFinite(p[v * 3 + 2]);
  const kept = keepTriangles(mesh, (i) => finite(t[i * 3]) && finite(t[i * 3 + 1]) && finite(t[i * 3 + 2]));
  const count = (t.length - kept.triangles.length) / 3;
  if (count > 0) findings.push(notNumbers(count));
  return kept;
}
