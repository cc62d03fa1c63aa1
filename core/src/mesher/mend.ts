import type { Surface } from '../surfaces/surfaces.ts';
import { ahead, behind } from './half-edges.ts';
import { isCrease } from './crease-number.ts';
import type { Filler } from './fill.ts';
import { newCorners } from './corner.ts';
import { Off } from './off.ts';
import type { FacePlane } from './plane.ts';

/** From this share of the deviation on a facet is looked at more closely. */
export const doubtful = 0.8;
/** Rounds of putting points where facets lie too far off, with evening out between; then until none does. */
const softRounds = 8;
const mostRounds = 24;
/** A place whose weight for a corner is below this lies on the edge against it. */
const onEdge = 1e-3;
/** A point is put no nearer to the ends of an edge, and to the edges of a facet, than these shares. */
const endShare = 0.2;
const edgeShare = 0.15;
/** Area of a triangle of three sides of 1; points are tried to be done without where what is left has no more than this share of it each. */
const fullArea = Math.sqrt(3) / 4;
const slimShare = 1.1;

/** A facet that lies too far off: how far, its corners, and weights of the place that is farthest. */
interface Bad {
  far: number;
  corners: [number, number, number];
  where: number[];
  /** Whether that place may be the only one that is too far off: then the point is put there, however near to an edge. */
  alone: boolean;
}

/** Puts points where facets lie farther off the surface than was asked for, and takes out those that can be done without. */
export class Mender {
  private readonly f: FacePlane;
  private readonly off: Off;
  private readonly corners = newCorners();
  /** Four numbers for each facet that was found near enough: corners, and how often they were set. */
  private known: Int32Array = new Int32Array(0);

  constructor(plane: FacePlane, surface: Surface) {
    this.f = plane;
    this.off = new Off(surface, plane.bend);
  }

  /** Puts points apart from one another where facets are too far off, and evens out round them. */
  soften(filler: Filler): void {
    for (let round = 0; round < softRounds; round++) {
      const before = this.f.t.points;
      if (this.repairs(true) === 0) return;
      filler.even(
        2,
        Array.from({ length: this.f.t.points - before }, (_, i) => before + i),
      );
    }
  }

  /** Puts points until no facet is too far off. */
  repair(): void {
    for (let round = 0; round < mostRounds; round++) if (this.repairs(false) === 0) return;
  }

  /** @param apart only where no other was put beside it; @returns how many facets were too far off */
  private repairs(apart: boolean): number {
    const { t } = this.f;
    const bad: Bad[] = [];
    for (let k = 0; k < t.triangles; k++) {
      if (this.isKnown(k)) continue;
      const far = this.offOf(k);
      if (far <= this.f.task.want.deviation) this.know(k);
      else bad.push({ far, corners: [t.corner[3 * k], t.corner[3 * k + 1], t.corner[3 * k + 2]], where: [...this.off.where], alone: this.off.alone });
    }
    if (apart) bad.sort((p, q) => q.far - p.far);
    const touched = new Set<number>();
    for (const { corners, where, alone } of bad) {
      if (apart && corners.some((p) => touched.has(p))) continue;
      this.mend(corners, where, alone);
      if (apart) for (const p of corners) touched.add(p);
    }
    return bad.length;
  }

  /** Whether a facet was looked at before and lay near enough, and none of its corners has moved since. */
  private isKnown(k: number): boolean {
    const { corner } = this.f.t;
    const { known } = this;
    return (
      4 * k + 3 < known.length &&
      known[4 * k] === corner[3 * k] &&
      known[4 * k + 1] === corner[3 * k + 1] &&
      known[4 * k + 2] === corner[3 * k + 2] &&
      known[4 * k + 3] === this.movesOf(k)
    );
  }

  private know(k: number): void {
    if (4 * k + 3 >= this.known.length) {
      const now = new Int32Array(8 * this.f.t.triangles + 64);
      now.set(this.known);
      this.known = now;
    }
    this.known.set(this.f.t.corner.subarray(3 * k, 3 * k + 3), 4 * k);
    this.known[4 * k + 3] = this.movesOf(k);
  }

  /** How often the corners of a facet were moved, all together. */
  private movesOf(k: number): number {
    const { corner } = this.f.t;
    return this.f.moves[corner[3 * k]] + this.f.moves[corner[3 * k + 1]] + this.f.moves[corner[3 * k + 2]];
  }

