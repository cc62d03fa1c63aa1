import { buildBvh, type Bvh } from '../../geometry/bvh/build.ts';
import { trianglesInBox } from '../../geometry/bvh/overlap.ts';
import { alongRay } from '../../geometry/bvh/ray.ts';
import { edgesOf, nextCorner, openLoops, type Loop } from '../../geometry/edges.ts';
import { measureMesh, type Mesh } from '../../geometry/mesh.ts';
import { keepTriangles, shellsOf, type Shells } from '../../geometry/shells.ts';
import { crossingsOf, touchShare } from '../soundness/crossings.ts';
import { fillHole, type HoleFill } from './fill.ts';
import { leastTurn, mostExact, type FillLimits } from './holes.ts';
import { sub, vecAt } from '../../geometry/vector.ts';
import { withIslands } from './islands.ts';

export interface Closed {
  mesh: Mesh;
  closed: number;
  triangles: number;
  /** The triangles that came new, over the vertices of the closed mesh. */
  fill: Mesh;
  /** Loops that were left, with the reason. */
  left: { loop: Loop; why: string }[];
}

/** A shell that filling would close to less than this share of a ball of its area is a flat sheet, not a solid with a hole. */
export const flatSheetShare = 1e-4;
/** So often a fill that would run through the part is tried another way. */
const mostTries = 120;
/** Loops of no more edges than this have all their triangles looked at, when nothing else closes them: n^3 / 6 of them. */
const mostLookedAt = 100;
/** And no more than so many loops, since each takes seconds. */
const mostLoopsLookedAt = 3;

/**
 * Closes the loops of open edges that `take` picks. A piece of surface that stands in a hole stays: the hole is filled around
 * it. No fill runs through the part or through another fill, uses an edge that is there already, or makes a solid of a sheet;
 * what can't be closed so is left open, with the reason.
 *
 * @param as.unitesLater shells that run into each other are united afterwards, so a fill may run into another shell.
 * @param take says why a loop is to be left; null closes it.
 */
export function holesClosed(mesh: Mesh, as: { how: HoleFill; unitesLater: boolean }, take: (loop: Loop) => string | null): Closed {
  const { positions, triangles: t } = mesh;
  const edges = edgesOf(t, positions.length / 3);
  const left: Closed['left'] = [];
  const none: Closed = { mesh, closed: 0, triangles: 0, fill: { positions, triangles: new Uint32Array(0) }, left };
  if (edges.open === 0) return none;
  const wanted: Loop[] = [];
  for (const loop of openLoops(t, edges).flatMap(simpleLoops)) {
    const why = !loop.closed ? 'its edges form no loop' : loop.vertices.length < 3 ? 'it is no wider than a line' : take(loop);
    if (why === null) wanted.push(loop);
    else left.push({ loop, why });
  }
  if (wanted.length === 0) return none;
  const shells = shellsOf(t, positions.length / 3, edges);
  const work = new Work(mesh, wanted, as.how, as.unitesLater ? shells : null);
  for (const loop of withIslands(mesh, wanted, shells)) {
    const why = work.close(loop);
    if (why !== null) left.push({ loop, why });
  }
  return work.done(left);
}

/** Triangles that close a loop: places that they bring, and vertices of the mesh or, beyond those, of them. */
interface Fill {
  positions: number[];
  triangles: number[];
}

/** The mesh with the fills so far. */
class Work {
  private readonly mesh: Mesh;
  private readonly how: HoleFill;
  private readonly bvh: Bvh;
  private readonly near: Map<number, Set<number>>;
  private readonly rings: Map<number, number[]> | null;
  private readonly fills: { triangles: number[]; box: number[]; loop: Loop; shells: Set<number> }[] = [];
  private readonly positions: number[] = [];

  /** Shells, where a fill may run into another one. */
  private readonly shells: Shells | null;
  /** The shells that the loop at work belongs to; empty for any. */
  private mine = new Set<number>();
  private lookedAt = 0;

  constructor(mesh: Mesh, loops: Loop[], how: HoleFill, shells: Shells | null) {
    this.mesh = mesh;
    this.how = how;
    this.shells = shells;
    this.bvh = buildBvh(mesh);
    this.near = neighboursOf(mesh, loops);
    this.rings = how === 'surface' ? outside(this.near) : null;
  }

  /** Why the loop could not be closed; null when it is. */
  close(loop: Loop): string | null {
    const v = loop.vertices;
    this.mine = this.shellsAt(v);
    const limits = this.limitsOf(v);
    const beside = this.besideOf(v);
    const tried = this.byTries(v, limits, beside);
    if (tried) return this.take(tried, loop);
    if (this.closesFlat(v)) return sheetRim;
    const other = this.byLooking(v, limits, beside) ?? this.byBending(v);
    return other ? this.take(other, loop) : 'every way to close it that was tried would run through the part';
  }

