import { Unusable } from '../base/finding.ts';
import { edgesOf, lastCorner, nextCorner, openEdge } from '../geometry/edges.ts';
import { crossOfTriangle } from '../geometry/flat-regions.ts';
import { boxOf, diagonalOf } from '../geometry/box.ts';
import type { Mesh } from '../geometry/mesh.ts';
import { add, cross, distance, dot, lengthOf, scaled, sub, unit, type Vec3 } from '../geometry/vector.ts';
import type { CutLine, Division } from './choice.ts';
import { facesRound, type ExactSnap } from './exact.ts';

/** A surface that may be cut along some of its edges: keys of those (see `edgeKey`). */
export interface CutMesh {
  mesh: Mesh;
  face: Int32Array;
  cut: Set<number>;
}

/** Vertices are numbered below this, so that two of them make one number. */
const keyed = 2 ** 26;
/** One number for an edge between two vertices, whichever comes first. It stays the same while vertices are added. */
export const edgeKey = (a: number, b: number): number => (a < b ? a * keyed + b : b * keyed + a);
export const endsOfKey = (key: number): [number, number] => [Math.floor(key / keyed), key % keyed];

/** Points nearer to a plane than this share of the surface's diagonal lie on it. */
const onPlane = 1e-9;
/** Points nearer to a plane than this share of their shortest edge are moved onto it, so that no needles come of it. */
const nearPlane = 0.25;

const at = (p: ArrayLike<number>, v: number): Vec3 => [p[v * 3], p[v * 3 + 1], p[v * 3 + 2]];

/** A plane that is put through a surface, with what may not be moved onto it, and the exact faces where there are such. */
interface Through {
  at: Vec3;
  normal: Vec3;
  held: Set<number>;
  snap: ExactSnap | null;
}

/**
 * Puts edges where a plane goes through the surface: its triangles are parted there. Points that nearly lie on it are moved onto it along an
 * edge, unless they lie on a border, an edge between faces, a cut, or a plane that was put through before.
 * @returns also the vertices that lie on the plane
 */
function parted(it: CutMesh, plane: Through): CutMesh & { on: Set<number> } {
  const work = new Parting(it, plane);
  work.moveNearPoints();
  return work.parted();
}

/** Triangles of one surface being parted by a plane. */
class Parting {
  private readonly it: CutMesh;
  private readonly plane: Through;
  private readonly p: number[];
  /** How far each point lies off the plane. */
  private readonly d: Float64Array;
  private readonly across: Int32Array;
  private readonly middle = new Map<number, number>();
  private readonly cut: Set<number>;
  private readonly triangles: number[] = [];
  private readonly face: number[] = [];

  constructor(it: CutMesh, plane: Through) {
    this.it = it;
    this.plane = plane;
    this.p = Array.from(it.mesh.positions);
    this.cut = new Set(it.cut);
    const n = this.p.length / 3;
    const near = onPlane * diagonalOf(boxOf(it.mesh.positions));
    this.d = Float64Array.from({ length: n }, (_, v) => {
      const off = dot(sub(at(this.p, v), plane.at), plane.normal);
      return Math.abs(off) <= near ? 0 : off;
    });
    this.across = edgesOf(it.mesh.triangles, n).across;
    for (const key of it.cut) for (const v of endsOfKey(key)) plane.held.add(v);
  }

  /** For each point the neighbour farthest off on the other side, and its shortest edge. */
  private neighbours(): Map<number, { to: number; shortest: number }> {
    const { d, p } = this;
    const t = this.it.mesh.triangles;
    const found = new Map<number, { to: number; shortest: number }>();
    const see = (a: number, b: number) => {
      const known = found.get(a) ?? { to: -1, shortest: Infinity };
      known.shortest = Math.min(known.shortest, distance(at(p, a), at(p, b)));
      if (d[a] * d[b] < 0 && (known.to < 0 || Math.abs(d[b]) > Math.abs(d[known.to]))) known.to = b;
      found.set(a, known);
    };
    for (let c = 0; c < t.length; c++) {
      see(t[c], t[nextCorner(c)]);
      see(t[nextCorner(c)], t[c]);
    }
    return found;
  }

  /** Moves points that nearly lie on the plane onto it, so that no needles come of it. */
  moveNearPoints(): void {
    const { p, d, plane } = this;
    const { faces, rim } = facesRound(this.it.mesh, this.it.face);
    const start = p.slice();
    for (const [v, { to, shortest }] of this.neighbours()) {
      if (to < 0 || rim[v] || faces[v].length > 1 || plane.held.has(v) || Math.abs(d[v]) > nearPlane * shortest) continue;
      const share = d[v] / (d[v] - d[to]);
      if (share > 0.4) continue;
      const place = [0, 1, 2].map((k) => start[v * 3 + k] + share * (start[to * 3 + k] - start[v * 3 + k])) as Vec3;
      const own = plane.snap ? plane.snap.toFace(faces[v][0], place) : place;
      for (let k = 0; k < 3; k++) p[v * 3 + k] = own[k];
      d[v] = 0;
    }
  }

