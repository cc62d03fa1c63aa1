import { boxOf, sizeOf } from '../../geometry/box.ts';
import { cross } from '../../geometry/vector.ts';
import { collapsed, edgesOf, lastCorner, manyEdge, nextCorner, openEdge, type Edges } from '../../geometry/edges.ts';
import type { Mesh } from '../../geometry/mesh.ts';
import { keepTriangles, shellsOf } from '../../geometry/shells.ts';
import { doubledTriangles, nearVertices } from '../soundness/doubles.ts';

/** Joins vertices within a tolerance (mm) of each other; the earliest stays where it is. */
export function weldWithin(mesh: Mesh, tolerance: number): { mesh: Mesh; joined: number } {
  const { to, count } = nearVertices(mesh.positions, tolerance);
  if (count === 0) return { mesh, joined: 0 };
  const triangles = mesh.triangles.map((v) => to[v]);
  return { mesh: { positions: mesh.positions, triangles }, joined: count };
}

/** Leaves out triangles of which two corners are one vertex. */
export function withoutCollapsed(mesh: Mesh): { mesh: Mesh; dropped: number } {
  const { triangles: t } = mesh;
  let dropped = 0;
  for (let i = 0; i < t.length / 3; i++) if (collapsed(t, i)) dropped++;
  return dropped === 0 ? { mesh, dropped } : { mesh: keepTriangles(mesh, (i) => !collapsed(t, i)), dropped };
}

/**
 * Turns the long edge of every triangle without area into the short diagonal with its neighbour, which has the same shape
 * and no sliver. A sliver without a neighbour on its long edge is left out.
 */
export function withoutSlivers(mesh: Mesh): { mesh: Mesh; turned: number; dropped: number } {
  let turned = 0;
  let dropped = 0;
  let now = mesh;
  for (let round = 0; round < 12; round++) {
    const p = now.positions;
    const t = now.triangles.slice();
    const { across } = edgesOf(t, p.length / 3);
    const touched = new Uint8Array(t.length / 3);
    const gone = new Uint8Array(t.length / 3);
    let changed = 0;
    for (let tri = 0; tri < t.length / 3; tri++) {
      if (touched[tri] || collapsed(t, tri)) continue;
      const long = sliverEdge(p, t, tri);
      if (long < 0) continue;
      const other = across[long];
      if (other < 0) {
        gone[tri] = 1;
        changed++;
        dropped++;
        continue;
      }
      const neighbour = Math.floor(other / 3);
      if (touched[neighbour] || t[other] === t[long]) continue;
      const a = t[long];
      const c = t[nextCorner(long)];
      const b = t[lastCorner(long)];
      const d = t[lastCorner(other)];
      if (b === d) {
        // The neighbour lies on the sliver: both are nothing.
        gone[tri] = gone[neighbour] = 1;
        touched[tri] = touched[neighbour] = 1;
        changed++;
        dropped += 2;
        continue;
      }
      t.set([a, d, b], tri * 3);
      t.set([d, c, b], neighbour * 3);
      touched[tri] = touched[neighbour] = 1;
      // Neighbours round about wait for the next round: their edges have changed.
      for (const corner of [tri * 3, tri * 3 + 1, tri * 3 + 2, neighbour * 3, neighbour * 3 + 1, neighbour * 3 + 2]) {
        if (across[corner] >= 0) touched[Math.floor(across[corner] / 3)] = 1;
      }
      changed++;
      turned++;
    }
    if (changed === 0) break;
    now = keepTriangles({ positions: p, triangles: t }, (i) => !gone[i]);
  }
  return { mesh: now, turned, dropped };
}

