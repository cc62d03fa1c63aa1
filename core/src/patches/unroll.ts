import { edgesOf, lastCorner, nextCorner } from '../geometry/edges.ts';
import { boxOf, diagonalOf } from '../geometry/box.ts';
import type { Mesh } from '../geometry/mesh.ts';
import { dot, placeAt, sub, type Vec3 } from '../geometry/vector.ts';
import type { ExactSolid } from '../surfaces/brep-text.ts';
import type { Surface } from '../surfaces/surfaces.ts';

/** Facets that lie flat beside each other within this share of the diagonal unroll as they are: single precision of mesh files. */
export const unrolls = 1e-6;
/** Exact faces meet on the flat within this share of the diagonal. */
const meets = 1e-8;

/**
 * Lays triangle beside triangle, each at its own size. Where that closes round every point the surface unrolls, and the flat is exact.
 * @returns 2 numbers a vertex; null when the surface does not unroll
 */
export function unrolledFacets(mesh: Mesh): Float64Array | null {
  const { positions: p, triangles: t } = mesh;
  const n = p.length / 3;
  const { across } = edgesOf(t, n);
  const flat = new Float64Array(n * 2).fill(NaN);
  const limit = diagonalOf(boxOf(mesh.positions)) * unrolls;
  const done = new Uint8Array(t.length / 3);
  const set = (v: number, x: number, y: number): boolean => {
    if (Number.isNaN(flat[2 * v])) {
      flat[2 * v] = x;
      flat[2 * v + 1] = y;
      return true;
    }
    return Math.hypot(flat[2 * v] - x, flat[2 * v + 1] - y) <= limit;
  };
  const tip = (c: number): [number, number] => {
    // Where the corner opposite an edge lies from it: along the edge, and to its left.
    const [a, b, x] = [placeAt(p, t[c]), placeAt(p, t[nextCorner(c)]), placeAt(p, t[lastCorner(c)])];
    const [u, v] = [sub(b, a), sub(x, a)];
    const l = Math.sqrt(dot(u, u));
    const along = dot(u, v) / l;
    return [along / l, Math.hypot(u[1] * v[2] - u[2] * v[1], u[2] * v[0] - u[0] * v[2], u[0] * v[1] - u[1] * v[0]) / (l * l)];
  };
  const first = Math.sqrt(dot(sub(placeAt(p, t[1]), placeAt(p, t[0])), sub(placeAt(p, t[1]), placeAt(p, t[0]))));
  set(t[0], 0, 0);
  set(t[1], first, 0);
  const queue: number[] = [0];
  done[0] = 1;
  for (let i = 0; i < queue.length; i++) {
    // The edge by which it was come to, whose ends are laid.
    const c = queue[i];
    const [a, b, x] = [t[c] * 2, t[nextCorner(c)] * 2, t[lastCorner(c)]];
    const [s, h] = tip(c);
    const [dx, dy] = [flat[b] - flat[a], flat[b + 1] - flat[a + 1]];
    if (!set(x, flat[a] + s * dx - h * dy, flat[a + 1] + s * dy + h * dx)) return null;
    for (const e of [nextCorner(c), lastCorner(c), c]) {
      const o = across[e];
      if (o < 0 || done[(o / 3) | 0]) continue;
      done[(o / 3) | 0] = 1;
      queue.push(o);
    }
  }
  return flat.some(Number.isNaN) ? null : flat;
}

const develops = new Set<Surface['kind']>(['plane', 'cylinder', 'cone']);

/**
 * The exact development of planes, cylinders and cones that meet along edges which fit on the flat.
 * Source: differential geometry of developable surfaces, do Carmo 1976, 2-5: a cone of half angle h turns by sin h.
 * @returns 2 numbers a vertex; null when a face is of another kind, goes right round, or does not fit its neighbour on the flat
 */
