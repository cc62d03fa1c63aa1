import type { Mesh } from '../geometry/mesh.ts';
import { edgesOf, nextCorner, openEdge } from '../geometry/edges.ts';
import { distance, dot, sub, type Vec3 } from '../geometry/vector.ts';
import type { ExactEdge, ExactSolid } from '../surfaces/brep-text.ts';
import { curveAt, type Curve } from '../surfaces/curves.ts';
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
    // A face that closes on itself has its seam twice: nothing ends there.
    const once = (f: ExactSolid['faces'][number], e: ExactEdge) => e.curve !== null && f.edges.filter((o) => o.id === e.id).length === 1;
    this.byFace = exact.faces.map((f) => new Map(f.edges.filter((e) => once(f, e)).map((e) => [e.id, e])));
  }

  /** The way of the straight lines of a cylinder or a cone about its axis; null for other faces. */
  rulingOf(face: number): Vec3 | null {
    const { surface } = this.exact.faces[face];
    return surface.kind === 'cylinder' || surface.kind === 'cone' ? surface.frame.z : null;
  }

  /** The nearest point of a face's surface. */
  toFace(face: number, p: Vec3): Vec3 {
    const f = this.exact.faces[face];
    let near = this.nearest.get(face);
    if (!near) this.nearest.set(face, (near = new Nearest(f.surface)));
    const d = near.find(p[0], p[1], p[2]);
    return Number.isFinite(d) ? [near.x, near.y, near.z] : p;
  }

  /** The nearest point of the edges that these faces share; of a single face: of all its edges. */
  toEdge(faces: readonly number[], p: Vec3): Vec3 {
    const shared = this.shared(faces);
    const all = shared.length > 0 ? shared : faces.flatMap((f) => [...this.byFace[f].values()]);
    let best = p;
    let least = Infinity;
    for (const edge of all) {
      const q = atEnd(edge, this.onEdge(edge, p));
      const d = distance(p, q);
      if (d < least) {
        least = d;
        best = q;
      }
    }
    return best;
  }

  /** A point between two others of an edge that these faces share, brought onto that edge; null when the two lie on no common one. */
  between(faces: readonly number[], { a, b }: { a: Vec3; b: Vec3 }, middle: Vec3): Vec3 | null {
    const near = 1e-6 * (1 + distance(a, b));
    let best: Vec3 | null = null;
    for (const edge of this.shared(faces)) {
      if (distance(this.onEdge(edge, a), a) > near || distance(this.onEdge(edge, b), b) > near) continue;
      const q = this.onEdge(edge, middle);
      if (!best || distance(q, middle) < distance(best, middle)) best = q;
    }
    return best;
  }

  private shared([first, ...others]: readonly number[]): ExactEdge[] {
    return [...this.byFace[first].values()].filter((e) => others.every((f) => this.byFace[f].has(e.id)));
  }

  private onEdge(edge: ExactEdge, p: Vec3): Vec3 {
    const { curve, from, to, id } = edge;
    let points = this.points.get(id);
    if (!points) this.points.set(id, (points = Array.from({ length: probes + 1 }, (_, i) => curveAt(curve!, from + ((to - from) * i) / probes).at)));
    let k = 0;
    for (let i = 1; i <= probes; i++) if (distance(points[i], p) < distance(points[k], p)) k = i;
    // A closed edge goes on past its end, where it begins.
    const starts = edge.ends[0] === edge.ends[1] && (k === 0 || k === probes) ? [0, probes] : [k];
    const found = starts.map((i) => nearestFrom(curve!, from + ((to - from) * i) / probes, from < to ? [from, to] : [to, from], p));
    return found.reduce((x, y) => (distance(y, p) < distance(x, p) ? y : x));
  }
}

/** A point that lies at the end of its edge but for single precision is that end, where other edges end too. */
function atEnd({ curve, from, to }: ExactEdge, p: Vec3): Vec3 {
  const near = 2e-6 * (1 + Math.hypot(...p));
  for (const u of [from, to]) {
    const end = curveAt(curve!, u).at;
    if (distance(end, p) <= near) return end;
  }
  return p;
}

/** The nearest point of a curve between two parameters, by Newton's method from one between them. */
function nearestFrom(curve: Curve, start: number, [low, high]: readonly [number, number], p: Vec3): Vec3 {
  let u = start;
  for (let i = 0; i < 30; i++) {
    const { at, d1, d2 } = curveAt(curve, u);
    const off = sub(at, p);
    const slope = dot(off, d1);
    const bend = dot(d1, d1) + dot(off, d2);
    const step = slope / (bend > 0.1 * dot(d1, d1) ? bend : dot(d1, d1));
    const next = Math.min(high, Math.max(low, u - step));
    if (Math.abs(next - u) <= 1e-15 * (1 + Math.abs(u))) break;
    u = next;
  }
  return curveAt(curve, u).at;
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
