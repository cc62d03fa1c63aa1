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
  const { positions: p, triangles: t } = mesh;
  const { across, open } = edgesOf(t, p.length / 3);
  if (open < fewest) return null;
  /** Length of the open edges at a vertex, and its neighbours along them. */
  const near = new Map<number, { length: number; next: Set<number> }>();
  for (let c = 0; c < t.length; c++) {
    if (across[c] !== openEdge || collapsed(t, Math.floor(c / 3))) continue;
    const [a, b] = [t[c], t[nextCorner(c)]];
    const length = Math.hypot(p[a * 3] - p[b * 3], p[a * 3 + 1] - p[b * 3 + 1], p[a * 3 + 2] - p[b * 3 + 2]);
    for (const [v, w] of [
      [a, b],
      [b, a],
    ]) {
      const known = near.get(v);
      if (known) {
        known.length = Math.min(known.length, length);
        known.next.add(w);
      } else near.set(v, { length, next: new Set([w]) });
    }
  }
  const vertices = [...near.keys()];
  const reach = largestOf(vertices, (v) => near.get(v)!.length) * seamShare;
  if (!(reach > 0)) return null;
  // A grid of cells of the reach; every vertex looks into the cells around its own.
  const cells = new Map<string, number[]>();
  const cell = (v: number) => [0, 1, 2].map((k) => Math.floor(p[v * 3 + k] / reach));
  for (const v of vertices) {
    const key = cell(v).join('/');
    const list = cells.get(key);
    if (list) list.push(v);
    else cells.set(key, [v]);
  }
  const partner = new Map<number, { vertex: number; distance: number }>();
  for (const v of vertices) {
    const { length } = near.get(v)!;
    // A few steps along the same rim are no other rim.
    const next = new Set([v]);
    for (let step = 0; step < 4; step++) for (const w of [...next]) for (const o of near.get(w)!.next) next.add(o);
    const [x, y, z] = cell(v);
    let best = Infinity;
    let at = -1;
    for (let i = x - 1; i <= x + 1; i++)
      for (let j = y - 1; j <= y + 1; j++)
        for (let k = z - 1; k <= z + 1; k++)
          for (const w of (cells.get(`${i}/${j}/${k}`) ?? []).slice(0, 400)) {
            if (next.has(w)) continue;
            const d = Math.hypot(p[v * 3] - p[w * 3], p[v * 3 + 1] - p[w * 3 + 1], p[v * 3 + 2] - p[w * 3 + 2]);
            if (d < best) [best, at] = [d, w];
          }
    if (best > 0 && best <= length * seamShare) partner.set(v, { vertex: at, distance: best });
  }
  // Loop by loop (connected open edges): a seam is where nearly all vertices have a partner.
  const seam = new Set<number>();
  const seen = new Set<number>();
  let distance = 0;
  for (const first of vertices) {
    if (seen.has(first)) continue;
    const loop = [first];
    seen.add(first);
    for (let at = 0; at < loop.length; at++)
      for (const w of near.get(loop[at])!.next)
        if (!seen.has(w)) {
          seen.add(w);
          loop.push(w);
        }
    const paired = loop.filter((v) => partner.has(v));
    if (loop.length < fewest || paired.length < loop.length * 0.8) continue;
    for (const v of loop) seam.add(v);
    for (const v of paired) distance = Math.max(distance, partner.get(v)!.distance);
  }
  if (seam.size === 0) return null;
  const pairs: [number, number][] = [];
  for (const v of seam) if (partner.has(v)) pairs.push([v, partner.get(v)!.vertex]);
  return { edges: seam.size, distance, along: (v) => seam.has(v), pairs };
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
