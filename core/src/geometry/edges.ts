import type { Mesh } from './mesh.ts';

/** What stands across an edge of a triangle. */
export const openEdge = -1;
export const manyEdge = -2;

/** Edges of a mesh as corners: corner c = 3 triangle + k stands for the edge from corner k to corner k + 1. */
export interface Edges {
  /** For each corner the corner of the one other triangle on its edge; `openEdge`, or `manyEdge` where more than two meet. */
  across: Int32Array;
  open: number;
  nonManifold: number;
  /** Edges whose two triangles run along them in the same direction. */
  flipped: number;
}

/** Whether two corners of a triangle are one vertex, so that it has no edges of its own. */
export function collapsed(t: ArrayLike<number>, triangle: number): boolean {
  const a = t[triangle * 3];
  const b = t[triangle * 3 + 1];
  const c = t[triangle * 3 + 2];
  return a === b || b === c || c === a;
}

/**
 * The corner across every edge. Edges are grouped by their lower vertex (counting sort), so each group is tiny: O(n), no
 * hashing. Collapsed triangles have no edges: theirs are `openEdge` and not counted.
 */
export function edgesOf(triangles: Uint32Array, vertices: number): Edges {
  const corners = triangles.length;
  const across = new Int32Array(corners).fill(openEdge);
  const start = new Uint32Array(vertices + 1);
  for (let c = 0; c < corners; c++) {
    if (c % 3 === 0 && collapsed(triangles, c / 3)) {
      c += 2;
      continue;
    }
    const v = triangles[c];
    const w = triangles[c % 3 === 2 ? c - 2 : c + 1];
    start[(v < w ? v : w) + 1]++;
  }
  for (let v = 0; v < vertices; v++) start[v + 1] += start[v];
  const group = new Uint32Array(start[vertices]);
  const upper = new Uint32Array(start[vertices]);
  for (let c = 0; c < corners; c++) {
    if (c % 3 === 0 && collapsed(triangles, c / 3)) {
      c += 2;
      continue;
    }
    const v = triangles[c];
    const w = triangles[c % 3 === 2 ? c - 2 : c + 1];
    const at = start[v < w ? v : w]++;
    group[at] = c;
    upper[at] = v < w ? w : v;
  }
  let open = 0;
  let nonManifold = 0;
  let flipped = 0;
  let begin = 0;
  for (let v = 0; v < vertices; v++) {
    const end = start[v];
    if (end - begin > 24) sortRun(group, upper, begin, end);
    const sorted = end - begin > 24;
    for (let i = begin; i < end; i++) {
      const w = upper[i];
      if (w === 0xffffffff) continue;
      let uses = 1;
      let partner = -1;
      for (let j = i + 1; j < end; j++) {
        if (upper[j] !== w) {
          if (sorted) break;
          continue;
        }
        uses++;
        partner = j;
      }
      if (uses === 1) open++;
      else if (uses === 2) {
        across[group[i]] = group[partner];
        across[group[partner]] = group[i];
        upper[partner] = 0xffffffff;
        if (triangles[group[i]] === triangles[group[partner]]) flipped++;
      } else {
        nonManifold++;
        for (let j = i; j < end; j++) {
          if (upper[j] !== w) continue;
          across[group[j]] = manyEdge;
          if (j > i) upper[j] = 0xffffffff;
        }
      }
    }
    begin = end;
  }
  return { across, open, nonManifold, flipped };
}

function sortRun(group: Uint32Array, upper: Uint32Array, begin: number, end: number): void {
  const order = Array.from({ length: end - begin }, (_, i) => begin + i).sort((a, b) => upper[a] - upper[b] || group[a] - group[b]);
  const g = order.map((i) => group[i]);
  const u = order.map((i) => upper[i]);
  for (let i = 0; i < g.length; i++) {
    group[begin + i] = g[i];
    upper[begin + i] = u[i];
  }
}

/** The corner after this one in its triangle. */
export function nextCorner(c: number): number {
  return c % 3 === 2 ? c - 2 : c + 1;
}

/** The corner before this one in its triangle. */
export function lastCorner(c: number): number {
  return c % 3 === 0 ? c + 2 : c - 1;
}

/** Length of all open edges of a mesh. */
export function openLengthOf({ positions: p, triangles: t }: Mesh): number {
  const { across } = edgesOf(t, p.length / 3);
  let sum = 0;
  for (let c = 0; c < t.length; c++) {
    if (across[c] !== openEdge || collapsed(t, Math.floor(c / 3))) continue;
    const [a, b] = [t[c] * 3, t[nextCorner(c)] * 3];
    sum += Math.hypot(p[b] - p[a], p[b + 1] - p[a + 1], p[b + 2] - p[a + 2]);
  }
  return sum;
}

/** A loop of open edges: its vertices in the order in which a new surface would run along them. */
export interface Loop {
  vertices: number[];
  /** Whether it comes back to its start. */
  closed: boolean;
}

/**
 * Loops of open edges. At a vertex with several loops the one that turns round the same fan of triangles is followed, so
 * loops that only touch in a point stay apart. Each loop runs against the direction of the triangles beside it.
 */
export function openLoops(triangles: Uint32Array, edges: Edges): Loop[] {
  const { across } = edges;
  const done = new Uint8Array(triangles.length);
  const byStart = new Map<number, number[]>();
  for (let c = 0; c < triangles.length; c++) {
    if (across[c] !== openEdge || collapsed(triangles, Math.floor(c / 3))) continue;
    // Run backwards: the loop's edge goes from the end of the triangle's edge to its start.
    const from = triangles[nextCorner(c)];
    const list = byStart.get(from);
    if (list) list.push(c);
    else byStart.set(from, [c]);
  }
  const loops: Loop[] = [];
  for (const list of byStart.values()) {
    for (const first of list) {
      if (done[first]) continue;
      const vertices: number[] = [];
      let c = first;
      let closed = false;
      for (;;) {
        done[c] = 1;
        vertices.push(triangles[nextCorner(c)]);
        const end = triangles[c];
        const next = nextOpen(triangles, across, c) ?? byStart.get(end)?.find((o) => !done[o]) ?? null;
        if (next === first || (next === null && end === triangles[nextCorner(first)])) {
          closed = true;
          break;
        }
        if (next === null || done[next]) {
          vertices.push(end);
          break;
        }
        c = next;
      }
      loops.push({ vertices, closed });
    }
  }
  return loops;
}

/** Turning round the end of an open edge, within its own fan, to the next open edge; null when the fan breaks off. */
function nextOpen(triangles: Uint32Array, across: Int32Array, c: number): number | null {
  // c runs from vertex v (triangles[c]); turn about v: the corner before c is the edge that ends in v.
  const pivot = triangles[c];
  let at = lastCorner(c);
  for (let guard = 0; guard < 100_000; guard++) {
    const other = across[at];
    if (other === openEdge) return at;
    if (other === manyEdge) return null;
    // On the other side the edge starts in the pivot when the triangles agree.
    if (triangles[other] !== pivot) return null;
    at = lastCorner(other);
  }
  return null;
}
