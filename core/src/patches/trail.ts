import { Unusable } from '../base/finding.ts';
import { edgesOf, nextCorner, openEdge } from '../geometry/edges.ts';
import { crossOfTriangle } from '../geometry/triangle.ts';
import type { Mesh } from '../geometry/mesh.ts';
import { add, cross, distance, lengthOf, placeAt, scaled, sub, unit, type Vec3 } from '../geometry/vector.ts';
import type { CutLine } from './choice.ts';
import { farFrom, Heap, rimVertices } from './divide.ts';
import type { ExactSnap } from './exact.ts';
import { localOf, longestAt, withinBall } from './local.ts';
import { edgeKey, endsOfKey, offPlane, parted, type CutMesh } from './parting.ts';
import { putPoint } from './put.ts';

/** A surface with one more cut: where it begins and ends, and how long it is, mm. */
export interface Trail {
  cut: CutMesh;
  from: Vec3;
  to: Vec3;
  length: number;
}

/** A straight cut may be so much longer than the shortest way along edges; one along the straight lines of a cylinder or cone so much. */
const detour = { straight: 1.2, ruling: 2 };

/** Whether an edge that is cut belongs to the way at hand: both its points do. */
const isOwn = (key: number, own: ReadonlySet<number>): boolean => own.size > 0 && endsOfKey(key).every((v) => own.has(v));

/** Where a cut may end: on the border, or on another cut. @param own points of the way so far */
function endVertices({ mesh, cut }: CutMesh, own: ReadonlySet<number>): Set<number> {
  const out = rimVertices(mesh);
  for (const key of cut) if (!isOwn(key, own)) for (const v of endsOfKey(key)) out.add(v);
  return out;
}

/** The mean normal of the triangles at a vertex. */
function normalAt(mesh: Mesh, v: number): Vec3 {
  let sum: Vec3 = [0, 0, 0];
  for (let c = 0; c < mesh.triangles.length; c++) if (mesh.triangles[c] === v) sum = add(sum, crossOfTriangle(mesh, (c / 3) | 0));
  return lengthOf(sum) > 0 ? unit(sum) : [0, 0, 1];
}

/**
 * Cuts from a place through others to a last one, or on to the nearest border or cut. From place to place the cut is straight, where the plane that
 * stands on the surface through both goes through it (along edges where that leads nowhere); or all of it is one smooth curve through the places.
 * @param ruling the way of the surface's straight lines, which the cut follows
 * @throws Unusable when no way leads there
 */
export function cutAlong(it: CutMesh, line: CutLine, snap: ExactSnap | null, ruling: Vec3 | null = null): Trail {
  const given = [line.from, ...(line.through ?? []), ...(line.to ? [line.to] : [])];
  const places = line.round && given.length > 2 ? smoothThrough(given, stepOf(it.mesh, given), false) : given;
  let put = putPoint(it, places[0], snap);
  const from = placeAt(put.it.mesh.positions, put.vertex);
  let [now, length, to] = [put.it, 0, from];
  const own = new Set<number>();
  for (const place of places.slice(1)) {
    const start = put.vertex;
    put = putPoint(now, place, snap);
    // Two places at one point of the surface are one.
    if (put.vertex === start) continue;
    const made = leg(put.it, { from: start, to: put.vertex, own }, snap, ruling);
    [now, length, to] = [made.cut, length + made.length, made.to];
    for (const v of made.points) own.add(v);
  }
  if (line.to !== null) return { cut: now, from, to, length };
  const last = leg(now, { from: put.vertex, to: null, own }, snap, ruling);
  return { cut: last.cut, from, to: last.to, length: length + last.length };
}

/** From which point to which (null: to the nearest border or cut), and the points of the way before it, on which it does not end. */
interface Leg {
  from: number;
  to: number | null;
  own: ReadonlySet<number>;
}

type Made = Omit<Trail, 'from'> & { points: number[] };

/** Longest side beside the ends of a leg, times this, is how much more of the surface is taken than the leg could need. */
const room = 3;

