import { ahead, behind } from './half-edges.ts';
import type { FacePlane } from './plane.ts';

/** Edges longer than this, by the metric, are halved; points nearer than that to another are taken out again. */
const tooLong = 1.35;
const tooShort = 0.7;
/** Rounds of halving until no edge is too long; rounds of evening out, taking out and halving after that. */
const mostRounds = 40;
const evenings = 1;
/** Points that would move less than this, by the metric, stay. */
const still = 0.02;

/**
 * Fills a face that is bent both ways with points of its own: edges are halved until none is too long by the metric, points moved to the middle of what lies round
 * them, taken out where too near. Sources: Frey and George, Mesh Generation, 7 (metric); Botsch and Kobbelt 2004 (halve, take out, even out); Chen and Xu 2004
 * (points to the middle of their patch).
 */
export class Filler {
  private readonly f: FacePlane;

  constructor(plane: FacePlane) {
    this.f = plane;
  }

  fill(): void {
    for (let round = 0; round < mostRounds; round++) if (this.halve() === 0) break;
    for (let round = 0; round < evenings; round++) {
      this.even(3);
      this.thin();
      this.halve();
    }
    this.even(3);
  }

  /** Halves edges that are too long, the longest first. @returns how many */
  private halve(): number {
    const { t } = this.f;
    const list: [number, number, number][] = [];
    for (let e = 0; e < 3 * t.triangles; e++) {
      if (t.across[e] <= e || t.fixed[e] > 0) continue;
      const long = this.f.long(t.corner[e], t.corner[ahead(e)]);
      if (long > tooLong) list.push([long, t.corner[e], t.corner[ahead(e)]]);
    }
    list.sort((p, q) => q[0] - p[0]);
    let made = 0;
    for (const [, a, b] of list) {
      const e = t.edge(a, b);
      if (e < 0 || t.fixed[e] > 0) continue;
      if (this.f.cut(e, 0.5)) made++;
    }
    return made;
  }

  /** Moves points to the middle of what lies round them, by area in the metric; in each pass those that moved before, and those beside them. */
  even(passes: number, first: readonly number[] = this.f.ownPoints()): void {
    const { t } = this.f;
    let active = first;
    const seen = new Uint8Array(t.points);
    for (let pass = 0; pass < passes && active.length > 0; pass++) {
      const next: number[] = [];
      seen.fill(0);
      for (const p of active) {
        if (!this.f.isOwn(p) || !this.centred(p)) continue;
        this.doubtAround(p, seen, next);
        if (seen[p] === 0) next.push(p);
        seen[p] = 1;
      }
      this.f.settleDoubts();
      active = next;
    }
  }

  /** Puts the edges round a point in doubt, and the points beside it into a list. */
  private doubtAround(p: number, seen: Uint8Array, list: number[]): void {
    const { t } = this.f;
    const begin = t.leaving[p];
    let e = begin;
    do {
      t.doubt(e);
      t.doubt(ahead(e));
      const q = t.corner[ahead(e)];
      if (seen[q] === 0 && this.f.isOwn(q)) list.push(q);
      seen[q] = 1;
      e = t.across[behind(e)];
    } while (e !== begin && e >= 0);
  }

  /** Moves a point to the middle of the triangles round it, unless it is there or one of them would turn over. @returns whether it did */
  private centred(p: number): boolean {
    const { t, form } = this.f;
    const { x, y, corner, across } = t;
    const first = t.leaving[p];
    let sum = 0;
    let sx = 0;
    let sy = 0;
    let e = first;
    do {
      const a = corner[ahead(e)];
      const b = corner[behind(e)];
      const uu = form[3 * p] + form[3 * a] + form[3 * b];
      const uv = form[3 * p + 1] + form[3 * a + 1] + form[3 * b + 1];
      const vv = form[3 * p + 2] + form[3 * a + 2] + form[3 * b + 2];
      const area = (x[a] - x[p]) * (y[b] - y[p]) - (x[b] - x[p]) * (y[a] - y[p]);
      const w = area * Math.sqrt(Math.max(0, uu * vv - uv * uv));
      sum += w;
      sx += w * (x[p] + x[a] + x[b]);
      sy += w * (y[p] + y[a] + y[b]);
      e = across[behind(e)];
    } while (e !== first && e >= 0);
    if (!(sum > 0) || e < 0) return false;
    const nx = sx / (3 * sum);
    const ny = sy / (3 * sum);
    const dx = nx - x[p];
    const dy = ny - y[p];
    if (form[3 * p] * dx * dx + 2 * form[3 * p + 1] * dx * dy + form[3 * p + 2] * dy * dy < still * still) return false;
    const ox = x[p];
    const oy = y[p];
    x[p] = nx;
    y[p] = ny;
    do {
      if (!(t.turn(p, corner[ahead(e)], corner[behind(e)]) > 0)) {
        x[p] = ox;
        y[p] = oy;
        return false;
      }
      e = across[behind(e)];
    } while (e !== first);
    this.f.own(p);
    return true;
  }

  /** Takes out points of its own that lie too near to another. */
  private thin(): void {
    const { t } = this.f;
    for (let p = 3; p < t.points; p++) {
      if (!this.f.isOwn(p)) continue;
      const first = t.leaving[p];
      let [e, near] = [first, Infinity];
      do {
        near = Math.min(near, this.f.long(p, t.corner[ahead(e)]));
        e = t.across[behind(e)];
      } while (e !== first && e >= 0);
      if (near < tooShort && t.remove(p)) this.f.gone.add(p);
    }
    this.f.settleAll();
  }
}