/** The corner at which the longest edge of a triangle without area starts; -1 when it has area. */
function sliverEdge(p: Float64Array, t: Uint32Array, tri: number): number {
  const squared = [0, 0, 0];
  for (let k = 0; k < 3; k++) {
    const a = t[tri * 3 + k] * 3;
    const b = t[tri * 3 + ((k + 1) % 3)] * 3;
    squared[k] = (p[a] - p[b]) ** 2 + (p[a + 1] - p[b + 1]) ** 2 + (p[a + 2] - p[b + 2]) ** 2;
  }
  const [a, b, c] = [t[tri * 3] * 3, t[tri * 3 + 1] * 3, t[tri * 3 + 2] * 3];
  const u = [p[b] - p[a], p[b + 1] - p[a + 1], p[b + 2] - p[a + 2]];
  const v = [p[c] - p[a], p[c + 1] - p[a + 1], p[c + 2] - p[a + 2]];
  const twice = (u[1] * v[2] - u[2] * v[1]) ** 2 + (u[2] * v[0] - u[0] * v[2]) ** 2 + (u[0] * v[1] - u[1] * v[0]) ** 2;
  const most = Math.max(...squared);
  return twice <= 1e-14 * most * most ? tri * 3 + squared.indexOf(most) : -1;
}

/**
 * Leaves out doubles. Of triangles over the same three corners those that run opposite ways are walls of no thickness and go, two by two; of what is left,
 * all running one way, one stays.
 */
export function withoutDoubles(mesh: Mesh): { mesh: Mesh; dropped: number } {
  const { triangles: t } = mesh;
  const { first, same, opposite } = doubledTriangles(t, mesh.positions.length / 3);
  if (same + opposite === 0) return { mesh, dropped: 0 };
  const gone = new Uint8Array(t.length / 3);
  const runs = (i: number) => {
    const low = Math.min(t[i * 3], t[i * 3 + 1], t[i * 3 + 2]);
    const k = [0, 1, 2].find((c) => t[i * 3 + c] === low)!;
    return t[i * 3 + ((k + 1) % 3)];
  };
  /** By the earliest of each group: how many more run as it does than the other way, and the earliest of those. */
  const groups = new Map<number, { more: number; other: number }>();
  for (let i = 0; i < first.length; i++) {
    if (first[i] < 0) continue;
    const group = groups.get(first[i]) ?? { more: 1, other: -1 };
    const as = runs(i) === runs(first[i]);
    group.more += as ? 1 : -1;
    if (!as && group.other < 0) group.other = i;
    groups.set(first[i], group);
    gone[i] = 1;
  }
  for (const [earliest, { more, other }] of groups) {
    if (more <= 0) gone[earliest] = 1;
    if (more < 0) gone[other] = 0;
  }
  let dropped = 0;
  for (const g of gone) dropped += g;
  return { mesh: keepTriangles(mesh, (i) => !gone[i]), dropped };
}

/**
 * Splits open edges at open vertices that lie on them within a tolerance (mm), so that a T is closed without a gap.
 */
export function stitched(mesh: Mesh, tolerance: number): { mesh: Mesh; split: number } {
  const { positions: p, triangles: t } = mesh;
  const { across, open } = edgesOf(t, p.length / 3);
  if (open === 0) return { mesh, split: 0 };
  const onEdge = verticesOnEdges(mesh, across, tolerance);
  if (onEdge.size === 0) return { mesh, split: 0 };
  const out: number[] = [];
  const replaced = new Set<number>();
  let split = 0;
  for (const [corner, list] of onEdge) {
    const tri = Math.floor(corner / 3);
    if (replaced.has(tri)) continue;
    replaced.add(tri);
    const apex = t[lastCorner(corner)];
    const chain = [t[corner], ...list.sort((x, y) => x.s - y.s).map((x) => x.v), t[nextCorner(corner)]];
    for (let i = 0; i + 1 < chain.length; i++) out.push(chain[i], chain[i + 1], apex);
    split += list.length;
  }
  const kept = keepRaw(t, (i) => !replaced.has(i));
  const triangles = new Uint32Array(kept.length + out.length);
  triangles.set(kept);
  triangles.set(out, kept.length);
  return { mesh: { positions: p, triangles }, split };
}