  /** Chords and triangles that no fill of a loop may have. */
  private limitsOf(v: readonly number[]): FillLimits & { banned: Set<number> } {
    const n = v.length;
    const banned = new Set<number>();
    const own = new Set<number>();
    const pair = (a: number, b: number) => Math.min(v[a], v[b]) * 2 ** 26 + Math.max(v[a], v[b]);
    for (let i = 0; i < n; i++) own.add(pair(i, (i + 1) % n));
    /** Chords that were looked at: 1 free, 2 through the part. */
    const chords = new Uint8Array(n <= mostExact ? n * n : 0);
    const through = (i: number, k: number) => {
      if (chords.length === 0) return false;
      chords[i * n + k] ||= this.pierced(v[i], v[k]) ? 2 : 1;
      return chords[i * n + k] === 2;
    };
    return {
      banned,
      edge: (i, k) => v[i] === v[k] || own.has(pair(i, k)) || this.near.get(v[i])?.has(v[k]) === true || through(i, k),
      triangle: (i, j, k) => banned.has((i * n + j) * n + k),
    };
  }

  /** Fills by least area, again without the triangles that ran through the part; where that goes on and on, by least turn. */
  private byTries(v: number[], limits: FillLimits & { banned: Set<number> }, beside: ReturnType<Work['besideOf']>): Fill | null {
    const n = v.length;
    const { banned } = limits;
    const tries = Math.max(1, Math.min(mostTries, Math.floor(3e8 / Math.min(n, mostExact) ** 3)));
    const turns = Math.ceil(tries / 3);
    for (let round = 0; round < tries; round++) {
      // The least area first; where that runs through the part again and again, the least turn.
      if (round === turns) banned.clear();
      const late = round >= tries / 3;
      const flat = beside !== null && late ? this.turned(v, beside, limits) : fillHole(this.mesh, v, { how: 'flat', limits });
      if (flat.triangles.length === 0) break;
      const made = this.how === 'surface' && round === 0 ? fillHole(this.mesh, v, { how: 'surface', ring: this.ringOf(v), limits }) : flat;
      const wrong = this.crossing(made, v);
      if (wrong === null) {
        if (late) break;
        round = turns - 1;
        continue;
      }
      if (wrong.length === 0) return made;
      if (made !== flat) continue;
      const before = banned.size;
      for (const f of wrong) banned.add(tripleOf(flat.corners, f, n));
      if (banned.size === before && late) break;
    }
    return null;
  }

  /** What is beside each vertex of a loop and on no loop. */
  private ringOf(v: readonly number[]): number[][] {
    return v.map((x) => this.rings?.get(x) ?? []);
  }

  private turned(v: number[], beside: Float64Array, limits: FillLimits): Fill & { corners: number[] } {
    const corners = leastTurn(this.pointsOf(v), beside, limits);
    return { positions: [], triangles: corners.map((i) => v[i]), corners };
  }

  /** Of a short loop every triangle can be looked at before any is taken. */
  private byLooking(v: number[], limits: FillLimits, beside: ReturnType<Work['besideOf']>): Fill | null {
    const n = v.length;
    if (beside === null || n > mostLookedAt || this.lookedAt++ >= mostLoopsLookedAt) return null;
    const seen = new Uint8Array(n * n * n);
    const every: FillLimits = {
      edge: limits.edge,
      triangle: (i, j, k) => (seen[(i * n + j) * n + k] ||= this.crossing({ positions: [], triangles: [v[i], v[j], v[k]] }, v)?.length === 0 ? 1 : 2) === 2,
    };
    const corners = leastTurn(this.pointsOf(v), beside, every);
    const made = { positions: [], triangles: corners.map((i) => v[i]) };
    return corners.length > 0 && this.crossing(made, v)?.length === 0 ? made : null;
  }

  /** Bent the way the surface around it goes, it may pass where a flat one does not. */
  private byBending(v: number[]): Fill | null {
    if (this.how !== 'flat' || v.length < 5 || v.length > 400) return null;
    const rings = outside(this.near);
    const bent = fillHole(this.mesh, v, { how: 'surface', ring: v.map((x) => rings.get(x) ?? []) });
    return bent.triangles.length > 0 && this.crossing(bent, v)?.length === 0 ? bent : null;
  }

