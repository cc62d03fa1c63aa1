import { cross, distance, dot, lengthOf, scaled, sub, unit, type Vec3 } from '../geometry/vector.ts';
import { pointOn, type Topology, type TopologyEdge } from '../sheet/topology.ts';

/** Marked points of a part that say what it is, however it stands: ends and middles of edges, middles of circles. mm */
export interface Marks {
  points: Vec3[];
  /** What each is; only like ones are compared. */
  kinds: string[];
  middle: Vec3;
  volume: number;
  area: number;
  /** Places this near are the same, mm. */
  near: number;
}

/** How two parts are alike. */
export type Likeness = 'equal' | 'mirrored' | 'other';

const nearShare = 1e-6;
const nearShareOfMesh = 2e-5;
/** More points than these are thinned out, the same ones for like parts: by their distance from the middle. */
const mostMarks = 4000;

/** @param volume mm3 @param area mm2, both of the part as it is */
export function marksOf(top: Topology, volume: number, area: number): Marks {
  const near = Math.max(1e-5, top.diagonal * (top.exact ? nearShare : nearShareOfMesh));
  const found = new Map<string, { p: Vec3; kind: string }>();
  const add = (p: Vec3, kind: string) => {
    const key = `${p.map((v) => Math.round(v / (near * 8))).join(' ')} ${kind}`;
    if (!found.has(key)) found.set(key, { p, kind });
  };
  for (const e of top.edges) if (!isSeam(top, e)) for (const [p, kind] of marksOn(e, near)) add(p, kind);
  const list = [...found.values()];
  const middle: Vec3 = [0, 0, 0];
  for (const { p } of list) for (let c = 0; c < 3; c++) middle[c] += p[c] / list.length;
  const far = list.map((m) => ({ ...m, d: distance(m.p, middle) })).sort((a, b) => b.d - a.d).slice(0, mostMarks); // prettier-ignore
  return { points: far.map((m) => m.p), kinds: far.map((m) => m.kind), middle, volume, area, near };
}

/** What an edge gives: its ends and middle, or of a round one its centre. Where an arc ends is told by what it meets there: halves of one circle meet anywhere. */
function marksOn({ course, straight }: TopologyEdge, near: number): [Vec3, string][] {
  const closed = distance(pointOn(course, 0), pointOn(course, 1)) < near;
  if (course.kind === 'exact' && (course.curve.kind === 'circle' || course.curve.kind === 'ellipse'))
    return [[course.curve.at, `round ${course.curve.rx.toFixed(3)}`]];
  if (course.kind === 'corners' && !straight && closed) {
    // Corners of facets round a hole may begin anywhere: their middle says where it is.
    const n = course.points.length / 3 - 1;
    const m: Vec3 = [0, 0, 0];
    for (let i = 0; i < n; i++) for (let c = 0; c < 3; c++) m[c] += course.points[i * 3 + c] / n;
    return [[m, 'round']];
  }
  if (closed) return [];
  const ends: [Vec3, string][] = [[pointOn(course, 0), 'end'], [pointOn(course, 1), 'end']]; // prettier-ignore
  return course.kind === 'corners' && !straight ? ends : [...ends, [pointOn(course, 0.5), 'middle']];
}

/** Whether an edge only parts a round face from itself or from its other half: such edges lie anywhere. */
function isSeam(top: Topology, { faces }: TopologyEdge): boolean {
  const [a, b] = [...new Set(faces)];
  if (b === undefined) return true;
  const [s, t] = [top.faces[a].surface, top.faces[b].surface];
  if (s.kind === 'plane' || s.kind !== t.kind || !('frame' in s) || !('frame' in t)) return false;
  const near = top.diagonal * 1e-6;
  const off = sub(t.frame.at, s.frame.at);
  const axes = Math.abs(Math.abs(dot(s.frame.z, t.frame.z)) - 1) < 1e-9 && lengthOf(cross(off, s.frame.z)) < near;
  return axes && (!('r' in s) || !('r' in t) || Math.abs(s.r - t.r) < near);
}

/** A coarse description: parts with different ones are not alike. */
export function roughly({ points, volume, area }: Marks): string {
  return `${points.length} ${Number(volume.toPrecision(3))} ${Number(area.toPrecision(3))}`;
}

/**
 * Whether two parts are the same whatever their place and turn, or mirror images of each other. A part that equals its own mirror image is equal, not
 * mirrored. Three marked points far from the middle are brought onto candidates at the same distances; then all points must lie on each other.
 * Source: congruence by candidate frames, as for point sets in Atkinson, An optimal algorithm for geometrical congruence, 1987.
 */
export function likeness(a: Marks, b: Marks): Likeness {
  if (a.points.length !== b.points.length || a.points.length === 0) return 'other';
  if (Math.abs(a.volume - b.volume) > 1e-4 * Math.abs(a.volume) || Math.abs(a.area - b.area) > 1e-4 * a.area) return 'other';
  const near = Math.max(a.near, b.near) * 10;
  const [i, j, k] = frameOf(a, near);
  if (!sameDistances(a, b, near)) return 'other';
  // All on one line through the middle: what turns about it is told by the distances.
  if (j < 0) return 'equal';
  const index = indexOf(b, near);
  const [da, dj, dk] = [i, j, k].map((n) => (n < 0 ? 0 : distance(a.points[n], a.middle)));
  const rings = [da, dj, dk].map((d, n) => ([i, j, k][n] < 0 ? [] : candidates(b, a.kinds[[i, j, k][n]], d, near)));
  const frame = { a, b, index, near, from: [i, j] as [number, number] };
  let mirrored = false;
  let tried = 0;
  for (const [p, q] of framesOf(frame, [i, j, k], rings)) {
    for (const flip of mirrored ? ([1] as const) : ([1, -1] as const)) {
      if (++tried > mostTried) return mirrored ? 'mirrored' : 'other';
      if (!fits(frame, [p, q], flip)) continue;
      if (flip === 1) return 'equal';
      mirrored = true;
    }
  }
  return mirrored ? 'mirrored' : 'other';
}