  /** The point where an edge goes through the plane: a new one, or the one that its other triangle made. */
  private cutOf(c: number): number {
    const { p, d } = this;
    const t = this.it.mesh.triangles;
    const [a, b] = [t[c], t[nextCorner(c)]];
    const key = edgeKey(a, b);
    const known = this.middle.get(key);
    if (known !== undefined) return known;
    const [from, to] = [at(p, a), at(p, b)];
    p.push(...this.onFace(c, { a: from, b: to }, add(from, scaled(sub(to, from), d[a] / (d[a] - d[b])))));
    const v = p.length / 3 - 1;
    this.middle.set(key, v);
    if (this.cut.delete(key)) this.cut.add(edgeKey(a, v)).add(edgeKey(v, b));
    return v;
  }

  /** A point of an edge, on the exact edge or face that it belongs to. */
  private onFace(c: number, ends: { a: Vec3; b: Vec3 }, place: Vec3): Vec3 {
    const { snap } = this.plane;
    if (!snap) return place;
    const own = this.it.face[(c / 3) | 0];
    const other = this.across[c] < 0 ? -1 : this.it.face[(this.across[c] / 3) | 0];
    if (other === own) return snap.toFace(own, place);
    return snap.between(other < 0 ? [own] : [own, other].sort((x, y) => x - y), ends, place) ?? place;
  }

  private put(face: number, ...v: number[]): void {
    this.triangles.push(...v);
    for (let k = 0; k < v.length; k += 3) this.face.push(face);
  }

  private partTriangle(k: number): void {
    const { d, p } = this;
    const t = this.it.mesh.triangles;
    const face = this.it.face[k / 3];
    const corners = [k, k + 1, k + 2].filter((c) => d[t[c]] * d[t[nextCorner(c)]] < 0);
    if (corners.length === 0) return this.put(face, t[k], t[k + 1], t[k + 2]);
    if (corners.length === 1) {
      const [c] = corners;
      const v = this.cutOf(c);
      return this.put(face, t[c], v, t[lastCorner(c)], v, t[nextCorner(c)], t[lastCorner(c)]);
    }
    // Two edges are cut: one corner lies alone, and the shorter diagonal parts what is left.
    const lone = [k, k + 1, k + 2].find((c) => !corners.includes(nextCorner(c)))!;
    const [a, b, c] = [t[lone], t[nextCorner(lone)], t[lastCorner(lone)]];
    const [v, w] = [this.cutOf(lone), this.cutOf(lastCorner(lone))];
    if (distance(at(p, v), at(p, c)) < distance(at(p, b), at(p, w))) this.put(face, a, v, w, v, b, c, v, c, w);
    else this.put(face, a, v, w, v, b, w, w, b, c);
  }

  parted(): CutMesh & { on: Set<number> } {
    for (let k = 0; k < this.it.mesh.triangles.length; k += 3) this.partTriangle(k);
    const on = new Set(this.middle.values());
    for (let v = 0; v < this.d.length; v++) if (this.d[v] === 0) on.add(v);
    for (const v of on) this.plane.held.add(v);
    const mesh = { positions: Float64Array.from(this.p), triangles: Uint32Array.from(this.triangles) };
    return { mesh, face: Int32Array.from(this.face), cut: this.cut, on };
  }
}

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
      const along = d + distance(at(p, v), at(p, w));
      if (along >= far[w]) continue;
      far[w] = along;
      before[w] = v;
      heap.put(w, along);
    }
  }
  return { far, before };
}

/** A heap of vertices by their distance. */
class Heap {
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
  const off = (v: number) => lengthOf(cross(sub(at(p, v), middle), along));
  let deepest = 0;
  let near = 0;
  for (let v = 0; v < far.length; v++) {
    if (far[v] === Infinity) continue;
    if (far[v] > far[deepest]) deepest = v;
    if (off(v) < off(near)) near = v;
  }
  return { at: far[near] >= deepEnough * far[deepest] ? middle : at(p, deepest), along };
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
    for (const normal of normals.values()) now = parted(now, { at: axis.at, normal, held, snap });
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
      const s = dot(at(it.mesh.positions, v), way);
      low = Math.min(low, s);
      high = Math.max(high, s);
    }
    const step = (high - low) / how.count;
    for (let k = 1; k < how.count; k++) now = parted(now, { at: scaled(way, low + k * step), normal: way, held, snap });
    pieceOf = (p) => Math.min(how.count - 1, Math.max(0, Math.floor((dot(p, way) - low) / step)));
  }
  return { mesh: now.mesh, face: now.face, cut: between(now.mesh, pieceOf) };
}

