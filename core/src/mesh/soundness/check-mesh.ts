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
 * Counts open, non-manifold and flipped edges, degenerate triangles and shells.
 * A degenerate triangle has no area: two of its corners are one vertex, or all three lie on a line within float32.
 * Those with two equal corners have no edges of their own and are left out of the edge counts.
 * Edges are grouped by their lower vertex (counting sort), so each group is tiny and in cache: O(n), no hashing.
 *
 * @param keep how many open edges to return for drawing.
 */
export function checkMesh(mesh: Mesh, keep = 20_000): MeshSoundness {
  const t = mesh.triangles;
  const vertices = mesh.positions.length / 3;
  const corners = t.length;
  const start = new Uint32Array(vertices + 1);
  let degenerate = 0;
  for (let i = 0; i < corners; i += 3) {
    const a = t[i];
    const b = t[i + 1];
    const c = t[i + 2];
    if (a === b || b === c || c === a) {
      degenerate++;
      continue;
    }
    start[(a < b ? a : b) + 1]++;
    start[(b < c ? b : c) + 1]++;
    start[(c < a ? c : a) + 1]++;
  }
  for (let v = 0; v < vertices; v++) start[v + 1] += start[v];
  const edges = start[vertices];
  const upper = new Uint32Array(edges);
  /** Triangle number times two, plus one when the edge runs from its upper vertex to its lower one. */
  const owner = new Uint32Array(edges);
  for (let i = 0, tri = 0; i < corners; i += 3, tri++) {
    const a = t[i];
    const b = t[i + 1];
    const c = t[i + 2];
    if (a === b || b === c || c === a) continue;
    let at = a < b ? start[a]++ : start[b]++;
    upper[at] = a < b ? b : a;
    owner[at] = a < b ? tri * 2 : tri * 2 + 1;
    at = b < c ? start[b]++ : start[c]++;
    upper[at] = b < c ? c : b;
    owner[at] = b < c ? tri * 2 : tri * 2 + 1;
    at = c < a ? start[c]++ : start[a]++;
    upper[at] = c < a ? a : c;
    owner[at] = c < a ? tri * 2 : tri * 2 + 1;
  }
  // After the fill, start[v] is the end of group v; the group begins where the one before it ends.
  const parent = new Int32Array(corners / 3).fill(-1);
  const found = { open: 0, nonManifold: 0, flipped: 0 };
  const openPairs: number[] = [];
  let begin = 0;
  for (let v = 0; v < vertices; v++) {
    const end = start[v];
    if (end - begin > 12) sortGroup(upper, owner, begin, end);
    for (let i = begin; i < end; i++) {
      if (upper[i] === 0xffffffff) continue;
      const w = upper[i];
      let uses = 1;
      let direction = owner[i] & 1 ? -1 : 1;
      let partner = -1;
      for (let j = i + 1; j < end; j++) {
        if (upper[j] !== w) {
          if (end - begin > 12) break;
          continue;
        }
        upper[j] = 0xffffffff;
        uses++;
        partner = j;
        direction += owner[j] & 1 ? -1 : 1;
        unite(parent, owner[i] >>> 1, owner[j] >>> 1);
      }
      if (uses === 1) {
        found.open++;
        if (openPairs.length < keep * 2) openPairs.push(v, w);
      } else if (uses > 2) found.nonManifold++;
      else if (partner >= 0 && direction !== 0) found.flipped++;
    }
    begin = end;
  }
  let shells = 0;
  for (let i = 0, tri = 0; i < corners; i += 3, tri++) {
    const whole = t[i] !== t[i + 1] && t[i + 1] !== t[i + 2] && t[i + 2] !== t[i];
    if (whole && parent[tri] < 0) shells++;
  }
  degenerate += countSlivers(mesh);
  return {
    triangles: corners / 3,
    shells,
    openEdges: found.open,
    nonManifoldEdges: found.nonManifold,
    flippedEdges: found.flipped,
    degenerateTriangles: degenerate,
    closed: edges > 0 && found.open === 0 && found.nonManifold === 0 && found.flipped === 0,
    openEdgeVertices: Uint32Array.from(openPairs),
  };
}

/** Triangles of three different vertices whose height is below float32's resolution of their longest side. */
export function countSlivers(mesh: Mesh): number {
  const { triangles: t } = mesh;
  const tri = new Triangle(mesh);
  let count = 0;
  for (let i = 0; i < t.length; i += 3) {
    const ia = t[i];
    const ib = t[i + 1];
    const ic = t[i + 2];
    if (ia === ib || ib === ic || ic === ia) continue;
    const { nx, ny, nz } = tri.over(ia * 3, ib * 3, ic * 3);
    const reach = tri.reach();
    if (nx * nx + ny * ny + nz * nz <= noAreaShare * reach * reach) count++;
  }
  return count;
}

/** The root of a triangle's tree, halving the path on the way. Parent holds minus the size at roots. */
function rootOf(parent: Int32Array, i: number): number {
  let up = parent[i];
  while (up >= 0) {
    const above = parent[up];
    if (above < 0) return up;
    parent[i] = above;
    i = above;
    up = parent[i];
  }
  return i;
}

/** Union by size. */
function unite(parent: Int32Array, a: number, b: number): void {
  const pa = parent[a];
  if (pa === b || parent[b] === a || (pa >= 0 && pa === parent[b])) return;
  const ra = rootOf(parent, a);
  const rb = rootOf(parent, b);
  if (ra === rb) return;
  if (parent[ra] > parent[rb]) {
    parent[rb] += parent[ra];
    parent[ra] = rb;
  } else {
    parent[ra] += parent[rb];
    parent[rb] = ra;
  }
}

/** Sorts one large group by upper vertex, so that equal ones stand together (fans with many triangles). */
function sortGroup(upper: Uint32Array, owner: Uint32Array, begin: number, end: number): void {
  const order = Array.from({ length: end - begin }, (_, i) => begin + i).sort((a, b) => upper[a] - upper[b]);
  const u = order.map((i) => upper[i]);
  const o = order.map((i) => owner[i]);
  for (let i = 0; i < u.length; i++) {
    upper[begin + i] = u[i];
    owner[begin + i] = o[i];
  }
}