/** Pairs of points of the second that are as far from each other, and from some third, as the frame's of the first. */
function* framesOf({ a, b, near }: Pick<Frames, 'a' | 'b' | 'near'>, [i, j, k]: readonly number[], rings: readonly number[][]): Generator<[number, number]> {
  const as = (x: number, y: number, u: number, v: number) => Math.abs(distance(b.points[u], b.points[v]) - distance(a.points[x], a.points[y])) <= near;
  for (const p of rings[0])
    for (const q of rings[1]) {
      if (q === p || !as(i, j, p, q)) continue;
      if (k < 0 || rings[2].some((r) => as(i, k, p, r) && as(j, k, q, r))) yield [p, q];
    }
}

const mostTried = 20_000;

/** A point far from the middle, one more that is not in line with it, and a third out of their plane if there is one; -1 where there is none. */
function frameOf({ points, kinds, middle }: Marks, near: number): [number, number, number] {
  // The rarest kind and distance gives the fewest candidates.
  const counts = new Map<string, number>();
  const keyOf = (n: number) => `${kinds[n]} ${Math.round(distance(points[n], middle) / (near * 4))}`;
  points.forEach((_, n) => counts.set(keyOf(n), (counts.get(keyOf(n)) ?? 0) + 1));
  const order = points
    .map((_, n) => n)
    .sort((x, y) => counts.get(keyOf(x))! - counts.get(keyOf(y))! || distance(points[y], middle) - distance(points[x], middle));
  const i = order.find((n) => distance(points[n], middle) > near * 10) ?? 0;
  const u = sub(points[i], middle);
  const j = order.find((n) => n !== i && lengthOf(cross(u, sub(points[n], middle))) > near * 10 * lengthOf(u)) ?? -1;
  if (j < 0) return [i, -1, -1];
  const n = unit(cross(u, sub(points[j], middle)));
  const k = order.find((m) => m !== i && m !== j && Math.abs(dot(n, sub(points[m], middle))) > near * 10) ?? -1;
  return [i, j, k];
}

function candidates(b: Marks, kind: string, d: number, near: number): number[] {
  return b.points.flatMap((p, n) => (b.kinds[n] === kind && Math.abs(distance(p, b.middle) - d) <= near ? [n] : []));
}

/** Whether like points lie as far from the middle, one by one. */
function sameDistances(a: Marks, b: Marks, near: number): boolean {
  const list = (m: Marks) =>
    m.points.map((p, n) => ({ kind: m.kinds[n], d: distance(p, m.middle) })).sort((x, y) => (x.kind < y.kind ? -1 : x.kind > y.kind ? 1 : x.d - y.d));
  const [p, q] = [list(a), list(b)];
  return p.every((m, n) => m.kind === q[n].kind && Math.abs(m.d - q[n].d) <= near);
}

type Index = Map<string, number[]>;
const cellOf = (p: Vec3, near: number): number[] => p.map((v) => Math.floor(v / (near * 4)));

function indexOf(b: Marks, near: number): Index {
  const index: Index = new Map();
  b.points.forEach((p, n) => {
    const key = cellOf(sub(p, b.middle), near).join(' ');
    const list = index.get(key);
    if (list) list.push(n);
    else index.set(key, [n]);
  });
  return index;
}

interface Frames {
  a: Marks;
  b: Marks;
  index: Index;
  near: number;
  from: [number, number];
}

/** Whether a turn (with a mirror for -1) that takes two points to two others takes all points to like ones. */
function fits({ a, b, index, near, from: [i, j] }: Frames, [p, q]: [number, number], flip: 1 | -1): boolean {
  const from = basis(sub(a.points[i], a.middle), sub(a.points[j], a.middle), 1);
  const to = basis(sub(b.points[p], b.middle), sub(b.points[q], b.middle), flip);
  return a.points.every((point, n) => {
    const v = sub(point, a.middle);
    const [x, y, z] = [dot(v, from[0]), dot(v, from[1]), dot(v, from[2])];
    const w: Vec3 = [0, 1, 2].map((c) => x * to[0][c] + y * to[1][c] + z * to[2][c]) as Vec3;
    const [cx, cy, cz] = cellOf(w, near);
    for (let dx = -1; dx <= 1; dx++)
      for (let dy = -1; dy <= 1; dy++)
        for (let dz = -1; dz <= 1; dz++)
          for (const m of index.get(`${cx + dx} ${cy + dy} ${cz + dz}`) ?? [])
            if (b.kinds[m] === a.kinds[n] && distance(sub(b.points[m], b.middle), w) <= near) return true;
    return false;
  });
}

function basis(u: Vec3, v: Vec3, flip: 1 | -1): [Vec3, Vec3, Vec3] {
  const x = unit(u);
  const z = unit(cross(u, v));
  return [x, cross(z, x), scaled(z, flip)];
}