/** Edges whose two triangles belong to different pieces, by their middles. */
function between({ positions: p, triangles: t }: Mesh, pieceOf: (p: Vec3) => number): Set<number> {
  const n = p.length / 3;
  const piece = new Int32Array(t.length / 3);
  for (let k = 0; k < piece.length; k++) piece[k] = pieceOf(scaled(add(add(at(p, t[k * 3]), at(p, t[k * 3 + 1])), at(p, t[k * 3 + 2])), 1 / 3));
  const { across } = edgesOf(t, n);
  const cut = new Set<number>();
  for (let c = 0; c < t.length; c++) {
    if (across[c] > c && piece[(c / 3) | 0] !== piece[(across[c] / 3) | 0]) cut.add(edgeKey(t[c], t[nextCorner(c)]));
  }
  return cut;
}

/** The vertex nearest to a place. */
export function vertexNear({ positions: p }: Mesh, place: Vec3): number {
  let best = 0;
  for (let v = 1; v < p.length / 3; v++) if (distance(at(p, v), place) < distance(at(p, best), place)) best = v;
  return best;
}

/** Where a cut may end: on the border, or on another cut. */
function endVertices({ mesh, cut }: CutMesh): Set<number> {
  const out = rimVertices(mesh);
  for (const key of cut) for (const v of endsOfKey(key)) out.add(v);
  return out;
}

/** The mean normal of the triangles at a vertex. */
function normalAt(mesh: Mesh, v: number): Vec3 {
  let sum: Vec3 = [0, 0, 0];
  for (let c = 0; c < mesh.triangles.length; c++) if (mesh.triangles[c] === v) sum = add(sum, crossOfTriangle(mesh, (c / 3) | 0));
  return lengthOf(sum) > 0 ? unit(sum) : [0, 0, 1];
}

/**
 * Cuts from a place to another, or to the nearest border or cut: straight, where the plane that stands on the surface through both ends goes
 * through it; along edges where that leads nowhere.
 * @param ruling the way of the surface's straight lines, which the cut follows
 * @returns the surface with the cut, where it begins and ends, and how long it is, mm
 */
export function cutAlong(
  it: CutMesh,
  line: CutLine,
  snap: ExactSnap | null,
  ruling: Vec3 | null = null,
): { cut: CutMesh; from: Vec3; to: Vec3; length: number } {
  const from = vertexNear(it.mesh, line.from);
  const ends = line.to === null ? endVertices(it) : new Set([vertexNear(it.mesh, line.to)]);
  ends.delete(from);
  if (ends.size === 0) throw new Unusable('no-border', 'The surface has no border that a cut could run to.', 'Name where the cut ends, too.');
  const { far, before } = farFrom(it.mesh, ends);
  if (!(far[from] < Infinity))
    throw new Unusable('no-way', 'No way along the surface leads from one end of the cut to the other.', 'Pick two places on one piece.');
  const along = [from];
  for (let v = from; before[v] >= 0; v = before[v]) along.push(before[v]);
  const end = along[along.length - 1];
  const [a, b] = [at(it.mesh.positions, from), at(it.mesh.positions, end)];
  const normal = ruling ? cross(ruling, normalAt(it.mesh, from)) : cross(sub(b, a), add(normalAt(it.mesh, from), normalAt(it.mesh, end)));
  const way = { from, end: line.to === null || ruling ? null : end, near: b };
  const straight = lengthOf(normal) > 1e-6 * (ruling ? 1 : distance(a, b)) ? straightCut(it, { at: a, normal: unit(normal), snap }, way) : null;
  if (straight && straight.length <= far[from] * (ruling ? 2 : 1.2)) return { ...straight, from: a };
  const cut = new Set(it.cut);
  for (let i = 0; i + 1 < along.length; i++) cut.add(edgeKey(along[i], along[i + 1]));
  return { cut: { ...it, cut }, from: a, to: b, length: far[from] };
}

/** The cut along a plane from a vertex to the end that lies nearest to a place; null when none is reached. @param way its begin, its end when that is given, and near which place it is to end */
function straightCut(it: CutMesh, plane: Omit<Through, 'held'>, { from, end, near }: { from: number; end: number | null; near: Vec3 }) {
  const fixed = end === null ? [from] : [from, end];
  const made = parted(it, { ...plane, held: new Set(fixed) });
  for (const v of fixed) made.on.add(v);
  const ends = end === null ? endVertices(made) : new Set([end]);
  ends.delete(from);
  const { far, before } = farFrom(made.mesh, [from], made.on);
  const off = (v: number) => distance(at(made.mesh.positions, v), near);
  let best = -1;
  for (const v of ends) if (far[v] < Infinity && (best < 0 || off(v) < off(best))) best = v;
  if (best < 0) return null;
  const cut = new Set(made.cut);
  for (let v = best; before[v] >= 0; v = before[v]) cut.add(edgeKey(v, before[v]));
  return { cut: { mesh: made.mesh, face: made.face, cut }, to: at(made.mesh.positions, best), length: far[best] };
}
