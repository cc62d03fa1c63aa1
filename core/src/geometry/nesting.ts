import type { Bvh } from './bvh/build.ts';
import { alongRay } from './bvh/ray.ts';
import { openEdge, type Edges } from './edges.ts';
import type { Mesh } from './mesh.ts';
import type { Shells } from './shells.ts';
import { middleOfTriangle } from './triangle.ts';

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
  const { positions: p, triangles: t } = mesh;
  const n = shells.count;
  const volume = new Float64Array(n);
  const triangles = new Uint32Array(n);
  const unclosed = new Uint8Array(n);
  const boxes = new Float64Array(n * 6);
  for (let s = 0; s < n; s++) for (let k = 0; k < 6; k++) boxes[s * 6 + k] = k < 3 ? Infinity : -Infinity;
  const first = new Int32Array(n).fill(-1);
  const o = [0, 1, 2].map((k) => (p.length > 0 ? p[k] : 0));
  for (let tri = 0; tri < t.length / 3; tri++) {
    const s = shells.of[tri];
    if (s < 0) continue;
    triangles[s]++;
    if (first[s] < 0) first[s] = tri;
    const a = t[tri * 3] * 3;
    const b = t[tri * 3 + 1] * 3;
    const c = t[tri * 3 + 2] * 3;
    const ax = p[a] - o[0];
    const ay = p[a + 1] - o[1];
    const az = p[a + 2] - o[2];
    const bx = p[b] - o[0];
    const by = p[b + 1] - o[1];
    const bz = p[b + 2] - o[2];
    const cx = p[c] - o[0];
    const cy = p[c + 1] - o[1];
    const cz = p[c + 2] - o[2];
    volume[s] += (ax * (by * cz - bz * cy) + ay * (bz * cx - bx * cz) + az * (bx * cy - by * cx)) / 6;
    for (let k = 0; k < 3; k++) {
      const x = p[a + k];
      const y = p[b + k];
      const z = p[c + k];
      boxes[s * 6 + k] = Math.min(boxes[s * 6 + k], x, y, z);
      boxes[s * 6 + 3 + k] = Math.max(boxes[s * 6 + 3 + k], x, y, z);
      const corner = tri * 3 + k;
      const across = edges.across[corner];
      if (across === openEdge || (across >= 0 && t[across] === t[corner])) unclosed[s] = 1;
    }
  }
  const depth = new Int32Array(n);
  const wraps: number[][] = Array.from({ length: n }, () => []);
  if (n > 1 && bvh) {
    for (let s = 0; s < n; s++) {
      const tri = first[s];
      const from = middleOfTriangle(mesh, tri);
      const votes = new Map<number, number>();
      for (const along of ways) {
        const crossed = new Map<number, number>();
        alongRay(bvh, { from, along }, (_at, other) => {
          const g = shells.of[other];
          if (g !== s && g >= 0 && !unclosed[g]) crossed.set(g, (crossed.get(g) ?? 0) + 1);
          return Infinity;
        });
        for (const [g, times] of crossed) if (times % 2 === 1) votes.set(g, (votes.get(g) ?? 0) + 1);
      }
      for (const [g, times] of votes) if (times >= 2) wraps[s].push(g);
      depth[s] = wraps[s].length;
    }
  }
  return { volume, triangles, unclosed, boxes, depth, wraps };
}