  /** Whether the straight line between two vertices goes through the part. */
  private pierced(a: number, b: number): boolean {
    const { positions: p, triangles: t } = this.mesh;
    const along = sub(vecAt(p, b * 3), vecAt(p, a * 3));
    let hit = false;
    alongRay(this.bvh, { from: vecAt(p, a * 3), along, start: 1e-9, end: 1 - 1e-9 }, (at, tri) => {
      if (!this.counts(tri)) return 1 - 1e-9;
      for (let k = 0; k < 3; k++) if (t[tri * 3 + k] === a || t[tri * 3 + k] === b) return 1 - 1e-9;
      hit = true;
      return at;
    });
    return hit;
  }

  /** Whether the shell of a loop, closed by the least area, would hold nearly nothing. */
  private closesFlat(loop: readonly number[]): boolean {
    const { positions, triangles: t } = this.mesh;
    const flat = fillHole(this.mesh, loop, { how: 'flat' }).triangles;
    const shells = this.shells ?? shellsOf(t, positions.length / 3);
    const own = this.shells ? this.mine : new Set([...t.keys()].flatMap((c) => (t[c] === loop[0] ? [shells.of[Math.floor(c / 3)]] : [])));
    const kept: number[] = [];
    for (let i = 0; i < t.length; i += 3) if (own.has(shells.of[i / 3])) kept.push(t[i], t[i + 1], t[i + 2]);
    const { volume, area } = measureMesh({ positions, triangles: Uint32Array.from([...kept, ...flat]) });
    return isFlat(volume, area);
  }

  private shellsAt(loop: readonly number[]): Set<number> {
    const out = new Set<number>();
    if (this.shells === null) return out;
    const on = new Set(loop);
    const { triangles: t } = this.mesh;
    for (let c = 0; c < t.length; c++) if (on.has(t[c])) out.add(this.shells.of[Math.floor(c / 3)]);
    return out;
  }

  private counts(tri: number): boolean {
    return this.shells === null || this.mine.has(this.shells.of[tri]);
  }

  private meets(fill: { shells: Set<number> }): boolean {
    return this.shells === null || [...fill.shells].some((s) => this.mine.has(s));
  }

  private pointsOf(loop: readonly number[]): Float64Array {
    const points = new Float64Array(loop.length * 3);
    loop.forEach((v, i) => points.set(this.mesh.positions.subarray(v * 3, v * 3 + 3), i * 3));
    return points;
  }

  /** The far corner of the triangle at each edge of a loop; null when an edge (a bridge) has none. */
  private besideOf(loop: readonly number[]): Float64Array | null {
    const wanted = new Map<number, number>();
    loop.forEach((v, i) => wanted.set(v * 2 ** 26 + loop[(i + 1) % loop.length], i));
    const out = new Float64Array(loop.length * 3);
    let found = 0;
    const { positions: p, triangles: t } = this.mesh;
    for (let c = 0; c < t.length; c++) {
      // The triangle runs along the edge the other way round than the fill will.
      const i = wanted.get(t[c % 3 === 2 ? c - 2 : c + 1] * 2 ** 26 + t[c]);
      if (i === undefined) continue;
      const far = t[c % 3 === 0 ? c + 2 : c - 1] * 3;
      out.set(p.subarray(far, far + 3), i * 3);
      found++;
    }
    return found >= loop.length ? out : null;
  }

  private take(made: { positions: number[]; triangles: number[] }, loop: Loop): null {
    const base = this.mesh.positions.length / 3;
    const shift = this.positions.length / 3;
    const triangles = made.triangles.map((x) => (x >= base ? x + shift : x));
    this.positions.push(...made.positions);
    for (let i = 0; i < triangles.length; i++) {
      const [a, b] = [triangles[i], triangles[i % 3 === 2 ? i - 2 : i + 1]];
      this.near.get(a)?.add(b);
      this.near.get(b)?.add(a);
    }
    this.fills.push({ triangles, box: this.boxOf(triangles), loop, shells: this.mine });
    return null;
  }

  private at(v: number, k: number): number {
    const n = this.mesh.positions.length;
    return v * 3 < n ? this.mesh.positions[v * 3 + k] : this.positions[v * 3 - n + k];
  }

  private boxOf(triangles: number[]): number[] {
    const box = [Infinity, Infinity, Infinity, -Infinity, -Infinity, -Infinity];
    for (const v of triangles)
      for (let k = 0; k < 3; k++) {
        box[k] = Math.min(box[k], this.at(v, k));
        box[k + 3] = Math.max(box[k + 3], this.at(v, k));
      }
    return box;
  }

