import { edgesOf, lastCorner, nextCorner } from '../geometry/edges.ts';
import type { Mesh } from '../geometry/mesh.ts';
import { cross, distance, dot, lengthOf, placeAt, sub, unit, type Vec3 } from '../geometry/vector.ts';
import { facesRound, type ExactSnap } from './exact.ts';

/** Edges longer than this many times the facet size are halved. */
const tooLong = 4 / 3;
const rounds = 24;

/** A mesh with the face of each triangle. */
export interface Faceted {
  mesh: Mesh;
  face: Int32Array;
}

/** A mesh that grows: with the face of each triangle. */
interface Growing {
  positions: number[];
  triangles: Uint32Array;
  face: Int32Array;
}

/**
 * Facets with no side much longer than `size`: long edges are halved, the longest first; on exact faces the new points lie on the face or the
 * edge, edges are flipped where that makes angles better, and points move to the middle of their neighbours along the face. Facets of a mesh
 * are only parted: its surface stays what it was.
 * Source: Botsch and Kobbelt, A remeshing approach to multiresolution modeling, 2004, without its collapses.
 *
 * @param how size in mm, and how many triangles it stops at
 */
export function refined({ mesh, face }: Faceted, { size, most, snap }: { size: number; most: number; snap: ExactSnap | null }): Faceted {
  const now: Growing = { positions: Array.from(mesh.positions), triangles: mesh.triangles.slice(), face: face.slice() };
  for (let round = 0; round < rounds; round++) {
    const split = halved(now, size * tooLong, most, snap);
    if (split === 0) break;
    flipped(now, snap !== null);
  }
  if (snap) {
    for (let round = 0; round < 4; round++) {
      smoothed(now, snap);
      flipped(now, true);
    }
  }
  return { mesh: { positions: Float64Array.from(now.positions), triangles: now.triangles }, face: now.face };
}

/** Edges longer than a limit, each once, the longest first. */
function longEdges({ positions: p, triangles: t }: Growing, across: Int32Array, limit: number): number[] {
  const long: { corner: number; length: number }[] = [];
  for (let c = 0; c < t.length; c++) {
    if (across[c] >= 0 && across[c] < c) continue;
    const length = distance(placeAt(p, t[c]), placeAt(p, t[nextCorner(c)]));
    if (length > limit) long.push({ corner: c, length });
  }
  return long.sort((a, b) => b.length - a.length || a.corner - b.corner).map((e) => e.corner);
}

/** The middle of an edge between triangles of these faces (one: on a border), on the exact face or edge where there is one. */
function middleOfEdge(a: Vec3, b: Vec3, faces: readonly number[], snap: ExactSnap | null): Vec3 {
  const middle = a.map((v, k) => (v + b[k]) / 2) as Vec3;
  if (!snap) return middle;
  const [one, other] = faces;
  const place =
    other !== undefined && one === other
      ? snap.toFace(one, middle)
      : (snap.between(
          [...new Set(faces)].sort((x, y) => x - y),
          { a, b },
          middle,
        ) ?? middle);
  // What lands far off has found another part of a bent edge.
  return distance(place, middle) > 0.5 * distance(a, b) ? middle : place;
}

/** Halves long edges, each triangle once a round. @returns how many */
function halved(now: Growing, limit: number, most: number, snap: ExactSnap | null): number {
  const { positions: p, triangles: t, face } = now;
  const { across } = edgesOf(t, p.length / 3);
  const used = new Uint8Array(t.length / 3);
  const more: number[] = [];
  const moreFaces: number[] = [];
  let count = 0;
  for (const corner of longEdges(now, across, limit)) {
    const sides = across[corner] < 0 ? [corner] : [corner, across[corner]];
    if (sides.some((c) => used[(c / 3) | 0])) continue;
    if (t.length / 3 + moreFaces.length >= most) break;
    const v = p.length / 3;
    p.push(...middleOfEdge(placeAt(p, t[corner]), placeAt(p, t[nextCorner(corner)]), sides.map((c) => face[(c / 3) | 0]), snap)); // prettier-ignore
    for (const c of sides) {
      const k = (c / 3) | 0;
      const [from, to, tip] = [t[c], t[nextCorner(c)], t[lastCorner(c)]];
      used[k] = 1;
      t.set([from, v, tip], k * 3);
      more.push(v, to, tip);
      moreFaces.push(face[k]);
    }
    count++;
  }
  if (count > 0) {
    now.triangles = new Uint32Array(t.length + more.length);
    now.triangles.set(t);
    now.triangles.set(more, t.length);
    now.face = new Int32Array(face.length + moreFaces.length);
    now.face.set(face);
    now.face.set(moreFaces, face.length);
  }
  return count;
}