/** One cut from a point to another, or to the nearest border or cut. Between two points only what lies round them is walked over. */
function leg(it: CutMesh, way: Leg, snap: ExactSnap | null, ruling: Vec3 | null): Made {
  if (way.to === null || ruling) return legOn(it, way, snap, ruling);
  const { mesh } = it;
  const [a, b] = [placeAt(mesh.positions, way.from), placeAt(mesh.positions, way.to)];
  const margin = room * Math.max(longestAt(mesh, way.from), longestAt(mesh, way.to));
  // Never 0: two points at one place may hang together only far away.
  let reach = distance(a, b) + margin;
  for (;;) {
    const taken = withinBall(mesh, scaled(add(a, b), 0.5), reach);
    if (taken.every(Boolean)) return legOn(it, way, snap, null);
    const local = localOf(it, taken);
    const ends = { from: local.named(way.from)!, to: local.named(way.to)!, own: new Set<number>() };
    const made = farFrom(local.it.mesh, [ends.to]).far[ends.from] * detour.straight <= 2 * (reach - margin / 2) ? legOn(local.it, ends, snap, null) : null;
    const cut = made && local.back(made.cut);
    // No way that could be taken leaves a ball whose diameter is its length.
    if (cut) return { ...made, cut, points: made.points.map(local.from) };
    reach *= 2;
  }
}

function legOn(it: CutMesh, { from, to, own }: Leg, snap: ExactSnap | null, ruling: Vec3 | null): Made {
  const ends = to === null ? endVertices(it, own) : new Set([to]);
  ends.delete(from);
  if (ends.size === 0) throw new Unusable('no-border', 'The surface has no border that a cut could run to.', 'Name where the cut ends, too.');
  const { far, before } = farFrom(it.mesh, ends);
  if (!(far[from] < Infinity))
    throw new Unusable('no-way', 'No way along the surface leads from one end of the cut to the other.', 'Pick two places on one piece.');
  const along = [from];
  for (let v = from; before[v] >= 0; v = before[v]) along.push(before[v]);
  const end = along[along.length - 1];
  const [a, b] = [placeAt(it.mesh.positions, from), placeAt(it.mesh.positions, end)];
  const normal = ruling ? cross(ruling, normalAt(it.mesh, from)) : cross(sub(b, a), add(normalAt(it.mesh, from), normalAt(it.mesh, end)));
  const fixed = to === null || ruling ? null : end;
  if (lengthOf(normal) > 1e-6 * (ruling ? 1 : distance(a, b))) {
    const straight = straightCut(it, { off: offPlane(a, unit(normal)), snap }, { from, end: fixed, near: b, own });
    if (straight && straight.length <= far[from] * (ruling ? detour.ruling : detour.straight)) return straight;
  }
  const cut = new Set(it.cut);
  for (let i = 0; i + 1 < along.length; i++) cut.add(edgeKey(along[i], along[i + 1]));
  return { cut: { ...it, cut }, to: b, length: far[from], points: along };
}

interface Plane {
  off: (p: Vec3) => number;
  snap: ExactSnap | null;
}
/** Where a straight cut begins, where it ends when that is given, and near which place it is to end. */
interface Way {
  from: number;
  end: number | null;
  near: Vec3;
  own: ReadonlySet<number>;
}

/** The cut along a plane; null when no end is reached. Only the triangles that it goes through are parted. */
function straightCut(it: CutMesh, plane: Plane, way: Way): Made | null {
  const first = section(it, plane.off, way);
  if (!first) return null;
  const held = new Set(way.end === null ? [way.from] : [way.from, way.end]);
  const near = new Set([...first.edges].flatMap(endsOfKey));
  const moved = parted(it, { ...plane, held, only: { edges: new Set(), points: near } });
  const again = section(moved, plane.off, way);
  if (!again) return null;
  const made = parted(moved, { ...plane, held, only: { edges: again.edges, points: new Set() } });
  const on = new Set([...made.on, ...held]);
  const ends = way.end === null ? endVertices(made, way.own) : new Set([way.end]);
  ends.delete(way.from);
  const { far, before } = farFrom(made.mesh, [way.from], on);
  const off = (v: number) => distance(placeAt(made.mesh.positions, v), way.near);
  let best = -1;
  for (const v of ends) if (far[v] < Infinity && (best < 0 || off(v) < off(best))) best = v;
  if (best < 0) return null;
  const cut = new Set(made.cut);
  const points = [best];
  for (let v = best; before[v] >= 0; v = before[v]) {
    cut.add(edgeKey(v, before[v]));
    points.push(before[v]);
  }
  return {
    cut: { mesh: made.mesh, face: made.face, ...(made.also ? { also: made.also } : {}), cut },
    to: placeAt(made.mesh.positions, best),
    length: far[best],
    points,
  };
}