  /** Which triangles of a fill go through or lie on others; null when its edges are no skin. */
  private crossing(made: { positions: number[]; triangles: number[] }, loop: number[]): number[] | null {
    const base = this.mesh.positions.length / 3;
    const shift = this.positions.length / 3;
    const fill = made.triangles.map((x) => (x >= base ? x + shift : x));
    if (!isSkin(fill)) return null;
    // The fill's own places stand behind the others while it is looked at.
    this.positions.push(...made.positions);
    const box = this.boxOf(fill);
    const others = this.othersIn(box);
    const near = this.aloneWith(fill, others, box);
    const touching = this.touching(fill, loop, box);
    this.positions.length -= made.positions.length;
    const found = crossingsOf(buildBvh(near), 20_000);
    const count = fill.length / 3;
    const wrong = new Set<number>();
    for (const pairs of [found.crossing, found.lying]) for (const f of pairs) if (f < count && wrong.size < 10_000) wrong.add(f);
    for (const f of sameCorners(fill, others, loop)) wrong.add(f);
    for (const f of touching) wrong.add(f);
    return [...wrong];
  }

  /** Triangles of the part and of fills that are near enough to be met, as corners. */
  private othersIn(box: number[]): number[] {
    const { triangles: t } = this.mesh;
    const others: number[] = [];
    trianglesInBox(this.bvh, box, (tri) => {
      if (this.counts(tri)) others.push(t[tri * 3], t[tri * 3 + 1], t[tri * 3 + 2]);
    });
    for (const f of this.fills)
      if (this.meets(f) && f.box.every((b, k) => (k < 3 ? b <= box[k + 3] : b >= box[k - 3]))) for (const x of f.triangles) others.push(x);
    return others;
  }

  /** A fill, and what is near it, as a mesh of its own about the middle of a box. */
  private aloneWith(fill: readonly number[], others: readonly number[], box: readonly number[]): Mesh {
    const renamed = new Map<number, number>();
    const local: number[] = [];
    const triangles = Uint32Array.from([...fill, ...others], (v) => {
      let at = renamed.get(v);
      if (at === undefined) {
        at = renamed.size;
        renamed.set(v, at);
        for (let k = 0; k < 3; k++) local.push(this.at(v, k) - (box[k] + box[k + 3]) / 2);
      }
      return at;
    });
    return { positions: Float64Array.from(local), triangles };
  }

  /** Triangles of a fill with a vertex of the loop on an edge of them that is none of their corners: a T that no file can hold. */
  private touching(fill: number[], loop: number[], box: number[]): number[] {
    const reach = Math.hypot(box[3] - box[0], box[4] - box[1], box[5] - box[2]);
    const near = (reach * touchShare * 10) ** 2;
    const out: number[] = [];
    if (loop.length * fill.length > 2e7) return out;
    for (let f = 0; f < fill.length; f += 3) {
      for (let k = 0; k < 3; k++) {
        const [a, b] = [fill[f + k], fill[f + ((k + 1) % 3)]];
        const d = [0, 1, 2].map((c) => this.at(b, c) - this.at(a, c));
        const long = d[0] * d[0] + d[1] * d[1] + d[2] * d[2];
        for (const v of loop) {
          if (v === a || v === b) continue;
          const e0 = this.at(v, 0) - this.at(a, 0);
          const e1 = this.at(v, 1) - this.at(a, 1);
          const e2 = this.at(v, 2) - this.at(a, 2);
          const s = (e0 * d[0] + e1 * d[1] + e2 * d[2]) / long;
          if (!(s > 0 && s < 1)) continue;
          if ((e0 - s * d[0]) ** 2 + (e1 - s * d[1]) ** 2 + (e2 - s * d[2]) ** 2 > near) continue;
          out.push(f / 3);
          k = 3;
          break;
        }
      }
    }
    return out;
  }

  done(left: Closed['left']): Closed {
    const { mesh } = this;
    const positions = new Float64Array(mesh.positions.length + this.positions.length);
    positions.set(mesh.positions);
    positions.set(this.positions, mesh.positions.length);
    const with_ = (fills: Work['fills']) => {
      const added = fills.flatMap((f) => f.triangles);
      const triangles = new Uint32Array(mesh.triangles.length + added.length);
      triangles.set(mesh.triangles);
      triangles.set(added, mesh.triangles.length);
      return { positions, triangles };
    };
    let fills = this.fills;
    const whole = with_(fills);
    const sheets = sheetsIn(whole, mesh.triangles.length / 3);
    if (sheets) {
      let at = mesh.triangles.length / 3;
      const stay: Work['fills'] = [];
      for (const fill of fills) {
        if (sheets(at)) left.push({ loop: fill.loop, why: sheetRim });
        else stay.push(fill);
        at += fill.triangles.length / 3;
      }
      fills = stay;
    }
    const closed = fills === this.fills ? whole : with_(fills);
    const added = closed.triangles.slice(mesh.triangles.length);
    return { mesh: closed, closed: fills.length, triangles: added.length / 3, fill: { positions, triangles: added }, left };
  }
}

