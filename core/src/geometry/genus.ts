import { collapsed, edgesOf } from './edges.ts';
import type { Mesh } from './mesh.ts';
import { shellsOf } from './shells.ts';

/**
 * How many holes go through a closed mesh: its genus, summed over its shells. A vertex where two fans of triangles only touch counts once for
 * each fan, so that parts which touch in a point are not taken for more than they are. Null when the mesh is not closed.
 * Source: Euler's formula, V - E + F = 2 (shells - holes), with E = 3 F / 2.
 * @example throughHoles(torus) // 1
 */
export function throughHoles(mesh: Mesh): number | null {
  const { triangles } = mesh;
  const vertices = mesh.positions.length / 3;
  const edges = edgesOf(triangles, vertices);
  if (edges.open > 0 || edges.nonManifold > 0) return null;
  let faces = 0;
  for (let t = 0; t < triangles.length / 3; t++) if (!collapsed(triangles, t)) faces++;
  const fans = fansOf(triangles, edges.across);
  const shells = shellsOf(triangles, vertices, edges).count;
  const twice = 2 * shells - (fans - faces / 2);
  return twice / 2;
}

/** Fans: groups of corners about one vertex that are joined over edges. */
function fansOf(triangles: Uint32Array, across: Int32Array): number {
  const above = Int32Array.from({ length: triangles.length }, (_, i) => i);
  const root = (i: number): number => {
    while (above[i] !== i) i = above[i] = above[above[i]];
    return i;
  };
  let fans = 0;
  for (let c = 0; c < triangles.length; c++) if (!collapsed(triangles, Math.floor(c / 3))) fans++;
  const unite = (a: number, b: number) => {
    const [x, y] = [root(a), root(b)];
    if (x === y) return;
    above[x] = y;
    fans--;
  };
  for (let c = 0; c < triangles.length; c++) {
    const other = across[c];
    if (other <= c) continue;
    // Edge c runs from corner c to the next; its partner runs the other way, or the same way where a triangle is turned.
    const next = c % 3 === 2 ? c - 2 : c + 1;
    const otherNext = other % 3 === 2 ? other - 2 : other + 1;
    const same = triangles[c] === triangles[other];
    unite(c, same ? other : otherNext);
    unite(next, same ? otherNext : other);
  }
  return fans;
}

/** How many shells of a mesh enclose a void: their volume is negative. */
export function voidsOf(mesh: Mesh): number {
  const { positions: p, triangles: t } = mesh;
  const shells = shellsOf(t, p.length / 3);
  const volume = new Float64Array(shells.count);
  for (let i = 0; i < t.length / 3; i++) {
    const s = shells.of[i];
    if (s < 0) continue;
    const [a, b, c] = [t[i * 3] * 3, t[i * 3 + 1] * 3, t[i * 3 + 2] * 3];
    volume[s] +=
      p[a] * (p[b + 1] * p[c + 2] - p[b + 2] * p[c + 1]) - p[a + 1] * (p[b] * p[c + 2] - p[b + 2] * p[c]) + p[a + 2] * (p[b] * p[c + 1] - p[b + 1] * p[c]);
  }
  return volume.reduce((n, v) => n + (v < 0 ? 1 : 0), 0);
}