/** The way along a plane over points that lie on it and edges that go through it, before anything is parted: the edges that it takes; null when no end is reached. */
function section(it: CutMesh, off: (p: Vec3) => number, way: Way): { edges: Set<number> } | null {
  const graph = new Section(it, off, way);
  const best = reached(way.from, graph, { ends: graph.ends(way), near: way.near });
  return best && { edges: new Set(best.filter((node) => node >= graph.points).map((node) => graph.keys[node - graph.points])) };
}

/** What a plane meets of a surface: points that lie on it, by their numbers, then edges that go through it; and which of them lie in one triangle. */
class Section {
  /** How many points there are: the numbers of edges begin there. */
  readonly points: number;
  readonly keys: number[] = [];
  readonly next = new Map<number, number[]>();
  private readonly it: CutMesh;
  private readonly d: Float64Array;
  private readonly names = new Map<number, number>();
  private readonly places: Vec3[] = [];
  /** Edges of the border, and cuts. */
  private readonly open = new Set<number>();

  constructor(it: CutMesh, off: (p: Vec3) => number, { from, end, own }: Way) {
    const { positions: p, triangles: t } = it.mesh;
    this.it = it;
    this.points = p.length / 3;
    this.d = Float64Array.from({ length: this.points }, (_, v) => (v === from || v === end ? 0 : off(placeAt(p, v))));
    const { across } = edgesOf(t, this.points);
    for (let k = 0; k < t.length; k += 3) {
      const nodes: number[] = [];
      for (let c = k; c < k + 3; c++) {
        if (this.d[t[c]] === 0) nodes.push(t[c]);
        if (this.d[t[c]] * this.d[t[nextCorner(c)]] < 0) nodes.push(this.edge(c, across[c] === openEdge, own));
      }
      for (const a of nodes) for (const b of nodes) if (a !== b) this.next.set(a, [...(this.next.get(a) ?? []), b]);
    }
  }

  private edge(c: number, open: boolean, own: ReadonlySet<number>): number {
    const { positions: p, triangles: t } = this.it.mesh;
    const [a, b] = [t[c], t[nextCorner(c)]];
    const key = edgeKey(a, b);
    const known = this.names.get(key);
    if (known !== undefined) return known;
    const node = this.points + this.keys.length;
    this.names.set(key, node);
    this.keys.push(key);
    this.places.push(add(placeAt(p, a), scaled(sub(placeAt(p, b), placeAt(p, a)), this.d[a] / (this.d[a] - this.d[b]))));
    if (open || (this.it.cut.has(key) && !isOwn(key, own))) this.open.add(node);
    return node;
  }

  place(node: number): Vec3 {
    return node < this.points ? placeAt(this.it.mesh.positions, node) : this.places[node - this.points];
  }

  /** Where the way may end: at the point that is given, else on the border or another cut. */
  ends({ from, end, own }: Way): Set<number> {
    if (end !== null) return new Set([end]);
    const border = endVertices(this.it, own);
    return new Set([...this.open, ...[...this.next.keys()].filter((v) => v < this.points && v !== from && border.has(v))]);
  }
}

/** The shortest way from a node to that of some ends which lies nearest to a place: its nodes; null when none is reached. */
function reached(from: number, graph: Pick<Section, 'next' | 'place'>, aim: { ends: ReadonlySet<number>; near: Vec3 }): number[] | null {
  const far = new Map([[from, 0]]);
  const before = new Map<number, number>();
  const heap = new Heap();
  heap.put(from, 0);
  let best: { node: number; off: number } | null = null;
  for (let top = heap.take(); top; top = heap.take()) {
    const [node, d] = top;
    if (d > far.get(node)!) continue;
    if (aim.ends.has(node)) {
      const off = distance(graph.place(node), aim.near);
      if (!best || off < best.off) best = { node, off };
      // A cut ends where it first meets the border.
      continue;
    }
    for (const other of graph.next.get(node) ?? []) {
      const along = d + distance(graph.place(node), graph.place(other));
      if (along >= (far.get(other) ?? Infinity)) continue;
      far.set(other, along);
      before.set(other, node);
      heap.put(other, along);
    }
  }
  if (!best) return null;
  const out = [best.node];
  for (let node = best.node; before.has(node); node = before.get(node)!) out.push(before.get(node)!);
  return out;
}