export function developedFaces(mesh: Mesh, face: Int32Array, exact: ExactSolid): Float64Array | null {
  for (const f of new Set(face)) if (!develops.has(exact.faces[f].surface.kind)) return null;
  const { positions: p, triangles: t } = mesh;
  const n = p.length / 3;
  const { across } = edgesOf(t, n);
  const part = partsOf(face, across);
  const flats = part.lists.map((list) => developed(mesh, list, exact.faces[face[list[0]]].surface));
  if (flats.some((f) => f === null)) return null;
  const diagonal = diagonalOf(boxOf(mesh.positions));
  const flat = new Float64Array(n * 2).fill(NaN);
  const put = (k: number, place: (x: number, y: number) => [number, number]) => {
    for (const [v, [x, y]] of flats[k]!) [flat[2 * v], flat[2 * v + 1]] = place(x, y);
  };
  put(0, (x, y) => [x, y]);
  const done = new Set([0]);
  const queue = [0];
  for (let i = 0; i < queue.length; i++)
    for (const next of part.beside[queue[i]]) {
      const shared = [...flats[next]!.keys()].filter((v) => !Number.isNaN(flat[2 * v]) && flats[queue[i]]!.has(v));
      if (done.has(next)) {
        if (!fits(flat, flats[next]!, shared, { diagonal, move: null })) return null;
        continue;
      }
      const move = motion(flat, flats[next]!, shared);
      if (!move || !fits(flat, flats[next]!, shared, { diagonal, move })) return null;
      put(next, move);
      done.add(next);
      queue.push(next);
    }
  return done.size < flats.length ? null : flat;
}

/** Triangles of one face that hang together, and which of these lie beside each other. */
function partsOf(face: Int32Array, across: Int32Array): { lists: number[][]; beside: Set<number>[] } {
  const of = new Int32Array(face.length).fill(-1);
  const lists: number[][] = [];
  for (let first = 0; first < face.length; first++) {
    if (of[first] >= 0) continue;
    const list = [first];
    of[first] = lists.length;
    for (let i = 0; i < list.length; i++)
      for (let k = 0; k < 3; k++) {
        const o = across[list[i] * 3 + k];
        const other = o < 0 ? -1 : (o / 3) | 0;
        if (other < 0 || of[other] >= 0 || face[other] !== face[first]) continue;
        of[other] = lists.length;
        list.push(other);
      }
    lists.push(list);
  }
  const beside = lists.map(() => new Set<number>());
  for (let c = 0; c < across.length; c++) {
    const [a, b] = [of[(c / 3) | 0], across[c] < 0 ? -1 : of[(across[c] / 3) | 0]];
    if (b >= 0 && a !== b) beside[a].add(b);
  }
  return { lists, beside };
}

type Flat = Map<number, [number, number]>;

/** One face on its own flat, its outside up; null when it goes right round. */
function developed(mesh: Mesh, list: readonly number[], surface: Surface): Flat | null {
  if (surface.kind !== 'plane' && surface.kind !== 'cylinder' && surface.kind !== 'cone') return null;
  const { positions: p, triangles: t } = mesh;
  const { frame } = surface;
  const local = (v: number): Vec3 => {
    const r = sub(placeAt(p, v), frame.at);
    return [dot(r, frame.x), dot(r, frame.y), dot(r, frame.z)];
  };
  const out: Flat = new Map();
  const vertices = new Set(list.flatMap((k) => [t[k * 3], t[k * 3 + 1], t[k * 3 + 2]]));
  if (surface.kind === 'plane') {
    for (const v of vertices) out.set(v, [local(v)[0], local(v)[1]]);
    return outsideUp(out, t, list);
  }
  const tips = new Set<number>();
  const small = surface.kind === 'cone' ? 1e-9 * Math.max(1, Math.abs(surface.r)) : 0;
  for (const v of vertices) if (Math.hypot(local(v)[0], local(v)[1]) <= small) tips.add(v);
  const angle = anglesOn(t, list, (v) => Math.atan2(local(v)[1], local(v)[0]), tips);
  if (!angle) return null;
  for (const v of vertices) {
    const [x, y, z] = local(v);
    if (surface.kind === 'cylinder') {
      out.set(v, [surface.r * angle.get(v)!, z]);
      continue;
    }
    const s = Math.abs(Math.sin(surface.half));
    const [far, turn] = [Math.hypot(x, y) / s, (angle.get(v) ?? 0) * s];
    out.set(v, tips.has(v) ? [0, 0] : [far * Math.cos(turn), far * Math.sin(turn)]);
  }
  return outsideUp(out, t, list);
}