/** Flips edges within a face whose opposite angles are more than two right ones together: Delaunay's rule on the surface. */
function flipped(now: Growing, curved: boolean): void {
  const { positions: p, triangles: t, face } = now;
  for (let pass = 0; pass < 4; pass++) {
    const { across } = edgesOf(t, p.length / 3);
    const used = new Uint8Array(t.length / 3);
    const there = new Set<number>();
    const n = p.length / 3;
    const key = (a: number, b: number) => (a < b ? a * n + b : b * n + a);
    for (let c = 0; c < t.length; c++) there.add(key(t[c], t[nextCorner(c)]));
    let count = 0;
    for (let c = 0; c < t.length; c++) {
      const other = across[c];
      if (other < c) continue;
      const [one, two] = [(c / 3) | 0, (other / 3) | 0];
      if (used[one] || used[two] || face[one] !== face[two]) continue;
      const [a, b, x, y] = [t[c], t[nextCorner(c)], t[lastCorner(c)], t[lastCorner(other)]];
      if (x === y || there.has(key(x, y))) continue;
      const [A, B, X, Y] = [placeAt(p, a), placeAt(p, b), placeAt(p, x), placeAt(p, y)];
      if (angle(A, X, B) + angle(A, Y, B) <= Math.PI + 1e-6) continue;
      const [n1, n2] = [normal(A, B, X), normal(B, A, Y)];
      const [m1, m2] = [normal(X, Y, B), normal(Y, X, A)];
      if (!curved && dot(unit(n1), unit(n2)) < 1 - 1e-12) continue;
      // Neither of the new triangles may turn over or be nearly nothing.
      const whole = lengthOf(n1) + lengthOf(n2);
      const [u, v] = [unit(n1), unit(n2)];
      if (![m1, m2].every((m) => dot(m, u) > 0.02 * whole && dot(m, v) > 0.02 * whole)) continue;
      t.set([x, y, b], one * 3);
      t.set([y, x, a], two * 3);
      there.delete(key(a, b));
      there.add(key(x, y));
      used[one] = used[two] = 1;
      count++;
    }
    if (count === 0) return;
  }
}

/** A move must leave each triangle beside a point this share of its area at least, seen along the normal that it had. */
const leastLeft = 0.3;

/** Points inside a face moved half way to the middle of their neighbours, along the face, one by one; none where a triangle would turn over. */
function smoothed(now: Growing, snap: ExactSnap): void {
  const { positions: p, triangles: t, face } = now;
  const n = p.length / 3;
  const { faces, rim } = facesRound({ positions: Float64Array.from(p), triangles: t }, face);
  const starts = new Int32Array(n + 1);
  for (const v of t) starts[v + 1]++;
  for (let v = 0; v < n; v++) starts[v + 1] += starts[v];
  const next = starts.slice();
  const corners = new Int32Array(t.length);
  for (let c = 0; c < t.length; c++) corners[next[t[c]]++] = c;
  for (let v = 0; v < n; v++) {
    if (rim[v] || faces[v].length !== 1 || starts[v] === starts[v + 1]) continue;
    const own = corners.subarray(starts[v], starts[v + 1]);
    const before = placeAt(p, v);
    const middle: Vec3 = [0, 0, 0];
    for (const c of own) for (let d = 0; d < 3; d++) middle[d] += (p[t[nextCorner(c)] * 3 + d] / own.length + before[d] / own.length) / 2;
    const were = [...own].map((c) => normal(before, placeAt(p, t[nextCorner(c)]), placeAt(p, t[lastCorner(c)])));
    const place = snap.toFace(faces[v][0], middle);
    const fits = [...own].every(
      (c, i) => dot(normal(place, placeAt(p, t[nextCorner(c)]), placeAt(p, t[lastCorner(c)])), were[i]) > leastLeft * dot(were[i], were[i]),
    );
    if (fits) for (let d = 0; d < 3; d++) p[v * 3 + d] = place[d];
  }
}

const normal = (a: Vec3, b: Vec3, c: Vec3): Vec3 => cross(sub(b, a), sub(c, a));
const angle = (a: Vec3, tip: Vec3, b: Vec3): number => {
  const [u, v] = [sub(a, tip), sub(b, tip)];
  return Math.atan2(lengthOf(cross(u, v)), dot(u, v));
};