/** Three places of a loop of n, in rising order, as one number. */
function tripleOf(corners: readonly number[], triangle: number, n: number): number {
  const [i, j, k] = corners.slice(triangle * 3, triangle * 3 + 3).sort((a, b) => a - b);
  return (i * n + j) * n + k;
}

/** Whether no edge of a fill has more than two of its triangles. */
function isSkin(fill: readonly number[]): boolean {
  const uses = new Map<number, number>();
  for (let i = 0; i < fill.length; i++) {
    const [a, b] = [fill[i], fill[nextCorner(i)]];
    const key = Math.min(a, b) * 2 ** 26 + Math.max(a, b);
    uses.set(key, (uses.get(key) ?? 0) + 1);
  }
  return [...uses.values()].every((count) => count <= 2);
}

/** Triangles of a fill over the same three corners as one that is there: they are no fill. */
function sameCorners(fill: readonly number[], others: readonly number[], loop: readonly number[]): number[] {
  const on = new Set(loop);
  const present = new Set<string>();
  const named = (three: readonly number[]) => three.toSorted((a, b) => a - b).join('/');
  for (let i = 0; i < others.length; i += 3) {
    const three = others.slice(i, i + 3);
    if (three.every((v) => on.has(v))) present.add(named(three));
  }
  const out: number[] = [];
  if (present.size > 0) for (let f = 0; f < fill.length; f += 3) if (present.has(named(fill.slice(f, f + 3)))) out.push(f / 3);
  return out;
}

/** A ball has volume area^1.5 / (6 sqrt(pi)); a sheet without thickness holds nearly nothing. mm3, mm2. */
const isFlat = (volume: number, area: number): boolean => Math.abs(volume) < (flatSheetShare * area ** 1.5) / (6 * Math.sqrt(Math.PI));

const sheetRim = 'it is the rim of a sheet without thickness; thicken it (Join and divide) instead';

/** Tells triangles of shells that the fill closed to nearly nothing; null when there are none. */
function sheetsIn(mesh: Mesh, from: number): ((triangle: number) => boolean) | null {
  const shells = shellsOf(mesh.triangles, mesh.positions.length / 3);
  const touched = new Set<number>();
  for (let tri = from; tri < shells.of.length; tri++) if (shells.of[tri] >= 0) touched.add(shells.of[tri]);
  const flat = new Set<number>();
  for (const s of touched) {
    const { volume, area } = measureMesh(shells.count === 1 ? mesh : keepTriangles(mesh, (tri) => shells.of[tri] === s));
    if (isFlat(volume, area)) flat.add(s);
  }
  return flat.size === 0 ? null : (tri) => flat.has(shells.of[tri]);
}

/** A loop that runs through a vertex twice is parted there into simple ones. */
function simpleLoops(loop: Loop): Loop[] {
  if (!loop.closed) return [loop];
  const out: Loop[] = [];
  const path: number[] = [];
  const where = new Map<number, number>();
  for (const v of loop.vertices) {
    const at = where.get(v);
    if (at !== undefined) {
      const part = path.splice(at);
      for (const x of part) where.delete(x);
      if (part.length > 1) out.push({ vertices: part, closed: true });
    }
    where.set(v, path.length);
    path.push(v);
  }
  if (path.length > 1) out.push({ vertices: path, closed: true });
  return out;
}

/** Every vertex that a loop's vertex has an edge to. */
function neighboursOf(mesh: Mesh, loops: Loop[]): Map<number, Set<number>> {
  const on = new Map<number, Set<number>>();
  for (const loop of loops) for (const v of loop.vertices) on.set(v, new Set());
  const { triangles: t } = mesh;
  for (let c = 0; c < t.length; c++) {
    const set = on.get(t[c]);
    if (!set) continue;
    set.add(t[c % 3 === 2 ? c - 2 : c + 1]);
    set.add(t[c % 3 === 0 ? c + 2 : c - 1]);
  }
  return on;
}

/** The neighbours of each vertex of a loop that are on no loop. */
function outside(near: Map<number, Set<number>>): Map<number, number[]> {
  return new Map([...near].map(([v, set]) => [v, [...set].filter((o) => !near.has(o))]));
}