  /** How far a facet lies off; 0 for one that is no more than an edge: two of its corners are one vertex. */
  private offOf(k: number): number {
    const { t, place, normal, vertex } = this.f;
    for (let i = 0; i < 3; i++) {
      const p = t.corner[3 * k + i];
      const q = t.corner[3 * k + (i === 2 ? 0 : i + 1)];
      if (vertex[p] >= 0 && vertex[p] === vertex[q]) return 0;
      const c = this.corners[i];
      for (let j = 0; j < 3; j++) {
        c.p[j] = place[3 * p + j];
        c.n[j] = normal[3 * p + j];
      }
      c.off = this.f.off[p];
      c.u = this.f.u(p);
      c.v = this.f.v(p);
    }
    return this.off.of(this.corners, doubtful * this.f.task.want.deviation);
  }

  /** Puts a point where a facet is farthest off, when it still is one. */
  private mend(corners: readonly number[], where: readonly number[], alone: boolean): void {
    const { t } = this.f;
    const e = t.edge(corners[0], corners[1]);
    if (e < 0 || t.corner[behind(e)] !== corners[2]) return;
    const side = where.findIndex((w) => w < onEdge);
    if (side >= 0) {
      // On an edge: one that is shared with another face is not this face's to cut.
      const at = t.edge(corners[(side + 1) % 3], corners[(side + 2) % 3]);
      if (
        (t.fixed[at] === 0 || isCrease(t.keptAs(at))) &&
        this.f.cut(at, Math.max(endShare, Math.min(1 - endShare, where[corners.indexOf(t.corner[ahead(at)])])))
      )
        return;
    }
    const w = where.map((x) => Math.max(alone ? onEdge : edgeShare, x));
    const sum = w[0] + w[1] + w[2];
    const at = (list: Float64Array) => (w[0] * list[corners[0]] + w[1] * list[corners[1]] + w[2] * list[corners[2]]) / sum;
    this.f.put((e / 3) | 0, at(t.x), at(t.y));
  }

  /** Takes out points of its own that the promise can do without. */
  slim(): void {
    const { t } = this.f;
    for (let p = 3; p < t.points; p++) {
      if (!this.f.isOwn(p)) continue;
      const ring = this.roomyRing(p);
      if (ring) this.tryWithout(p, ring);
    }
  }

  /** The points round one, in order, where so few triangles would do by their area in the metric; else null. */
  private roomyRing(p: number): number[] | null {
    const { t, form } = this.f;
    const first = t.leaving[p];
    const ring: number[] = [];
    let area = 0;
    let e = first;
    do {
      const [a, b] = [t.corner[ahead(e)], t.corner[behind(e)]];
      ring.push(a);
      area += Math.abs((t.x[a] - t.x[p]) * (t.y[b] - t.y[p]) - (t.x[b] - t.x[p]) * (t.y[a] - t.y[p])) / 2;
      e = t.across[behind(e)];
    } while (e !== first && e >= 0);
    area *= Math.sqrt(Math.max(0, form[3 * p] * form[3 * p + 2] - form[3 * p + 1] ** 2));
    return area > slimShare * (ring.length - 2) * fullArea ? null : ring;
  }

  /** Takes a point out; puts it back when a facet that came in its place lies too far off. */
  private tryWithout(p: number, ring: readonly number[]): void {
    const { t } = this.f;
    const [x, y] = [t.x[p], t.y[p]];
    if (!t.remove(p)) return;
    for (const a of ring) for (const b of ring) if (a < b) this.doubt(t.edge(a, b));
    this.f.settle();
    const within = t.locate(x, y, (t.leaving[ring[0]] / 3) | 0);
    if (this.allNear(within, ring) || !t.restore(p, x, y, within)) this.f.gone.add(p);
    else this.f.settle();
  }

  private doubt(e: number): void {
    if (e >= 0) this.f.t.doubt(e);
  }

  /** Whether all facets between the points of a ring lie near enough, beginning with one of them. */
  private allNear(first: number, ring: readonly number[]): boolean {
    const { t } = this.f;
    const among = (p: number) => ring.includes(p);
    const seen = new Set<number>(first < 0 ? [] : [first]);
    for (const k of seen) {
      if (this.offOf(k) > this.f.task.want.deviation) return false;
      for (let e = 3 * k; e < 3 * k + 3; e++) {
        const other = t.across[e];
        if (other >= 0 && among(t.corner[e]) && among(t.corner[ahead(e)]) && among(t.corner[behind(other)])) seen.add((other / 3) | 0);
      }
    }
    return true;
  }
}