/** Angles about an axis that run on from corner to corner, so that they go past the half turn where the face does; null when they do not close. */
function anglesOn(t: Uint32Array, list: readonly number[], direct: (v: number) => number, tips: ReadonlySet<number>): Map<number, number> | null {
  const angle = new Map<number, number>();
  const left = new Set(list);
  const byVertex = new Map<number, number[]>();
  for (const k of list) for (let i = 0; i < 3; i++) byVertex.set(t[k * 3 + i], [...(byVertex.get(t[k * 3 + i]) ?? []), k]);
  const queue = [list[0]];
  left.delete(list[0]);
  for (let q = 0; q < queue.length; q++) {
    const corners = [0, 1, 2].map((i) => t[queue[q] * 3 + i]).filter((v) => !tips.has(v));
    if (corners.length === 0) return null;
    const base = corners.find((v) => angle.has(v)) ?? corners[0];
    const start = angle.get(base) ?? direct(base);
    for (const v of corners) {
      const turn = start + wrapped(direct(v) - direct(base));
      const known = angle.get(v);
      if (known === undefined) angle.set(v, turn);
      else if (Math.abs(known - turn) > 1e-6) return null;
      for (const k of byVertex.get(v)!) if (left.delete(k)) queue.push(k);
    }
  }
  return angle;
}

const wrapped = (a: number): number => a - 2 * Math.PI * Math.round(a / (2 * Math.PI));

/** Turned over when its triangles are. */
function outsideUp(flat: Flat, t: Uint32Array, list: readonly number[]): Flat {
  let area = 0;
  for (const k of list) {
    const [a, b, c] = [0, 1, 2].map((i) => flat.get(t[k * 3 + i])!);
    area += (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0]);
  }
  if (area < 0) for (const [v, [x, y]] of flat) flat.set(v, [-x, y]);
  return flat;
}

type Motion = (x: number, y: number) => [number, number];

/** The motion that lays shared points of one flat onto those of another, by the two that lie farthest apart; null when there are not two. */
function motion(flat: Float64Array, own: Flat, shared: readonly number[]): Motion | null {
  if (shared.length < 2) return null;
  const a = shared[0];
  const far = (v: number) => Math.hypot(own.get(v)![0] - own.get(a)![0], own.get(v)![1] - own.get(a)![1]);
  let b = shared[1];
  for (const v of shared) if (far(v) > far(b)) b = v;
  const [ax, ay] = own.get(a)!;
  const [bx, by] = own.get(b)!;
  const turn = Math.atan2(flat[2 * b + 1] - flat[2 * a + 1], flat[2 * b] - flat[2 * a]) - Math.atan2(by - ay, bx - ax);
  const [c, s] = [Math.cos(turn), Math.sin(turn)];
  return (x, y) => [flat[2 * a] + c * (x - ax) - s * (y - ay), flat[2 * a + 1] + s * (x - ax) + c * (y - ay)];
}

/** Whether all shared points lie where they should. */
function fits(flat: Float64Array, own: Flat, shared: readonly number[], { diagonal, move }: { diagonal: number; move: Motion | null }): boolean {
  // What is laid already must lie as it would be laid.
  const place = move ?? motion(flat, own, shared);
  if (!place) return true;
  return shared.every((v) => {
    const [x, y] = place(...own.get(v)!);
    return Math.hypot(x - flat[2 * v], y - flat[2 * v + 1]) <= meets * diagonal;
  });
}
