import { Unusable } from '../base/finding.ts';
import { edgesOf, lastCorner, nextCorner, openEdge } from '../geometry/edges.ts';
import { crossOfTriangle } from '../geometry/triangle.ts';
import type { Mesh } from '../geometry/mesh.ts';
import { add, cross, distance, dot, lengthOf, placeAt, scaled, sub, unit, type Vec3 } from '../geometry/vector.ts';
import type { Division } from './choice.ts';
import type { ExactSnap } from './exact.ts';
import { edgeKey, offPlane, parted, type CutMesh } from './parting.ts';

/** The mean normal of a surface, weighted by area. */
function meanNormal(mesh: Mesh): Vec3 {
  let sum: Vec3 = [0, 0, 0];
  for (let t = 0; t < mesh.triangles.length / 3; t++) sum = add(sum, crossOfTriangle(mesh, t));
  return sum;
}

/** How far each vertex lies from the nearest of some others along edges; Infinity where no way leads, and from where the way comes. @param only ways over these vertices */
export function farFrom(mesh: Mesh, from: Iterable<number>, only: ReadonlySet<number> | null = null): { far: Float64Array; before: Int32Array } {
  const { positions: p, triangles: t } = mesh;
  const n = p.length / 3;
  const starts = new Int32Array(n + 1);
  for (const v of t) starts[v + 1] += 2;
  for (let v = 0; v < n; v++) starts[v + 1] += starts[v];
  const next = starts.slice();
  const others = new Int32Array(t.length * 2);
  for (let c = 0; c < t.length; c++) {
    others[next[t[c]]++] = t[nextCorner(c)];
    others[next[t[c]]++] = t[lastCorner(c)];
  }
  const far = new Float64Array(n).fill(Infinity);
  const before = new Int32Array(n).fill(-1);
  const heap = new Heap();
  for (const v of from) {
    far[v] = 0;
    heap.put(v, 0);
  }
  for (let top = heap.take(); top; top = heap.take()) {
    const [v, d] = top;
    if (d > far[v]) continue;
    for (let k = starts[v]; k < starts[v + 1]; k++) {
      const w = others[k];
      if (only && !only.has(w)) continue;
      const along = d + distance(placeAt(p, v), placeAt(p, w));
      if (along >= far[w]) continue;
      far[w] = along;
      before[w] = v;
      heap.put(w, along);
    }
  }
  return { far, before };
}

/** A heap of vertices by their distance. */
export class Heap {
  private readonly items: [number, number][] = [];
  put(v: number, d: number): void {
    const { items } = this;
    let i = items.push([v, d]) - 1;
    while (i > 0 && items[(i - 1) >> 1][1] > d) {
      items[i] = items[(i - 1) >> 1];
      i = (i - 1) >> 1;
    }
    items[i] = [v, d];
  }
  take(): [number, number] | null {
    const { items } = this;
    if (items.length === 0) return null;
    const top = items[0];
    const last = items.pop()!;
    if (items.length === 0) return top;
    let i = 0;
    for (;;) {
      let child = 2 * i + 1;
      if (child >= items.length) break;
      if (child + 1 < items.length && items[child + 1][1] < items[child][1]) child++;
      if (items[child][1] >= last[1]) break;
      items[i] = items[child];
      i = child;
    }
    items[i] = last;
    return top;
  }
}

/** Vertices on the border of a surface. */
export function rimVertices({ triangles, positions }: Mesh): Set<number> {
  const { across } = edgesOf(triangles, positions.length / 3);
  const out = new Set<number>();
  for (let c = 0; c < triangles.length; c++) if (across[c] === openEdge) out.add(triangles[c]).add(triangles[nextCorner(c)]);
  return out;
}

/** An axis through the surface's middle must meet it at least so deep inside, as a share of its deepest point. */
const deepEnough = 0.4;

/**
 * The axis of gores when none is given: along the mean normal, through the middle of the surface, where that lies well inside; else through its
 * deepest point. Of a closed surface through its middle, along its longest way.
 */
export function usualAxis(mesh: Mesh): { at: Vec3; along: Vec3 } {
  const rim = rimVertices(mesh);
  const p = mesh.positions;
  const normal = meanNormal(mesh);
  const middle = middleOfArea(mesh);
  if (rim.size === 0 || !(lengthOf(normal) > 0)) return { at: middle, along: longestWay(mesh) };
  const along = unit(normal);
  const { far } = farFrom(mesh, rim);
  const off = (v: number) => lengthOf(cross(sub(placeAt(p, v), middle), along));
  let deepest = 0;
  let near = 0;
  for (let v = 0; v < far.length; v++) {
    if (far[v] === Infinity) continue;
    if (far[v] > far[deepest]) deepest = v;
    if (off(v) < off(near)) near = v;
  }
  return { at: far[near] >= deepEnough * far[deepest] ? middle : placeAt(p, deepest), along };
}

