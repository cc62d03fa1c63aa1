import { collapsed, edgesOf, nextCorner, openEdge, type Edges } from '../../geometry/edges.ts';
import { shellsOf } from '../../geometry/shells.ts';
import { noAreaShare, Triangle } from '../../geometry/triangle.ts';
import type { Mesh } from '../../geometry/mesh.ts';

/** What the edges of a mesh say about it. All numbers are counts. */
export interface MeshSoundness {
  triangles: number;
  shells: number;
  openEdges: number;
  nonManifoldEdges: number;
  /** Edges whose two triangles run along it in the same direction. */
  flippedEdges: number;
  degenerateTriangles: number;
  closed: boolean;
  /** Vertex pairs of open edges, at most `keep` of them, to be drawn. */
  openEdgeVertices: Uint32Array;
}

/**
 * Counts open, non-manifold and flipped edges, degenerate triangles and shells. O(n).
 * A degenerate triangle has no area: two of its corners are one vertex, or all three lie on a line within float32.
 * Those with two equal corners have no edges of their own and are left out of the edge counts.
 * @param keep how many open edges to return for drawing
 * @example checkMesh(mesh).closed
 */
export function checkMesh(mesh: Mesh, keep = 20_000): MeshSoundness {
  const vertices = mesh.positions.length / 3;
  const edges = edgesOf(mesh.triangles, vertices);
  return soundnessOf(mesh, edges, shellsOf(mesh.triangles, vertices, edges).count, keep);
}

/** The same of a mesh whose edges and shells are known. */
export function soundnessOf(mesh: Mesh, edges: Edges, shells: number, keep: number): MeshSoundness {
  return {
    triangles: mesh.triangles.length / 3,
    shells,
    openEdges: edges.open,
    nonManifoldEdges: edges.nonManifold,
    flippedEdges: edges.flipped,
    degenerateTriangles: countDegenerate(mesh),
    closed: shells > 0 && edges.open + edges.nonManifold + edges.flipped === 0,
    openEdgeVertices: edges.open > 0 ? openPairs(mesh.triangles, edges, keep) : new Uint32Array(0),
  };
}

function openPairs(t: Uint32Array, { across }: Edges, keep: number): Uint32Array {
  const out: number[] = [];
  for (let c = 0; c < t.length && out.length < keep * 2; c++) if (across[c] === openEdge && !collapsed(t, Math.floor(c / 3))) out.push(t[c], t[nextCorner(c)]);
  return Uint32Array.from(out);
}

/** Triangles with two corners on one vertex, or whose height is below float32's resolution of their longest side. */
function countDegenerate(mesh: Mesh): number {
  const { triangles: t } = mesh;
  const tri = new Triangle(mesh);
  let count = 0;
  for (let i = 0; i < tri.count; i++) {
    if (collapsed(t, i)) {
      count++;
      continue;
    }
    const { nx, ny, nz } = tri.at(i);
    const reach = tri.reach();
    if (nx * nx + ny * ny + nz * nz <= noAreaShare * reach * reach) count++;
  }
  return count;
}
