import { Sets } from '../../base/sets.ts';
import { edgesOf, nextCorner, openEdge, collapsed } from '../../geometry/edges.ts';
import type { Mesh } from '../../geometry/mesh.ts';
import { largestOf } from '../../base/rows.ts';

/** Open edges that run along other open edges: a seam that was never joined. Lengths in mm of the mesh. */
export interface Seams {
  edges: number;
  /** The widest that the seam gapes. */
  distance: number;
  along(vertex: number): boolean;
  /** The vertices at the seam, each beside the one that it belongs to. */
  pairs: [number, number][];
}

/** Gaps wider than this share of the edges beside them are no seams. */
export const seamShare = 0.4;
/** Fewer open edges than this make no statistic. */
const fewest = 6;

/**
 * Where open vertices have another open vertex, of an edge elsewhere, nearer than a share of their own edges' length. Only
 * runs count in which nearly all of a loop's vertices do, so that narrow slots and corners are no seams.
 */
export function seamsOf(mesh: Mesh): Seams | null {
  const rims = rimsOf(mesh);
  const partner = partnersOf(mesh.positions, rims);
  if (partner.size === 0) return null;
  const seam = new Set<number>();
  for (const loop of connected(rims)) {
    const paired = loop.filter((v) => partner.has(v)).length;
    if (loop.length < fewest || paired < loop.length * nearlyAll) continue;
    for (const v of loop) seam.add(v);
  }
  if (seam.size === 0) return null;
  const pairs: [number, number][] = [];
  let distance = 0;
  for (const v of seam) {
    const beside = partner.get(v);
    if (!beside) continue;
    pairs.push([v, beside.vertex]);
    distance = Math.max(distance, beside.distance);
  }
  return { edges: seam.size, distance, along: (v) => seam.has(v), pairs };
}

/** A rim is a seam where at least this share of its vertices have a partner. */
const nearlyAll = 0.8;
/** No more vertices than this of one cell of the grid are looked at for one vertex. */
const mostInCell = 400;

/** Vertices on open edges: the length of the shortest of those, and the vertices at their other ends. */
type Rims = Map<number, { length: number; next: Set<number> }>;

function rimsOf({ positions: p, triangles: t }: Mesh): Rims {
  const rims: Rims = new Map();
  const { across, open } = edgesOf(t, p.length / 3);
  if (open < fewest) return rims;
  const add = (v: number, w: number, length: number) => {
    const known = rims.get(v);
    if (known) {
      known.length = Math.min(known.length, length);
      known.next.add(w);
    } else rims.set(v, { length, next: new Set([w]) });
  };
  for (let c = 0; c < t.length; c++) {
    if (across[c] !== openEdge || collapsed(t, Math.floor(c / 3))) continue;
    const [a, b] = [t[c], t[nextCorner(c)]];
    const length = apart(p, a, b);
    add(a, b, length);
    add(b, a, length);
  }
  return rims;
}

const apart = (p: Float64Array, a: number, b: number): number => Math.hypot(p[a * 3] - p[b * 3], p[a * 3 + 1] - p[b * 3 + 1], p[a * 3 + 2] - p[b * 3 + 2]);

/** The nearest vertex of another rim beside each vertex, where it is near enough. A grid of cells as wide as the widest reach; every vertex looks into the cells around its own. */
function partnersOf(p: Float64Array, rims: Rims): Map<number, { vertex: number; distance: number }> {
  const partner = new Map<number, { vertex: number; distance: number }>();
  const vertices = [...rims.keys()];
  const reach = largestOf(vertices, (v) => rims.get(v)!.length) * seamShare;
  if (!(reach > 0)) return partner;
  const cells = new Map<string, number[]>();
  const cell = (v: number) => [0, 1, 2].map((k) => Math.floor(p[v * 3 + k] / reach));
  for (const v of vertices) {
    const key = cell(v).join('/');
    const list = cells.get(key);
    if (list) list.push(v);
    else cells.set(key, [v]);
  }
  for (const v of vertices) {
    const { length } = rims.get(v)!;
    const own = alongRim(rims, v);
    const [x, y, z] = cell(v);
    let distance = Infinity;
    let vertex = -1;
    for (let at = 0; at < 27; at++) {
      const key = `${x + (at % 3) - 1}/${y + (Math.floor(at / 3) % 3) - 1}/${z + Math.floor(at / 9) - 1}`;
      for (const w of (cells.get(key) ?? []).slice(0, mostInCell)) {
        const d = own.has(w) ? Infinity : apart(p, v, w);
        if (d < distance) [distance, vertex] = [d, w];
      }
    }
    if (distance > 0 && distance <= length * seamShare) partner.set(v, { vertex, distance });
  }
  return partner;
}

/** A vertex and those a few steps from it along the same rim: they are no other rim. */
function alongRim(rims: Rims, v: number): Set<number> {
  const own = new Set([v]);
  for (let step = 0; step < 4; step++) for (const w of [...own]) for (const o of rims.get(w)!.next) own.add(o);
  return own;
}

/** Rims as lists of the vertices that open edges connect. */
function connected(rims: Rims): number[][] {
  const seen = new Set<number>();
  const out: number[][] = [];
  for (const first of rims.keys()) {
    if (seen.has(first)) continue;
    const rim = [first];
    seen.add(first);
    for (let at = 0; at < rim.length; at++)
      for (const w of rims.get(rim[at])!.next)
        if (!seen.has(w)) {
          seen.add(w);
          rim.push(w);
        }
    out.push(rim);
  }
  return out;
}

/** Joins the vertices of a seam, each with the one beside it; the earlier stays where it is. */
export function seamJoined(mesh: Mesh, seams: Seams): Mesh {
  const joined = new Sets(mesh.positions.length / 3);
  for (const [v, w] of seams.pairs) {
    const [a, b] = [joined.root(v), joined.root(w)];
    joined.join(Math.max(a, b), Math.min(a, b));
  }
  return { positions: mesh.positions, triangles: mesh.triangles.map((v) => joined.root(v)) };
}