/** Places of a smooth way are set so far apart, in edges of the surface; and never more of them than this. */
const smoothStep = { edges: 1.5, most: 120 };

/** How far apart the places of a smooth way are set, mm. */
function stepOf({ positions: p, triangles: t }: Mesh, given: readonly Vec3[]): number {
  const lengths = Array.from({ length: Math.min(t.length, 3000) }, (_, i) => {
    const c = Math.floor((i * t.length) / Math.min(t.length, 3000));
    return distance(placeAt(p, t[c]), placeAt(p, t[nextCorner(c)]));
  }).sort((a, b) => a - b);
  const whole = given.slice(1).reduce((sum, q, i) => sum + distance(given[i], q), 0);
  return Math.max(smoothStep.edges * lengths[lengths.length >> 1], whole / smoothStep.most);
}

/**
 * Places on one smooth curve through given ones, in their order. Source: Catmull and Rom 1974 in the centripetal form, which makes no loops between
 * its points (Yuksel, Schaefer, Keyser 2011), by the pyramid of Barry and Goldman 1988.
 * @param step about how far apart, mm @param closed the curve comes back to its first place
 */
export function smoothThrough(given: readonly Vec3[], step: number, closed: boolean): Vec3[] {
  const n = given.length;
  const ends = (i: number): Vec3 => {
    if (closed) return given[((i % n) + n) % n];
    // Beyond an open end the way goes straight on.
    if (i < 0) return sub(scaled(given[0], 2), given[1]);
    return i < n ? given[i] : sub(scaled(given[n - 1], 2), given[n - 2]);
  };
  const out: Vec3[] = [given[0]];
  for (let i = 0; i < (closed ? n : n - 1); i++) {
    const q = [ends(i - 1), ends(i), ends(i + 1), ends(i + 2)];
    const knots = [0];
    for (let k = 1; k < 4; k++) knots.push(knots[k - 1] + Math.max(1e-9, Math.sqrt(distance(q[k - 1], q[k]))));
    const parts = Math.max(1, Math.round(distance(q[1], q[2]) / step));
    for (let k = 1; k <= parts; k++) out.push(k === parts ? q[2] : barryGoldman(q, knots, knots[1] + ((knots[2] - knots[1]) * k) / parts));
  }
  return closed ? out.slice(0, -1) : out;
}

function barryGoldman(q: readonly Vec3[], knots: readonly number[], u: number): Vec3 {
  let list = [...q];
  for (let level = 1; level <= 3; level++)
    list = list.slice(1).map((b, i) => {
      // The last level is between the two middle knots.
      const [low, high] = level === 3 ? [knots[1], knots[2]] : [knots[i], knots[i + level]];
      const share = (u - low) / (high - low);
      return add(scaled(list[i], 1 - share), scaled(b, share));
    });
  return list[0];
}

/** A closed way round on a surface. @param given its places in order @param round as one smooth curve, else straight from place to place. @throws Unusable for fewer than three places */
export function loopAlong(it: CutMesh, given: readonly Vec3[], round: boolean, snap: ExactSnap | null): CutMesh {
  if (given.length < 3) throw new Unusable('loop-too-short', 'A loop goes through three places at least.', 'Pick more places round the area.');
  const places = round ? smoothThrough(given, stepOf(it.mesh, given), true) : [...given];
  const first = putPoint(it, places[0], snap);
  let [now, start] = [first.it, first.vertex];
  const own = new Set<number>();
  for (const place of places.slice(1)) {
    const put = putPoint(now, place, snap);
    if (put.vertex === start) continue;
    now = leg(put.it, { from: start, to: put.vertex, own }, snap, null).cut;
    start = put.vertex;
  }
  return start === first.vertex ? now : leg(now, { from: start, to: first.vertex, own }, snap, null).cut;
}
