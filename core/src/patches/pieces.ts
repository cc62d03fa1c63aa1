import { Unusable } from '../base/finding.ts';
import { edgesOf, lastCorner, nextCorner, openEdge } from '../geometry/edges.ts';
import type { Mesh } from '../geometry/mesh.ts';
import { cornerAt } from './smooth.ts';
import { edgeKey, endsOfKey, type CutMesh } from './parting.ts';

/** A run of a piece's border: along one seam, or along the surface's own border. */
export interface Run {
  /** The seam that it belongs to; -1 on the surface's border. */
  seam: number;
  /** Its vertices in the piece, in the direction of the triangles: the piece lies to the left. */
  vertices: number[];
  /** The way of the seam is the other way round than the run's. */
  back: boolean;
}

/** A piece to be cut: a part of the surface that is laid flat as one. */
export interface Piece {
  mesh: Mesh;
  face: Int32Array;
  /** Vertex of the cut surface that each vertex came from. */
  from: Uint32Array;
  /** Border loops, each as its runs in order; a loop is closed. */
  loops: Run[][];
  /** Edges of the cut surface's border (see `edgeKey`) that keep their length on the flat; absent: none. */
  kept?: ReadonlySet<number>;
}

/** Where two edges of the pieces are sewn together. */
export interface Seam {
  /** Vertices of the cut surface, in order; a ring comes back to its first one. */
  way: number[];
  ring: boolean;
}

/**
 * The pieces that a cut surface falls into, with their borders, and the seams between them. Corners of triangles that meet at a vertex are one
 * vertex of a piece when they hang together over edges that are not cut.
 */
export function piecesOf({ mesh, face, cut }: CutMesh): { pieces: Piece[]; seams: Seam[] } {
  const { positions, triangles: t } = mesh;
  const n = positions.length / 3;
  const { across } = edgesOf(t, n);
  const open = (c: number) => across[c] === openEdge || cut.has(edgeKey(t[c], t[nextCorner(c)]));
  const vertex = new Int32Array(t.length);
  const root = (list: Int32Array, i: number): number => {
    while (list[i] !== i) i = list[i] = list[list[i]];
    return i;
  };
  vertex.forEach((_, c) => (vertex[c] = c));
  const part = Int32Array.from({ length: t.length / 3 }, (_, k) => k);
  for (let c = 0; c < t.length; c++) {
    if (open(c) || across[c] < c) continue;
    const other = across[c];
    // The edge runs the other way there: its start is our end.
    vertex[root(vertex, c)] = root(vertex, nextCorner(other));
    vertex[root(vertex, nextCorner(c))] = root(vertex, other);
    part[root(part, (c / 3) | 0)] = root(part, (other / 3) | 0);
  }
  const seams = seamsOf(mesh, cut, across);
  const seamOf = new Map<number, { seam: number; ends: [number, number] }>();
  seams.forEach(({ way }, seam) => {
    for (let i = 0; i + 1 < way.length; i++) seamOf.set(edgeKey(way[i], way[i + 1]), { seam, ends: [way[i], way[i + 1]] });
  });
  const number = new Map<number, number>();
  const lists: number[][] = [];
  for (let k = 0; k < part.length; k++) {
    const r = root(part, k);
    if (!number.has(r)) {
      number.set(r, lists.length);
      lists.push([]);
    }
    lists[number.get(r)!].push(k);
  }
  const pieces = lists.map((list): Piece => {
    const name = new Map<number, number>();
    const from: number[] = [];
    const own: number[] = [];
    for (const k of list)
      for (let i = 0; i < 3; i++) {
        const c = root(vertex, k * 3 + i);
        if (!name.has(c)) {
          name.set(c, from.length);
          from.push(t[k * 3 + i]);
        }
        own.push(name.get(c)!);
      }
    const places = new Float64Array(from.length * 3);
    from.forEach((v, i) => places.set(positions.subarray(v * 3, v * 3 + 3), i * 3));
    const piece = { mesh: { positions: places, triangles: Uint32Array.from(own) }, face: Int32Array.from(list, (k) => face[k]), from: Uint32Array.from(from) };
    return { ...piece, loops: loopsOf(piece.mesh, (a, b) => seamOf.get(edgeKey(from[a], from[b])) ?? null, piece.from) };
  });
  return { pieces, seams };
}

