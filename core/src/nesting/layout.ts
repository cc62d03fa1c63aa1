import { collide } from './collide.ts';
import type { Variant } from './shape.ts';

/** A rectangle that parts are laid in: its width may change while a strip is made shorter. mm. */
export interface Room {
  width: number;
  height: number;
}

/** Something to be laid: as which of its variants it may lie, and in which rooms; null: in all. */
export interface Piece {
  variants: readonly Variant[];
  rooms: readonly number[] | null;
}

/** What lies fast in a room: defects, the part of a box that is no sheet, locked parts. */
export interface Fixed {
  variant: Variant;
  room: number;
  x: number;
  y: number;
}

/** Where a piece lies: its variant by number, its room, and the low left corner of its box. */
export interface Place {
  variant: number;
  room: number;
  x: number;
  y: number;
}

/** How far circles may be apart before they count for next to nothing, as a share of the pieces' size. */
const softShare = 0.01;

/**
 * How much two shapes that overlap lie in each other, as a length: it falls when they are moved apart, also where their area in common does not.
 * Source: Gardeyn and Wauters, 2025, from the penetration of inscribed circles.
 */
export function depthOf(a: Variant, b: Variant, dx: number, dy: number): number {
  const [p, q] = [a.poles, b.poles];
  const soft = softShare * Math.max(a.width, a.height, b.width, b.height);
  const far = 6 * soft;
  let sum = soft * soft;
  for (let i = 0; i < p.length; i += 3) {
    const px = p[i] - dx;
    const py = p[i + 1] - dy;
    const pr = p[i + 2];
    for (let j = 0; j < q.length; j += 3) {
      const ex = q[j] - px;
      const ey = q[j + 1] - py;
      const qr = q[j + 2];
      const reach = pr + qr + far;
      const d = ex * ex + ey * ey;
      // Farther apart they add next to nothing.
      if (d > reach * reach) continue;
      const deep = pr + qr - Math.sqrt(d);
      sum += (deep >= soft ? deep : (soft * soft) / (2 * soft - deep)) * (pr < qr ? pr : qr);
    }
  }
  return Math.sqrt(sum) * a.weight * b.weight;
}

/** Pieces in rooms, which may overlap while places are looked for; each pair has a weight that grows while it does. */
export class Layout {
  readonly places: Place[];
  readonly depths: Float64Array;
  readonly weights: Float64Array;
  readonly pieces: readonly Piece[];
  readonly rooms: Room[];
  readonly fixed: readonly Fixed[];
  /** Pairs looked at so far: the measure of work. */
  looked = 0;

  constructor(pieces: readonly Piece[], rooms: readonly Room[], fixed: readonly Fixed[], places: readonly Place[]) {
    this.pieces = pieces;
    this.rooms = rooms.map((r) => ({ ...r }));
    this.fixed = fixed;
    this.places = places.map((p) => ({ ...p }));
    const wide = pieces.length + fixed.length;
    this.depths = new Float64Array(pieces.length * wide);
    this.weights = new Float64Array(pieces.length * wide).fill(1);
    for (let i = 0; i < pieces.length; i++) this.measure(i);
  }

  private get wide(): number {
    return this.pieces.length + this.fixed.length;
  }

  variantOf(i: number): Variant {
    return this.pieces[i].variants[this.places[i].variant];
  }

  /** Depths of a piece against all others, anew. */
  measure(i: number): void {
    const { places, depths, wide } = this;
    const n = places.length;
    const here = places[i];
    const v = this.variantOf(i);
    for (let j = 0; j < n; j++) {
      if (j === i) continue;
      const there = places[j];
      let depth = 0;
      if (there.room === here.room) {
        const [dx, dy] = [there.x - here.x, there.y - here.y];
        const w = this.variantOf(j);
        if (collide(v, w, dx, dy)) depth = depthOf(v, w, dx, dy);
      }
      depths[i * wide + j] = depths[j * wide + i] = depth;
    }
    this.fixed.forEach((f, k) => {
      let depth = 0;
      if (f.room === here.room && collide(v, f.variant, f.x - here.x, f.y - here.y)) depth = depthOf(v, f.variant, f.x - here.x, f.y - here.y);
      depths[i * wide + n + k] = depth;
    });
    this.looked += n;
  }

  /** Weighted depth of a piece where it lies. */
  burden(i: number): number {
    const { depths, weights, wide } = this;
    let sum = 0;
    for (let k = i * wide; k < (i + 1) * wide; k++) if (depths[k] > 0) sum += depths[k] * weights[k];
    return sum;
  }

  /** Whether a piece overlaps anything. */
  clashing(i: number): boolean {
    const { depths, wide } = this;
    for (let k = i * wide; k < (i + 1) * wide; k++) if (depths[k] > 0) return true;
    return false;
  }

  /** Sum of all depths without weights: 0 when nothing overlaps. */
  total(): number {
    const { depths, wide, places } = this;
    const n = places.length;
    let sum = 0;
    for (let i = 0; i < n; i++) {
      for (let j = i + 1; j < n; j++) sum += depths[i * wide + j];
      for (let k = n; k < wide; k++) sum += depths[i * wide + k];
    }
    return sum;
  }

  /** Weighted depth that a piece would have at a place; at least `most` when it is no less than that. */
  // eslint-disable-next-line max-params -- scalars, since nothing may be allocated here: it is asked for every place that is tried
  burdenAt(i: number, v: Variant, room: number, x: number, y: number, most: number): number {
    const { places, weights, fixed, wide } = this;
    const n = places.length;
    const row = i * wide;
    let sum = 0;
    for (let j = 0; j < n; j++) {
      if (j === i) continue;
      const there = places[j];
      if (there.room !== room) continue;
      const dx = there.x - x;
      if (dx >= v.width) continue;
      const dy = there.y - y;
      if (dy >= v.height) continue;
      const w = this.pieces[j].variants[there.variant];
      if (dx + w.width <= 0 || dy + w.height <= 0) continue;
      this.looked++;
      if (!collide(v, w, dx, dy)) continue;
      sum += depthOf(v, w, dx, dy) * weights[row + j];
      if (sum >= most) return sum;
    }
    for (let k = 0; k < fixed.length; k++) {
      const f = fixed[k];
      if (f.room !== room || !collide(v, f.variant, f.x - x, f.y - y)) continue;
      sum += depthOf(v, f.variant, f.x - x, f.y - y) * weights[row + n + k];
      if (sum >= most) return sum;
    }
    return sum;
  }

  move(i: number, place: Place): void {
    this.places[i] = place;
    this.measure(i);
  }

  /** Pairs that overlap weigh more by how deep they do, the others a little less. Source: guided local search, Voudouris and Tsang, 1999; as used by Umetani et al., 2009. */
  reweigh(): void {
    const { depths, weights } = this;
    let most = 0;
    for (const d of depths) if (d > most) most = d;
    if (most === 0) return;
    for (let k = 0; k < depths.length; k++) {
      if (depths[k] > 0) weights[k] *= 1.2 + (0.8 * depths[k]) / most;
      else if (weights[k] > 1) weights[k] = Math.max(1, weights[k] * 0.95);
    }
  }

  saved(): Place[] {
    return this.places.map((p) => ({ ...p }));
  }

  restore(places: readonly Place[]): void {
    for (let i = 0; i < places.length; i++) this.places[i] = { ...places[i] };
    for (let i = 0; i < places.length; i++) this.measure(i);
  }
}
