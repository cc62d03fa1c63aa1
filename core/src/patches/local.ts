import { edgesOf, nextCorner, openEdge } from '../geometry/edges.ts';
import type { Mesh } from '../geometry/mesh.ts';
import { distance, placeAt, type Vec3 } from '../geometry/vector.ts';
import { edgeKey, endsOfKey, type CutMesh } from './parting.ts';

/** Some triangles of a surface by themselves, so that work on a few of them does not walk over all. */
export interface Local {
  /** The triangles with their own numbers of points. */
  it: CutMesh;
  /** Number of a point of the whole surface here; undefined when it is not among them. */
  named: (whole: number) => number | undefined;
  /** Number of a point in the whole surface, of what came back. */
  from: (own: number) => number;
  /**
   * The whole surface with what was made of these triangles (points moved or added, triangles parted, edges cut) in their place.
   * Null when an edge that they share with the rest was parted: more of the surface is needed then.
   */
  back: (made: CutMesh) => CutMesh | null;
}

/** @param taken for each triangle whether it belongs to the part */
export function localOf(it: CutMesh, taken: Uint8Array): Local {
  const { positions, triangles: t } = it.mesh;
  const n = positions.length / 3;
  /** Own numbers of the whole surface's points; -1: not among these. */
  const name = new Int32Array(n).fill(-1);
  const names: number[] = [];
  const triangles: number[] = [];
  const face: number[] = [];
  for (let k = 0; k < taken.length; k++) {
    if (taken[k] === 0) continue;
    face.push(it.face[k]);
    for (let c = k * 3; c < k * 3 + 3; c++) {
      if (name[t[c]] < 0) {
        name[t[c]] = names.length;
        names.push(t[c]);
      }
      triangles.push(name[t[c]]);
    }
  }
  const own = new Float64Array(names.length * 3);
  names.forEach((v, i) => own.set(positions.subarray(v * 3, v * 3 + 3), i * 3));
  const mesh: Mesh = { positions: own, triangles: Uint32Array.from(triangles) };
  const within = ([a, b]: [number, number]) => name[a] >= 0 && name[b] >= 0;
  const ownSet = (set: ReadonlySet<number>) =>
    new Set([...set].map(endsOfKey).filter(within).map(([a, b]) => edgeKey(name[a], name[b]))); // prettier-ignore
  const part: CutMesh = { mesh, face: Int32Array.from(face), cut: ownSet(it.cut), ...(it.also ? { also: it.also.map(ownSet) } : {}) };
  const shared = sharedEdges(it.mesh, taken, { mesh, name });
  const from = (v: number): number => (v < names.length ? names[v] : n + v - names.length);
  return { it: part, named: (v) => (name[v] < 0 ? undefined : name[v]), from, back: (made) => back(made) };

  function back(made: CutMesh): CutMesh | null {
    const open = openKeys(made.mesh);
    for (const key of shared) if (!open.has(key)) return null;
    const more = made.mesh.positions.length / 3 - names.length;
    const places = new Float64Array(positions.length + more * 3);
    places.set(positions);
    for (let v = 0; v < names.length + more; v++) places.set(made.mesh.positions.subarray(v * 3, v * 3 + 3), from(v) * 3);
    const left = taken.length - face.length;
    const all = new Uint32Array(left * 3 + made.mesh.triangles.length);
    const faces = new Int32Array(left + made.face.length);
    let k = 0;
    for (let j = 0; j < taken.length; j++) {
      if (taken[j]) continue;
      for (let c = 0; c < 3; c++) all[k * 3 + c] = t[j * 3 + c];
      faces[k++] = it.face[j];
    }
    for (let c = 0; c < made.mesh.triangles.length; c++) all[left * 3 + c] = from(made.mesh.triangles[c]);
    faces.set(made.face, left);
    const wholeSet = (before: ReadonlySet<number>, now: ReadonlySet<number>) => {
      const out = new Set([...before].filter((key) => !within(endsOfKey(key))));
      for (const [a, b] of [...now].map(endsOfKey)) out.add(edgeKey(from(a), from(b)));
      return out;
    };
    const also = it.also?.map((set, i) => wholeSet(set, made.also![i]));
    return { mesh: { positions: places, triangles: all }, face: faces, cut: wholeSet(it.cut, made.cut), ...(also ? { also } : {}) };
  }
}

/** Keys of the edges of one triangle only. */
function openKeys({ positions, triangles: t }: Mesh): Set<number> {
  const { across } = edgesOf(t, positions.length / 3);
  const out = new Set<number>();
  for (let c = 0; c < t.length; c++) if (across[c] === openEdge) out.add(edgeKey(t[c], t[nextCorner(c)]));
  return out;
}

/** Keys, in the part's own numbers, of the edges that it shares with the rest: they look like its border. */
function sharedEdges({ triangles: t }: Mesh, taken: Uint8Array, { mesh, name }: { mesh: Mesh; name: Int32Array }): Set<number> {
  const open = openKeys(mesh);
  const out = new Set<number>();
  for (let c = 0; c < t.length; c++) {
    if (taken[(c / 3) | 0]) continue;
    const [a, b] = [name[t[c]], name[t[nextCorner(c)]]];
    if (a < 0 || b < 0) continue;
    const key = edgeKey(a, b);
    if (open.has(key)) out.add(key);
  }
  return out;
}

/** Triangles that reach into a ball, by their boxes. @param radius mm */
export function withinBall({ positions: p, triangles: t }: Mesh, centre: Vec3, radius: number): Uint8Array {
  const out = new Uint8Array(t.length / 3);
  for (let k = 0; k < out.length; k++) {
    let off = 0;
    for (let d = 0; d < 3; d++) {
      const [a, b, c] = [p[t[k * 3] * 3 + d], p[t[k * 3 + 1] * 3 + d], p[t[k * 3 + 2] * 3 + d]];
      const beside = Math.max(Math.min(a, b, c) - centre[d], centre[d] - Math.max(a, b, c), 0);
      off += beside * beside;
    }
    if (off <= radius * radius) out[k] = 1;
  }
  return out;
}

/** Triangles that share a point with one of them. */
export function roundTriangle({ triangles: t }: Mesh, triangle: number): Uint8Array {
  const [a, b, c] = [t[triangle * 3], t[triangle * 3 + 1], t[triangle * 3 + 2]];
  const out = new Uint8Array(t.length / 3);
  for (let k = 0; k < t.length; k++) if (t[k] === a || t[k] === b || t[k] === c) out[(k / 3) | 0] = 1;
  return out;
}

/** Longest side of the triangles at a point, mm. */
export function longestAt({ positions: p, triangles: t }: Mesh, vertex: number): number {
  let most = 0;
  for (let c = 0; c < t.length; c++) {
    if (t[c] !== vertex) continue;
    const k = c - (c % 3);
    for (let i = 0; i < 3; i++) most = Math.max(most, distance(placeAt(p, t[k + i]), placeAt(p, t[k + ((i + 1) % 3)])));
  }
  return most;
}