/** The middle of a surface by its area. */
function middleOfArea(mesh: Mesh): Vec3 {
  const sum: Vec3 = [0, 0, 0];
  let area = 0;
  for (let t = 0; t < mesh.triangles.length / 3; t++) {
    const own = lengthOf(crossOfTriangle(mesh, t));
    area += own;
    for (let i = 0; i < 3; i++) for (let d = 0; d < 3; d++) sum[d] += (own * mesh.positions[mesh.triangles[t * 3 + i] * 3 + d]) / 3;
  }
  return scaled(sum, 1 / area);
}

/** The axis of X, Y and Z along which a surface is longest. */
function longestWay({ positions: p }: Mesh): Vec3 {
  const low = [Infinity, Infinity, Infinity];
  const high = [-Infinity, -Infinity, -Infinity];
  for (let i = 0; i < p.length; i++) {
    low[i % 3] = Math.min(low[i % 3], p[i]);
    high[i % 3] = Math.max(high[i % 3], p[i]);
  }
  const size = [0, 1, 2].map((k) => high[k] - low[k]);
  const k = size.indexOf(Math.max(...size));
  return [0, 1, 2].map((i) => (i === k ? 1 : 0)) as Vec3;
}

/**
 * Cuts a surface into gores or panels: edges are put where planes go through it, and those between two pieces are cut.
 * @throws Unusable when the planes part nothing
 */
export function divided(it: { mesh: Mesh; face: Int32Array }, how: Division, snap: ExactSnap | null): CutMesh {
  if (how.by === 'none') return { ...it, cut: new Set() };
  let now: CutMesh = { ...it, cut: new Set() };
  const held = new Set<number>();
  let pieceOf: (p: Vec3) => number;
  if (how.by === 'gores') {
    const axis = how.axis ?? usualAxis(it.mesh);
    if (!(lengthOf(axis.along) > 0)) throw new Unusable('no-axis', 'The axis of the gores has no direction.', 'Type one, as in 0,0,1.');
    const z = unit(axis.along);
    const x = unit(cross(z, Math.abs(z[0]) < 0.9 ? [1, 0, 0] : [0, 1, 0]));
    const y = cross(z, x);
    const normals = new Map<string, Vec3>();
    for (let k = 0; k < how.count; k++) {
      const a = (2 * Math.PI * k) / how.count;
      const normal = add(scaled(x, -Math.sin(a)), scaled(y, Math.cos(a)));
      // Half planes that lie opposite are one plane.
      const same = (((2 * k) / how.count) % 1).toFixed(9);
      if (!normals.has(same)) normals.set(same, normal);
    }
    for (const normal of normals.values()) now = parted(now, { off: offPlane(axis.at, normal), held, snap });
    pieceOf = (p) => {
      const r = sub(p, axis.at);
      const turn = Math.atan2(dot(r, y), dot(r, x)) / (2 * Math.PI);
      return Math.floor((turn - Math.floor(turn)) * how.count) % how.count;
    };
  } else {
    const way = unit(how.across ?? longestWay(it.mesh));
    if (!(lengthOf(way) > 0)) throw new Unusable('no-direction', 'The direction across the panels has no length.', 'Type one, as in 1,0,0.');
    let [low, high] = [Infinity, -Infinity];
    for (let v = 0; v < it.mesh.positions.length / 3; v++) {
      const s = dot(placeAt(it.mesh.positions, v), way);
      low = Math.min(low, s);
      high = Math.max(high, s);
    }
    const step = (high - low) / how.count;
    for (let k = 1; k < how.count; k++) now = parted(now, { off: offPlane(scaled(way, low + k * step), way), held, snap });
    pieceOf = (p) => Math.min(how.count - 1, Math.max(0, Math.floor((dot(p, way) - low) / step)));
  }
  return { mesh: now.mesh, face: now.face, cut: between(now.mesh, pieceOf) };
}

/** Edges whose two triangles belong to different pieces, by their middles. */
function between({ positions: p, triangles: t }: Mesh, pieceOf: (p: Vec3) => number): Set<number> {
  const n = p.length / 3;
  const piece = new Int32Array(t.length / 3);
  for (let k = 0; k < piece.length; k++) piece[k] = pieceOf(scaled(add(add(placeAt(p, t[k * 3]), placeAt(p, t[k * 3 + 1])), placeAt(p, t[k * 3 + 2])), 1 / 3));
  const { across } = edgesOf(t, n);
  const cut = new Set<number>();
  for (let c = 0; c < t.length; c++) {
    if (across[c] > c && piece[(c / 3) | 0] !== piece[(across[c] / 3) | 0]) cut.add(edgeKey(t[c], t[nextCorner(c)]));
  }
  return cut;
}