/** Chains of cut edges, from node to node: a node is where they end, fork, or meet the border. */
function seamsOf({ triangles: t }: Mesh, cut: ReadonlySet<number>, across: Int32Array): Seam[] {
  const next = new Map<number, number[]>();
  for (const key of cut) {
    const [a, b] = endsOfKey(key);
    next.set(a, [...(next.get(a) ?? []), b]);
    next.set(b, [...(next.get(b) ?? []), a]);
  }
  const node = new Set<number>();
  for (const [v, list] of next) if (list.length !== 2) node.add(v);
  for (let c = 0; c < t.length; c++) if (across[c] === openEdge) node.add(t[c]).add(t[nextCorner(c)]);
  const done = new Set<number>();
  const seams: Seam[] = [];
  const follow = (start: number, second: number): Seam => {
    const way = [start, second];
    done.add(edgeKey(start, second));
    for (let v = second; v !== start && !node.has(v);) {
      const on = next.get(v)!.find((w) => !done.has(edgeKey(v, w)));
      if (on === undefined) break;
      done.add(edgeKey(v, on));
      way.push(on);
      v = on;
    }
    return { way, ring: way[way.length - 1] === start };
  };
  const starts = [...next.keys()].sort((a, b) => Number(node.has(b)) - Number(node.has(a)) || a - b);
  for (const v of starts) for (const w of next.get(v)!) if (!done.has(edgeKey(v, w))) seams.push(follow(v, w));
  return seams;
}

/** Border loops of a piece, parted into runs where the seam changes, turns back at its tip, or begins. */
function loopsOf(
  { triangles: t, positions }: Mesh,
  seamOf: (a: number, b: number) => { seam: number; ends: [number, number] } | null,
  from: Uint32Array,
): Run[][] {
  const { across } = edgesOf(t, positions.length / 3);
  const loops: Run[][] = [];
  const done = new Uint8Array(t.length);
  for (let first = 0; first < t.length; first++) {
    if (across[first] !== openEdge || done[first]) continue;
    const edges: { a: number; b: number; seam: number; back: boolean }[] = [];
    for (let c = first; !done[c];) {
      done[c] = 1;
      const [a, b] = [t[c], t[nextCorner(c)]];
      const found = seamOf(a, b);
      edges.push({ a, b, seam: found?.seam ?? -1, back: found !== null && found.ends[0] !== from[a] });
      // On round the end of the edge to the next open one.
      let turn = nextCorner(c);
      for (let k = 0; across[turn] !== openEdge; k++) {
        if (across[turn] < 0 || k > t.length) throw new Unusable('fork', 'The border of a piece forks.', 'Mend the surface first.');
        turn = nextCorner(across[turn]);
      }
      c = turn;
    }
    loops.push(
      runsOf(edges, (i) =>
        cornerAt(
          [edges[(i + edges.length - 1) % edges.length].a, edges[i].a, edges[i].b].map((v) => Array.from(positions.subarray(v * 3, v * 3 + 3))),
          1,
        ),
      ),
    );
  }
  return loops;
}

/** @param corner whether the border turns sharply where an edge begins: a ring without seams begins there, so that none of its curves is parted */
function runsOf(edges: { a: number; b: number; seam: number; back: boolean }[], corner: (i: number) => boolean): Run[] {
  const n = edges.length;
  const breaks = (i: number) => {
    const [e, f] = [edges[(i + n - 1) % n], edges[i]];
    return e.seam !== f.seam || e.back !== f.back;
  };
  let start = 0;
  while (start < n && !breaks(start)) start++;
  if (start === n)
    start = Math.max(
      0,
      edges.findIndex((_, i) => corner(i)),
    );
  const runs: Run[] = [];
  for (let k = 0; k < n; k++) {
    const i = (start + k) % n;
    const e = edges[i];
    if (k === 0 || breaks(i)) runs.push({ seam: e.seam, back: e.back, vertices: [e.a] });
    runs[runs.length - 1].vertices.push(e.b);
  }
  return runs;
}

/** Handles of a piece: 0 when it can be laid flat with the holes that it has. Source: Euler's formula. */
export function handlesOf({ mesh: { triangles, positions }, loops }: Piece): number {
  const edges = new Set<number>();
  const n = positions.length / 3;
  for (let c = 0; c < triangles.length; c++) edges.add(edgeKey(triangles[c], triangles[lastCorner(c)]));
  const euler = n - edges.size + triangles.length / 3;
  return (2 - loops.length - euler) / 2;
}
