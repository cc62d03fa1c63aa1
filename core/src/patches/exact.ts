import type { Mesh } from '../geometry/mesh.ts';
import { edgesOf, nextCorner, openEdge } from '../geometry/edges.ts';
import { distance, dot, sub, type Vec3 } from '../geometry/vector.ts';
import type { ExactEdge, ExactSolid } from '../surfaces/brep-text.ts';
import { curveAt } from '../surfaces/curves.ts';
import { Nearest } from '../surfaces/nearest.ts';

/** Points along an edge from which its nearest one is looked for. */
const probes = 48;

/** Brings points of facets onto the exact faces and edges that they stand for: the kernel's facets have single precision only. */
export class ExactSnap {
  private readonly exact: ExactSolid;
  private readonly nearest = new Map<number, Nearest>();
  private readonly points = new Map<number, Vec3[]>();
  private readonly byFace: Map<number, ExactEdge>[];

  constructor(exact: ExactSolid) {
    this.exact = exact;
    this.byFace = exact.faces.map((f) => new Map(f.edges.filter((e) => e.curve !== null).map((e) => [e.id, e])));
  }

  /** The nearest point of a face's surface. */
  toFace(face: number, p: Vec3): Vec3 {
    const f = this.exact.faces[face];
    let near = this.nearest.get(face);
    if (!near) this.nearest.set(face, (near = new Nearest(f.surface, f.edges)));
    const d = near.find(p[0], p[1], p[2]);
    return Number.isFinite(d) ? [near.x, near.y, near.z] : p;
  }

  /** The nearest point of the edges that these faces share; of a single face: of all its edges. */
  toEdge(faces: readonly number[], p: Vec3): Vec3 {
    const [first, ...others] = faces;
    const shared = [...this.byFace[first].values()].filter((e) => others.every((f) => this.byFace[f].has(e.id)));
    const all = shared.length > 0 ? shared : faces.flatMap((f) => [...this.byFace[f].values()]);
    let best = p;
    let least = Infinity;
    for (const edge of all) {
      const q = this.onEdge(edge, p);
      const d = distance(p, q);
      if (d < least) {
        least = d;
        best = q;
      }
    }
    return best;
  }

  private onEdge(edge: ExactEdge, p: Vec3): Vec3 {
    const { curve, from, to, id } = edge;
    let points = this.points.get(id);
    if (!points) this.points.set(id, (points = Array.from({ length: probes + 1 }, (_, i) => curveAt(curve!, from + ((to - from) * i) / probes).at)));
    let k = 0;
    for (let i = 1; i <= probes; i++) if (distance(points[i], p) < distance(points[k], p)) k = i;
    let u = from + ((to - from) * k) / probes;
    const [low, high] = from < to ? [from, to] : [to, from];
    for (let i = 0; i < 30; i++) {
      const { at, d1, d2 } = curveAt(curve!, u);
      const off = sub(at, p);
      const slope = dot(off, d1);
      const bend = dot(d1, d1) + dot(off, d2);
      const step = slope / (bend > 0.1 * dot(d1, d1) ? bend : dot(d1, d1));
      const next = Math.min(high, Math.max(low, u - step));
      if (Math.abs(next - u) <= 1e-15 * (1 + Math.abs(u))) break;
      u = next;
    }
    return curveAt(curve!, u).at;
  }
}

/** The faces round each vertex, each once, in order; and whether an edge of one triangle ends there. */
export function facesRound({ positions, triangles }: Mesh, face: Int32Array): { faces: number[][]; rim: Uint8Array } {
  const n = positions.length / 3;
  const faces: number[][] = Array.from({ length: n }, () => []);
  const rim = new Uint8Array(n);
  const { across } = edgesOf(triangles, n);
  for (let c = 0; c < triangles.length; c++) {
    const own = face[(c / 3) | 0];
    const list = faces[triangles[c]];
    if (!list.includes(own)) list.push(own);
    if (across[c] === openEdge) {
      rim[triangles[c]] = 1;
      rim[triangles[nextCorner(c)]] = 1;
    }
  }
  for (const list of faces) list.sort((a, b) => a - b);
  return { faces, rim };
}

/** All vertices brought onto their faces and edges, in place. */
export function snapped(mesh: Mesh, face: Int32Array, snap: ExactSnap): void {
  const { faces, rim } = facesRound(mesh, face);
  const p = mesh.positions;
  for (let v = 0; v < faces.length; v++) {
    if (faces[v].length === 0) continue;
    const at: Vec3 = [p[v * 3], p[v * 3 + 1], p[v * 3 + 2]];
    p.set(faces[v].length > 1 || rim[v] ? snap.toEdge(faces[v], at) : snap.toFace(faces[v][0], at), v * 3);
  }
}