/** Open vertices that lie on each open edge (by its corner) within a tolerance, with their share of it. Edges and vertices are gone along together, by the axis along which they are widest apart. */
function verticesOnEdges({ positions: p, triangles: t }: Mesh, across: Int32Array, tolerance: number): Map<number, { v: number; s: number }[]> {
  const corners: number[] = [];
  for (let c = 0; c < t.length; c++) if (across[c] === openEdge && !collapsed(t, Math.floor(c / 3))) corners.push(c);
  const ends = new Set(corners.flatMap((c) => [t[c], t[nextCorner(c)]]));
  const size = sizeOf(boxOf(Float64Array.from([...ends].flatMap((v) => [p[v * 3], p[v * 3 + 1], p[v * 3 + 2]]))));
  const axis = size.indexOf(Math.max(...size));
  const along = (v: number) => p[v * 3 + axis];
  const edges = corners.map((corner) => {
    const [a, b] = [along(t[corner]), along(t[nextCorner(corner)])];
    return { corner, low: Math.min(a, b) - tolerance, high: Math.max(a, b) + tolerance };
  });
  const vertices = [...ends].sort((a, b) => along(a) - along(b));
  edges.sort((a, b) => a.low - b.low);
  const onEdge = new Map<number, { v: number; s: number }[]>();
  let from = 0;
  for (const { corner, low, high } of edges) {
    while (from < vertices.length && along(vertices[from]) < low) from++;
    const [a, b, apex] = [t[corner], t[nextCorner(corner)], t[lastCorner(corner)]];
    const edge = { a, b, tolerance };
    const list: { v: number; s: number }[] = [];
    for (let i = from; i < vertices.length && along(vertices[i]) <= high; i++) {
      const v = vertices[i];
      if (v === a || v === b || v === apex) continue;
      const s = shareAlong(p, edge, v);
      if (s !== null) list.push({ v, s });
    }
    if (list.length > 0) onEdge.set(corner, list);
  }
  return onEdge;
}

/** Where along an edge a vertex lies, between its ends; null when it lies farther off than the tolerance. */
function shareAlong(p: Float64Array, { a, b, tolerance }: { a: number; b: number; tolerance: number }, v: number): number | null {
  const dx = p[b * 3] - p[a * 3];
  const dy = p[b * 3 + 1] - p[a * 3 + 1];
  const dz = p[b * 3 + 2] - p[a * 3 + 2];
  const ex = p[v * 3] - p[a * 3];
  const ey = p[v * 3 + 1] - p[a * 3 + 1];
  const ez = p[v * 3 + 2] - p[a * 3 + 2];
  const s = (ex * dx + ey * dy + ez * dz) / (dx * dx + dy * dy + dz * dz);
  if (!(s > 0 && s < 1)) return null;
  const [x, y, z] = [ex - s * dx, ey - s * dy, ez - s * dz];
  return x * x + y * y + z * z > tolerance * tolerance ? null : s;
}

function keepRaw(t: Uint32Array, keep: (tri: number) => boolean): Uint32Array {
  const out = new Uint32Array(t.length);
  let at = 0;
  for (let i = 0; i < t.length / 3; i++) {
    if (!keep(i)) continue;
    out[at++] = t[i * 3];
    out[at++] = t[i * 3 + 1];
    out[at++] = t[i * 3 + 2];
  }
  return out.slice(0, at);
}

/** Makes neighbours run the same way round, shell by shell, going on from the largest agreeing part of each. */
export function agreeing(mesh: Mesh): { mesh: Mesh; flipped: number } {
  const t = mesh.triangles.slice();
  const edges = edgesOf(t, mesh.positions.length / 3);
  if (edges.flipped === 0) return { mesh, flipped: 0 };
  const { across } = edges;
  const count = t.length / 3;
  const state = new Int8Array(count);
  let flipped = 0;
  for (let first = 0; first < count; first++) {
    if (state[first] !== 0 || collapsed(t, first)) continue;
    const list = [first];
    state[first] = 1;
    let turned = 0;
    for (let at = 0; at < list.length; at++) {
      const tri = list[at];
      for (let k = 0; k < 3; k++) {
        const c = tri * 3 + k;
        const other = across[c];
        if (other < 0) continue;
        const next = Math.floor(other / 3);
        if (state[next] !== 0) continue;
        const disagree = mesh.triangles[other] === mesh.triangles[c];
        state[next] = disagree ? (-state[tri] as 1 | -1) : state[tri];
        if (state[next] < 0) turned++;
        list.push(next);
      }
    }
    // The lesser part is turned, so that what was mostly right stays.
    const sign = turned * 2 > list.length ? 1 : -1;
    for (const tri of list) {
      if (state[tri] !== sign) continue;
      const b = t[tri * 3 + 1];
      t[tri * 3 + 1] = t[tri * 3 + 2];
      t[tri * 3 + 2] = b;
      flipped++;
    }
  }
  return { mesh: { positions: mesh.positions, triangles: t }, flipped };
}

