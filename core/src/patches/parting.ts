import { edgesOf, lastCorner, nextCorner } from '../geometry/edges.ts';
import { boxOf, diagonalOf } from '../geometry/box.ts';
import type { Mesh } from '../geometry/mesh.ts';
import { add, distance, placeAt, scaled, sub, type Vec3 } from '../geometry/vector.ts';
import { facesRound, type ExactSnap } from './exact.ts';

/** A surface that may be cut along some of its edges: keys of those (see `edgeKey`). */
export interface CutMesh {
  mesh: Mesh;
  face: Int32Array;
  cut: Set<number>;
  /** Other sets of edges that are parted where the surface is, and whose points are held; absent: none. */
  also?: Set<number>[];
}

/** Vertices are numbered below this, so that two of them make one number. */
const keyed = 2 ** 26;
/** One number for an edge between two vertices, whichever comes first. It stays the same while vertices are added. */
export const edgeKey = (a: number, b: number): number => (a < b ? a * keyed + b : b * keyed + a);
export const endsOfKey = (key: number): [number, number] => [Math.floor(key / keyed), key % keyed];

/** The sets of edges of a surface, as own sets that may be changed. */
export const ownSets = ({ cut, also }: CutMesh): Pick<CutMesh, 'cut' | 'also'> => ({
  cut: new Set(cut),
  ...(also ? { also: also.map((s) => new Set(s)) } : {}),
});

/** Parts an edge between a and b at a new vertex, in each set that has it. */
export function partEdge({ cut, also = [] }: Pick<CutMesh, 'cut' | 'also'>, [a, b]: readonly [number, number], v: number): void {
  for (const set of [cut, ...also]) if (set.delete(edgeKey(a, b))) set.add(edgeKey(a, v)).add(edgeKey(v, b));
}

/** Edges of all sets of a surface. */
export const heldKeys = ({ cut, also = [] }: Pick<CutMesh, 'cut' | 'also'>): number[] => [cut, ...also].flatMap((set) => [...set]);

/** Points nearer to a plane than this share of the surface's diagonal lie on it. */
const onPlane = 1e-9;
/** Points nearer to a plane than this share of their shortest edge are moved onto it, so that no needles come of it. */
const nearPlane = 0.25;

/** Where a surface is parted: at a plane, or where any other measure of places is 0; with what may not be moved onto it, and the exact faces where there are such. */
export interface Through {
  /** How far a place lies to one side, mm. */
  off: (p: Vec3) => number;
  held: Set<number>;
  snap: ExactSnap | null;
  /** Only these edges (see `edgeKey`) are parted, and only these points moved; null: all. */
  only?: { edges: ReadonlySet<number>; points: ReadonlySet<number> } | null;
}

/** How far places lie off a plane. @param normal of length 1 */
export const offPlane =
  (through: Vec3, normal: Vec3) =>
  (p: Vec3): number =>
    (p[0] - through[0]) * normal[0] + (p[1] - through[1]) * normal[1] + (p[2] - through[2]) * normal[2];

/**
 * Puts edges where a plane goes through the surface: its triangles are parted there. Points that nearly lie on it are moved onto it along an
 * edge, unless they lie on a border, an edge between faces, a cut, or a plane that was put through before.
 * @returns also the vertices that lie on the plane
 */
export function parted(it: CutMesh, plane: Through): CutMesh & { on: Set<number> } {
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
  private readonly sets: Pick<CutMesh, 'cut' | 'also'>;
  private readonly triangles: number[] = [];
  private readonly face: number[] = [];

  constructor(it: CutMesh, plane: Through) {
    this.it = it;
    this.plane = plane;
    this.p = Array.from(it.mesh.positions);
    this.sets = ownSets(it);
    const n = this.p.length / 3;
    const near = onPlane * diagonalOf(boxOf(it.mesh.positions));
    this.d = Float64Array.from({ length: n }, (_, v) => {
      const off = plane.off(placeAt(this.p, v));
      return Math.abs(off) <= near ? 0 : off;
    });
    this.across = edgesOf(it.mesh.triangles, n).across;
    for (const key of heldKeys(it)) for (const v of endsOfKey(key)) plane.held.add(v);
  }

  /** For each point the neighbour farthest off on the other side, and its shortest edge. */
  private neighbours(): Map<number, { to: number; shortest: number }> {
    const { d, p } = this;
    const t = this.it.mesh.triangles;
    const found = new Map<number, { to: number; shortest: number }>();
    const see = (a: number, b: number) => {
      const known = found.get(a) ?? { to: -1, shortest: Infinity };
      known.shortest = Math.min(known.shortest, distance(placeAt(p, a), placeAt(p, b)));
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
      if (to < 0 || (plane.only && !plane.only.points.has(v)) || rim[v] || faces[v].length > 1 || plane.held.has(v) || Math.abs(d[v]) > nearPlane * shortest)
        continue;
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
    const [from, to] = [placeAt(p, a), placeAt(p, b)];
    p.push(...this.onFace(c, { a: from, b: to }, add(from, scaled(sub(to, from), d[a] / (d[a] - d[b])))));
    const v = p.length / 3 - 1;
    this.middle.set(key, v);
    partEdge(this.sets, [a, b], v);
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
    const only = this.plane.only?.edges;
    const corners = [k, k + 1, k + 2].filter((c) => d[t[c]] * d[t[nextCorner(c)]] < 0 && (!only || only.has(edgeKey(t[c], t[nextCorner(c)]))));
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
    if (distance(placeAt(p, v), placeAt(p, c)) < distance(placeAt(p, b), placeAt(p, w))) this.put(face, a, v, w, v, b, c, v, c, w);
    else this.put(face, a, v, w, v, b, w, w, b, c);
  }

  parted(): CutMesh & { on: Set<number> } {
    for (let k = 0; k < this.it.mesh.triangles.length; k += 3) this.partTriangle(k);
    const on = new Set(this.middle.values());
    for (let v = 0; v < this.d.length; v++) if (this.d[v] === 0) on.add(v);
    for (const v of on) this.plane.held.add(v);
    const mesh = { positions: Float64Array.from(this.p), triangles: Uint32Array.from(this.triangles) };
    return { mesh, face: Int32Array.from(this.face), ...this.sets, on };
  }
}
