import { edgesOf, lastCorner, nextCorner, openEdge } from '../geometry/edges.ts';
import type { Mesh } from '../geometry/mesh.ts';
import { cross, dot, lengthOf, placeAt, sub } from '../geometry/vector.ts';

/** Triangles lower than this share of their longest side are needles: single precision of their corners. */
const needle = 1e-6;
const rounds = 30;

/**
 * Takes out triangles without area, whose third corner lies on their longest side: on a border they go, and the border runs over that corner;
 * inside the longest side is flipped. No point moves, so the surface stays what it was.
 * @returns how many could not be taken out
 */
export function withoutNeedles(mesh: Mesh, face: Int32Array): { mesh: Mesh; face: Int32Array; left: number } {
  const p = mesh.positions;
  let t = mesh.triangles;
  let faces = face;
  for (let round = 0; round < rounds; round++) {
    const needles = needlesOf(p, t);
    if (needles.length === 0) break;
    const { across } = edgesOf(t, p.length / 3);
    const out = t.slice();
    const gone = new Set<number>();
    const used = new Set<number>();
    const bad = new Set(needles.map((n) => n.triangle));
    // Needles that lie beside needles wait until those are gone; when there are no others, one of them goes first.
    const free = needles.filter(({ longest }) => across[longest] < 0 || !bad.has((across[longest] / 3) | 0));
    for (const { triangle, longest } of free.length > 0 ? free : needles.slice(0, 1)) {
      const other = across[longest];
      if (other === openEdge) {
        if (!used.has(triangle)) gone.add(triangle);
        used.add(triangle);
        continue;
      }
      if (other < 0 || used.has(triangle) || used.has((other / 3) | 0)) continue;
      const [a, b, x, y] = [t[longest], t[nextCorner(longest)], t[lastCorner(longest)], t[lastCorner(other)]];
      if (x === y) continue;
      out.set([x, y, b], triangle * 3);
      out.set([y, x, a], ((other / 3) | 0) * 3);
      used.add(triangle).add((other / 3) | 0);
    }
    if (used.size === 0) break;
    const kept = Array.from({ length: out.length / 3 }, (_, k) => k).filter((k) => !gone.has(k));
    t = Uint32Array.from(kept.flatMap((k) => [out[k * 3], out[k * 3 + 1], out[k * 3 + 2]]));
    const before = faces;
    faces = Int32Array.from(kept, (k) => before[k]);
  }
  return { mesh: { positions: p, triangles: t }, face: faces, left: needlesOf(p, t).length };
}

/** Needles, each with the corner at which its longest side begins. */
function needlesOf(p: Float64Array, t: Uint32Array): { triangle: number; longest: number }[] {
  const out: { triangle: number; longest: number }[] = [];
  for (let k = 0; k < t.length; k += 3) {
    const sides = [0, 1, 2].map((i) => sub(placeAt(p, t[k + ((i + 1) % 3)]), placeAt(p, t[k + i])));
    const lengths = sides.map((s) => dot(s, s));
    const i = lengths.indexOf(Math.max(...lengths));
    if (lengthOf(cross(sides[0], sides[1])) <= needle * lengths[i]) out.push({ triangle: k / 3, longest: k + i });
  }
  return out;
}