/** Turns the shells around that `which` picks. */
export function turnedAround(mesh: Mesh, which: (shell: number) => boolean): { mesh: Mesh; triangles: number } {
  const shells = shellsOf(mesh.triangles, mesh.positions.length / 3);
  const t = mesh.triangles.slice();
  let triangles = 0;
  shells.of.forEach((s, tri) => {
    if (s < 0 || !which(s)) return;
    const b = t[tri * 3 + 1];
    t[tri * 3 + 1] = t[tri * 3 + 2];
    t[tri * 3 + 2] = b;
    triangles++;
  });
  return { mesh: { positions: mesh.positions, triangles: t }, triangles };
}

/**
 * Parts triangles that meet at an edge in fours (or more) into pairs, each pair the two sides of one wedge of material, and
 * gives every fan of triangles its own vertex. Parted vertices move by `apart` (mm) into their own fan, so that a file
 * that knows places only keeps them apart.
 * Source: Gueziec, Taubin, Lazarus and Horn, Cutting and stitching, 2001.
 */
export function parted(mesh: Mesh, apart: number): { mesh: Mesh; edges: number; vertices: number } {
  const { positions: p, triangles: t } = mesh;
  const count = p.length / 3;
  const found = edgesOf(t, count);
  const across = found.across;
  if (found.nonManifold > 0) pairWedges(p, t, across, count);
  const { fan, pivotOf } = fansOf(t, across);
  const fans = new Uint32Array(count);
  for (const v of pivotOf) fans[v]++;
  let extra = 0;
  for (const n of fans) if (n > 1) extra += n - 1;
  if (extra === 0) return { mesh, edges: 0, vertices: 0 };
  const vertexOf = new Int32Array(pivotOf.length);
  const positions = new Float64Array((count + extra) * 3);
  positions.set(p);
  const used = new Uint8Array(count);
  /** The vertex of each fan that got one of its own. */
  const added = new Map<number, number>();
  pivotOf.forEach((v, id) => {
    vertexOf[id] = used[v] ? count + added.size : v;
    if (used[v]) {
      positions.set(p.subarray(v * 3, v * 3 + 3), vertexOf[id] * 3);
      added.set(id, vertexOf[id]);
    }
    used[v] = 1;
  });
  movedInward(mesh, positions, { fan, added }, apart);
  const triangles = t.slice();
  for (let c = 0; c < t.length; c++) if (fan[c] >= 0) triangles[c] = vertexOf[fan[c]];
  return { mesh: { positions, triangles }, edges: found.nonManifold, vertices: extra };
}

/** The fan of triangles that each corner belongs to, over edges with two triangles that agree, -1 for collapsed ones; and the vertex round which each fan lies. */
function fansOf(t: Uint32Array, across: Int32Array): { fan: Int32Array; pivotOf: number[] } {
  const fan = new Int32Array(t.length).fill(-1);
  const pivotOf: number[] = [];
  for (let c = 0; c < t.length; c++) {
    if (fan[c] >= 0 || collapsed(t, Math.floor(c / 3))) continue;
    const id = pivotOf.push(t[c]) - 1;
    const list = [c];
    fan[c] = id;
    for (let at = 0; at < list.length; at++) {
      for (const edge of [list[at], lastCorner(list[at])]) {
        const other = across[edge];
        if (other < 0) continue;
        const next = t[other] === t[c] ? other : nextCorner(other);
        if (t[next] === t[c] && fan[next] < 0) {
          fan[next] = id;
          list.push(next);
        }
      }
    }
  }
  return { fan, pivotOf };
}

