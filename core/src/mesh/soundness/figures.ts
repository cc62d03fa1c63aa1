import { measureMesh, type Mesh } from '../../geometry/mesh.ts';
import { checkMesh } from './check-mesh.ts';

/** Figures of a mesh for before and after: counts, whether it is closed, and in the mesh's own unit its box, area and volume. */
export function figuresOf(mesh: Mesh) {
  const { volume, area, box } = measureMesh(mesh);
  const { triangles, shells, openEdges, nonManifoldEdges, flippedEdges, degenerateTriangles, closed } = checkMesh(mesh, 0);
  return { triangles, shells, openEdges, nonManifoldEdges, flippedEdges, degenerateTriangles, closed, volume, area, box };
}
