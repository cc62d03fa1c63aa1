import type { Bvh } from './bvh/build.ts';
import { alongRay } from './bvh/ray.ts';
import { openEdge, type Edges } from './edges.ts';
import type { Mesh } from './mesh.ts';
import type { Shells } from './shells.ts';
import { middleOfTriangle, Triangle } from './triangle.ts';

/** How the shells of a mesh lie in each other. One entry a shell. */
export interface Nesting {
  /** Signed, mm3; of an open shell it means little. */
  volume: Float64Array;
  triangles: Uint32Array;
  /** Shells with an open edge, or whose triangles do not agree: 1. They wrap nothing. */
  unclosed: Uint8Array;
  /** 6 numbers a shell: min xyz, max xyz, mm. */
  boxes: Float64Array;
  /** How many closed shells wrap it. */
  depth: Int32Array;
  /** The closed shells that wrap a place of it; empty lists for a single shell. */
  wraps: number[][];
}

/** Three ways to look; none is a simple fraction of an axis, so edges are met by accident only. Two of three decide. */
const ways = [
  [0.5773216, 0.5171934, 0.6318047],
  [-0.7071529, 0.3217311, 0.6296231],
  [0.2113713, -0.8641077, 0.4568203],
] as const;

/**
 * Which shell lies in which, by parity shell by shell, so that one turned inside out still wraps. Shells that run into each
 * other have no place in each other; look for crossings first. O(shells x log triangles) for shells that lie apart.
 */
export function nestingOf(mesh: Mesh, edges: Edges, shells: Shells, bvh: Bvh | null): Nesting {
  const { first, ...measured } = measuredShells(mesh, edges, shells);
  const wraps: number[][] = Array.from({ length: shells.count }, (_, s) => (shells.count > 1 && bvh ? wrapsOf(bvh, shells, measured.unclosed, first[s]) : []));
  return { ...measured, depth: Int32Array.from(wraps, (w) => w.length), wraps };
}

/** Volume, count, box of each shell, whether it is closed, and its first triangle. */
function measuredShells(mesh: Mesh, edges: Edges, shells: Shells): Omit<Nesting, 'depth' | 'wraps'> & { first: Int32Array } {
  const { positions: p, triangles: t } = mesh;
  const n = shells.count;
  const volume = new Float64Array(n);
  const triangles = new Uint32Array(n);
  const unclosed = new Uint8Array(n);
  const boxes = new Float64Array(n * 6);
  for (let s = 0; s < n; s++) for (let k = 0; k < 6; k++) boxes[s * 6 + k] = k < 3 ? Infinity : -Infinity;
  const first = new Int32Array(n).fill(-1);
  const tri = new Triangle(mesh);
  for (let i = 0; i < tri.count; i++) {
    const s = shells.of[i];
    if (s < 0) continue;
    triangles[s]++;
    if (first[s] < 0) first[s] = i;
    // The tetrahedron under it, from the mesh's first vertex.
    const { a, nx, ny, nz } = tri.at(i);
    volume[s] += ((p[a] - p[0]) * nx + (p[a + 1] - p[1]) * ny + (p[a + 2] - p[2]) * nz) / 6;
    for (let c = i * 3; c < i * 3 + 3; c++) {
      for (let k = 0; k < 3; k++) {
        const x = p[t[c] * 3 + k];
        if (x < boxes[s * 6 + k]) boxes[s * 6 + k] = x;
        if (x > boxes[s * 6 + 3 + k]) boxes[s * 6 + 3 + k] = x;
      }
      const across = edges.across[c];
      if (across === openEdge || (across >= 0 && t[across] === t[c])) unclosed[s] = 1;
    }
  }
  return { volume, triangles, unclosed, boxes, first };
}

/** The closed shells that wrap a triangle of another: those that two of three rays cross an odd number of times. */
function wrapsOf(bvh: Bvh, shells: Shells, unclosed: Uint8Array, tri: number): number[] {
  const own = shells.of[tri];
  const from = middleOfTriangle(bvh.mesh, tri);
  const votes = new Map<number, number>();
  for (const along of ways) {
    const crossed = new Map<number, number>();
    alongRay(bvh, { from, along }, (_at, other) => {
      const g = shells.of[other];
      if (g !== own && g >= 0 && !unclosed[g]) crossed.set(g, (crossed.get(g) ?? 0) + 1);
      return Infinity;
    });
    for (const [g, times] of crossed) if (times % 2 === 1) votes.set(g, (votes.get(g) ?? 0) + 1);
  }
  return [...votes].filter(([, times]) => times >= 2).map(([g]) => g);
}