/** Moves the vertices of fans by `apart` (mm) towards the middle of what is round them in their fan; those that have less room stay. */
function movedInward(
  { positions: p, triangles: t }: Mesh,
  positions: Float64Array,
  fans: { fan: Int32Array; added: Map<number, number> },
  apart: number,
): void {
  const inward = new Map<number, number[]>();
  for (const id of fans.added.keys()) inward.set(id, [0, 0, 0, 0]);
  for (let c = 0; c < t.length; c++) {
    const sum = inward.get(fans.fan[c]);
    if (!sum) continue;
    for (const o of [t[nextCorner(c)], t[lastCorner(c)]]) {
      for (let k = 0; k < 3; k++) sum[k] += p[o * 3 + k];
      sum[3]++;
    }
  }
  for (const [id, sum] of inward) {
    const at = fans.added.get(id)! * 3;
    const d = [0, 1, 2].map((k) => sum[k] / sum[3] - positions[at + k]);
    const length = Math.hypot(...d);
    if (length > apart) for (let k = 0; k < 3; k++) positions[at + k] += (apart * d[k]) / length;
  }
}

/** Where more than two triangles meet at an edge: sorted by angle around it, each forward one paired with the next backward one. */
function pairWedges(p: Float64Array, t: Uint32Array, across: Int32Array, vertices: number): void {
  const groups = new Map<number, number[]>();
  for (let c = 0; c < t.length; c++) {
    if (across[c] !== manyEdge) continue;
    const v = t[c];
    const w = t[nextCorner(c)];
    const key = Math.min(v, w) * vertices + Math.max(v, w);
    const list = groups.get(key);
    if (list) list.push(c);
    else groups.set(key, [c]);
  }
  for (const [key, list] of groups) {
    const low = Math.floor(key / vertices);
    const high = key % vertices;
    const axis = [0, 1, 2].map((k) => p[high * 3 + k] - p[low * 3 + k]);
    const length = Math.hypot(...axis) || 1;
    const w = axis.map((a) => a / length);
    const away = (c: number) => {
      const apex = t[lastCorner(c)];
      const d = [0, 1, 2].map((k) => p[apex * 3 + k] - p[low * 3 + k]);
      const along = d[0] * w[0] + d[1] * w[1] + d[2] * w[2];
      return d.map((x, k) => x - along * w[k]);
    };
    const u0 = away(list[0]);
    const n0 = Math.hypot(...u0) || 1;
    const u = u0.map((x) => x / n0);
    const v = cross(w, u);
    const sorted = list
      .map((c) => {
        const d = away(c);
        return { c, angle: Math.atan2(d[0] * v[0] + d[1] * v[1] + d[2] * v[2], d[0] * u[0] + d[1] * u[1] + d[2] * u[2]), forward: t[c] === low };
      })
      .sort((a, b) => a.angle - b.angle);
    // Turning about the axis, material lies before a triangle that runs forward and after one that runs backward.
    const free = [...sorted];
    for (let guard = 0; guard < sorted.length && free.length > 1; guard++) {
      const i = free.findIndex((e, k) => !e.forward && free[(k + 1) % free.length].forward);
      if (i < 0) break;
      const j = (i + 1) % free.length;
      across[free[i].c] = free[j].c;
      across[free[j].c] = free[i].c;
      const [hi, lo] = i > j ? [i, j] : [j, i];
      free.splice(hi, 1);
      free.splice(lo, 1);
    }
    for (const e of free) across[e.c] = openEdge;
  }
}

/** Edges of a mesh, for those who only want the counts. */
export function edgeCounts(mesh: Mesh): Edges {
  return edgesOf(mesh.triangles, mesh.positions.length / 3);
}
