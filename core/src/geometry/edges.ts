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
 * @example edgesOf(mesh.triangles, mesh.positions.length / 3).open // 0 for a closed mesh
 */
export function edgesOf(triangles: Uint32Array, vertices: number): Edges {
  const matching = new Matching(triangles, vertices);
  matching.run();
  const { across, open, nonManifold, flipped } = matching;
  return { across, open, nonManifold, flipped };
}

/** An edge that was dealt with already. */
const done = 0xffffffff;
/** Groups larger than this are sorted, so that equal edges stand together (fans with many triangles). */
const largeGroup = 24;

/** Finds the edges that are the same. */
class Matching implements Edges {
  readonly across: Int32Array;
  open = 0;
  nonManifold = 0;
  flipped = 0;
  private readonly triangles: Uint32Array;
  /** Where the group of each lower vertex ends, and of its edges the corner and the upper vertex. */
  private readonly ends: Uint32Array;
  private readonly group: Uint32Array;
  private readonly upper: Uint32Array;

  constructor(triangles: Uint32Array, vertices: number) {
    this.triangles = triangles;
    this.across = new Int32Array(triangles.length).fill(openEdge);
    const start = new Uint32Array(vertices + 1);
    for (let tri = 0, c = 0; c < triangles.length; tri++, c += 3) {
      if (collapsed(triangles, tri)) continue;
      for (let k = 0; k < 3; k++) {
        const v = triangles[c + k];
        const w = triangles[k === 2 ? c : c + k + 1];
        start[(v < w ? v : w) + 1]++;
      }
    }
    for (let v = 0; v < vertices; v++) start[v + 1] += start[v];
    this.group = new Uint32Array(start[vertices]);
    this.upper = new Uint32Array(start[vertices]);
    for (let tri = 0, c = 0; c < triangles.length; tri++, c += 3) {
      if (collapsed(triangles, tri)) continue;
      for (let k = 0; k < 3; k++) {
        const v = triangles[c + k];
        const w = triangles[k === 2 ? c : c + k + 1];
        const at = start[v < w ? v : w]++;
        this.group[at] = c + k;
        this.upper[at] = v < w ? w : v;
      }
    }
    // Filled, each start is where its group ends.
    this.ends = start;
  }

  run(): void {
    for (let v = 0, begin = 0; v + 1 < this.ends.length; v++) {
      const end = this.ends[v];
      if (end - begin > largeGroup) sortRun(this.group, this.upper, begin, end);
      for (let i = begin; i < end; i++) if (this.upper[i] !== done) this.match(i, end, end - begin > largeGroup);
      begin = end;
    }
  }

  /** Looks for the same edge as i among those after it in its group. */
  private match(i: number, end: number, sorted: boolean): void {
    const { group, upper, across, triangles } = this;
    const w = upper[i];
    let uses = 1;
    let partner = -1;
    for (let j = i + 1; j < end; j++) {
      if (upper[j] === w) {
        uses++;
        partner = j;
      } else if (sorted) break;
    }
    if (uses === 1) this.open++;
    else if (uses === 2) {
      across[group[i]] = group[partner];
      across[group[partner]] = group[i];
      upper[partner] = done;
      if (triangles[group[i]] === triangles[group[partner]]) this.flipped++;
    } else {
      this.nonManifold++;
      for (let j = i; j < end; j++) {
        if (upper[j] !== w) continue;
        across[group[j]] = manyEdge;
        if (j > i) upper[j] = done;
      }
    }
  }
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
 * @example openLoops(mesh.triangles, edgesOf(mesh.triangles, vertices)).length // how many holes
 */
export function openLoops(triangles: Uint32Array, edges: Edges): Loop[] {
  const rims = new Rims(triangles, edges.across);
  const loops: Loop[] = [];
  for (const first of rims.corners()) if (!rims.done[first]) loops.push(rims.follow(first));
  return loops;
}

/** The open edges of a mesh, by the vertex that each starts from. */
class Rims {
  readonly done: Uint8Array;
  private readonly triangles: Uint32Array;
  private readonly across: Int32Array;
  private readonly byStart = new Map<number, number[]>();

  constructor(triangles: Uint32Array, across: Int32Array) {
    this.triangles = triangles;
    this.across = across;
    this.done = new Uint8Array(triangles.length);
    for (let c = 0; c < triangles.length; c++) {
      if (across[c] !== openEdge || collapsed(triangles, Math.floor(c / 3))) continue;
      // Run backwards: the loop's edge goes from the end of the triangle's edge to its start.
      const from = triangles[nextCorner(c)];
      const list = this.byStart.get(from);
      if (list) list.push(c);
      else this.byStart.set(from, [c]);
    }
  }

  *corners(): Generator<number> {
    for (const list of this.byStart.values()) yield* list;
  }

  /** The open edge that goes on from the end of one; null when there is none that wasn't taken. */
  private after(c: number): number | null {
    return nextOpen(this.triangles, this.across, c) ?? this.byStart.get(this.triangles[c])?.find((o) => !this.done[o]) ?? null;
  }

  follow(first: number): Loop {
    const { triangles, done } = this;
    const vertices: number[] = [];
    for (let c = first; ;) {
      done[c] = 1;
      vertices.push(triangles[nextCorner(c)]);
      const end = triangles[c];
      const next = this.after(c);
      if (next === first || (next === null && end === triangles[nextCorner(first)])) return { vertices, closed: true };
      if (next === null || done[next]) {
        vertices.push(end);
        return { vertices, closed: false };
      }
      c = next;
    }
  }
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
