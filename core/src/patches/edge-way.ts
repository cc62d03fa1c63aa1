import { edgesOf, nextCorner, openEdge } from '../geometry/edges.ts';
import type { Mesh } from '../geometry/mesh.ts';
import { add, distance, dot, lengthOf, placeAt, scaled, sub, type Vec3 } from '../geometry/vector.ts';

/** Where several edges meet, a way goes on along the one that turns least, if that is less than this, degrees. */
export const onwardTurn = 40;

/** Which edges of triangles are meant: those between two faces, or those of the border. */
export type EdgeKind = 'between faces' | 'border';

/** Vertices of each vertex's edges of a kind. */
function edgesRound({ mesh, face }: { mesh: Mesh; face: Int32Array }, kind: EdgeKind): Map<number, number[]> {
  const t = mesh.triangles;
  const { across } = edgesOf(t, mesh.positions.length / 3);
  const next = new Map<number, number[]>();
  const put = (a: number, b: number) => next.set(a, [...(next.get(a) ?? []), b]);
  for (let c = 0; c < t.length; c++) {
    const wanted = kind === 'border' ? across[c] === openEdge : across[c] > c && face[(c / 3) | 0] !== face[(across[c] / 3) | 0];
    if (!wanted) continue;
    put(t[c], t[nextCorner(c)]);
    put(t[nextCorner(c)], t[c]);
  }
  return next;
}

/** How far a place lies from the straight line between two others. */
function offLine(q: Vec3, a: Vec3, b: Vec3): number {
  const along = sub(b, a);
  const share = Math.min(1, Math.max(0, dot(sub(q, a), along) / dot(along, along)));
  return distance(q, add(a, scaled(along, share)));
}

/**
 * The edge nearest to each place, and what it runs on into: between two faces up to where it turns sharply at a meeting of three or more, round
 * when it comes back; of the border up to its corners.
 * @returns vertices of each way in order; the first again at the end of one that closes. None where there is no such edge.
 * @example edgeWays({ mesh: cylinder, face }, 'between faces', [[30, 0, 80]])[0].length // the rim at the top, all round
 */
export function edgeWays(it: { mesh: Mesh; face: Int32Array }, kind: EdgeKind, places: readonly Vec3[]): number[][] {
  const next = edgesRound(it, kind);
  const p = it.mesh.positions;
  return places.flatMap((place) => {
    let best: { a: number; b: number; off: number } | null = null;
    for (const [a, others] of next)
      for (const b of others) {
        if (a > b) continue;
        const off = offLine(place, placeAt(p, a), placeAt(p, b));
        if (!best || off < best.off) best = { a, b, off };
      }
    if (!best) return [];
    const { a, b } = best;
    const forth = onward(p, next, [a, b], kind);
    if (forth[forth.length - 1] === a) return [forth];
    const back = onward(p, next, [b, a], kind);
    return [[...back.slice(2).reverse(), ...forth]];
  });
}

/** On along a way from its first edge until it ends or comes back. */
function onward(p: Float64Array, next: ReadonlyMap<number, number[]>, [first, second]: [number, number], kind: EdgeKind): number[] {
  const way = [first, second];
  const seen = new Set(way);
  for (;;) {
    const [before, now] = way.slice(-2);
    const others = next.get(now)!.filter((v) => v !== before);
    const turnOf = (v: number): number => {
      const [u, w] = [sub(placeAt(p, now), placeAt(p, before)), sub(placeAt(p, v), placeAt(p, now))];
      return Math.acos(Math.max(-1, Math.min(1, dot(u, w) / (lengthOf(u) * lengthOf(w))))) * (180 / Math.PI);
    };
    // With no third edge there is no other way on, however sharply it turns; a border's corners end it.
    const free = others.length === 1 && kind === 'between faces';
    const onto = free ? others[0] : others.filter((v) => turnOf(v) < onwardTurn).sort((v, w) => turnOf(v) - turnOf(w))[0];
    if (onto === undefined || (seen.has(onto) && onto !== first)) return way;
    way.push(onto);
    if (onto === first) return way;
    seen.add(onto);
  }
}
