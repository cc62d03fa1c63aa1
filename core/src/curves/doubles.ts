import { checkDrawing } from './check.ts';
import { contourOf, type Contour, type Drawing } from './drawing.ts';
import { lengthOf } from './measure.ts';
import type { Spot } from './meetings.ts';
import { isFull, pieceOf, turn, type ArcSegment, type LineSegment, type P2, type Segment } from './segment.ts';

/** What taking doubles away did: pieces that went or were shortened and how long that was together, mm; edges of two closed contours, which stay. */
export interface WithoutDoubles {
  drawing: Drawing;
  dropped: number;
  shared: number;
  length: number;
}

/**
 * Takes away what lies on something else. Closed contours are dropped only whole; an edge shared by two of them stays. Of open ones what
 * comes later in the drawing goes: of lines and arcs the part that lies on the other, of other curves the piece that lies on it as a whole.
 * @example withoutDoubles(drawing, 1e-4).dropped
 */
export function withoutDoubles(drawing: Drawing, tolerance: number): WithoutDoubles {
  const { doubles, overlaps } = checkDrawing(drawing, tolerance);
  if (doubles.length + overlaps.length === 0) return { drawing, dropped: 0, shared: 0, length: 0 };
  const pairOf =
    (whole: boolean) =>
    ({ segments: [i, j] }: Spot): Pair => ({ i, j, whole });
  const work = new Doubles(drawing, tolerance, [...doubles.map(pairOf(true)), ...overlaps.map(pairOf(false))]);
  work.dropClosed();
  const shared = work.cutOpen();
  return { drawing: work.rest(drawing), ...work.taken(), shared };
}

type Share = [from: number, to: number];

/** Two pieces that lie on each other; `whole` when the shorter one does from end to end. */
interface Pair {
  i: number;
  j: number;
  whole: boolean;
}

class Doubles {
  private readonly segments: Segment[] = [];
  private readonly contours: Contour[] = [];
  /** The contour of each segment, and the first segment of each contour. */
  private readonly owner: number[] = [];
  private readonly first: number[] = [];
  private readonly gone = new Set<number>();
  private readonly cut = new Map<number, Share[]>();
  private readonly lengths: Float64Array;
  private readonly pairs: readonly Pair[];
  private readonly tolerance: number;

  constructor(drawing: Drawing, tolerance: number, pairs: readonly Pair[]) {
    this.tolerance = tolerance;
    this.pairs = pairs;
    for (const c of drawing.layers.flatMap((l) => l.contours)) {
      this.first.push(this.segments.length);
      for (const s of c.segments) {
        this.segments.push(s);
        this.owner.push(this.contours.length);
      }
      this.contours.push(c);
    }
    this.lengths = Float64Array.from(this.segments, lengthOf);
  }

  /**
   * Later contours first, so that the first of several stays. A closed contour goes only when all of it lies on one other that stays: the middle
   * one of nine in a field has its edges on its neighbours', and is no copy of anything.
   */
  dropClosed(): void {
    const lies = new Map<number, number[]>();
    const lie = (i: number, on: number) => {
      const list = lies.get(i);
      if (list) list.push(on);
      else lies.set(i, [on]);
    };
    for (const { i, j, whole } of this.pairs) {
      if (whole && this.holds(j, i)) lie(i, j);
      if (whole && this.holds(i, j)) lie(j, i);
    }
    for (let c = this.contours.length - 1; c >= 0; c--) {
      if (!this.contours[c].closed) continue;
      const own = this.contours[c].segments.map((_, k) => this.first[c] + k);
      /** Contours that each piece so far lies on. */
      let under: Set<number> | null = null;
      for (const i of own) {
        const these: number[] = (lies.get(i) ?? []).filter((j) => !this.gone.has(j)).map((j) => this.owner[j]);
        under = new Set(these.filter((d) => d !== c && (under === null || under.has(d)) && this.contours[d].closed));
        if (under.size === 0) break;
      }
      if (under?.size) for (const i of own) this.gone.add(i);
    }
  }

  /** How many pieces went or were shortened, and how long that was: each place once, however many pieces lay there. */
  taken(): Pick<WithoutDoubles, 'dropped' | 'length'> {
    let length = 0;
    for (const i of this.gone) length += this.lengths[i];
    for (const [i, shares] of this.cut) length += this.lengths[i] * (1 - leftOver(shares).reduce((sum, [from, to]) => sum + to - from, 0));
    return { dropped: this.gone.size + this.cut.size, length };
  }

  /** Whether one piece is as long as another that lies on it. */
  private holds(j: number, i: number): boolean {
    return this.lengths[j] >= this.lengths[i] - 4 * this.tolerance;
  }

  /** Looks what goes of open contours. @returns how many edges two closed contours share */
  cutOpen(): number {
    let shared = 0;
    for (const { i, j, whole } of this.pairs) {
      if (this.gone.has(i) || this.gone.has(j)) continue;
      const [a, b] = [this.contours[this.owner[i]], this.contours[this.owner[j]]];
      if (a.closed && b.closed) {
        shared++;
        continue;
      }
      const later = a.closed || !b.closed;
      if (this.cutAway(later ? j : i, later ? i : j, whole)) continue;
      // Of two curves the longer one can't be cut; the shorter may be the one to go.
      if (!a.closed && !b.closed) this.cutAway(i, j, whole);
    }
    return shared;
  }

  /** Marks what of a piece lies on another. @returns whether anything does */
  private cutAway(i: number, other: number, whole: boolean): boolean {
    const [s, o] = [this.segments[i], this.segments[other]];
    const straight = (s.kind === 'line' || s.kind === 'arc') && s.kind === o.kind;
    const shares = straight ? coveredShares(s, o as LineSegment | ArcSegment) : whole && this.holds(other, i) ? [[0, 1] as Share] : [];
    if (shares.length === 0) return false;
    const before = this.cut.get(i);
    if (before) before.push(...shares);
    else this.cut.set(i, shares);
    return true;
  }

  /** What is left of the drawing. */
  rest(drawing: Drawing): Drawing {
    let c = 0;
    return {
      ...drawing,
      layers: drawing.layers.map((layer) => ({ ...layer, contours: layer.contours.flatMap((contour) => this.restOf(contour, this.first[c++])) })),
    };
  }

  private restOf(contour: Contour, first: number): Contour[] {
    const touched = contour.segments.some((_, k) => this.gone.has(first + k) || this.cut.has(first + k));
    if (!touched) return [contour];
    const pieces: Segment[][] = [[]];
    contour.segments.forEach((s, k) => {
      const i = first + k;
      const left = this.gone.has(i) ? [] : leftOver(this.cut.get(i) ?? []);
      if (left[0]?.[0] !== 0) pieces.push([]);
      for (const [from, to] of left) {
        const whole = from === 0 && to === 1;
        if (!whole && (to - from) * this.lengths[i] <= 4 * this.tolerance) continue;
        if (from > 0) pieces.push([]);
        pieces[pieces.length - 1].push(whole ? s : pieceOf(s as LineSegment | ArcSegment, from, to));
        if (to < 1) pieces.push([]);
      }
    });
    return pieces
      .filter((p) => p.length > 0)
      .map((segments) => ({ ...contourOf(segments, false, contour.colour), meaning: contour.meaning, depth: contour.depth }));
  }
}

/** Which shares of a line or arc lie on another of its kind: an arc may lie on both ends of one that is nearly full. */
function coveredShares(s: LineSegment | ArcSegment, other: LineSegment | ArcSegment): Share[] {
  if (s.kind === 'line' && other.kind === 'line') {
    const squared = (s.b[0] - s.a[0]) ** 2 + (s.b[1] - s.a[1]) ** 2;
    const along = [other.a, other.b].map((p: P2) => ((p[0] - s.a[0]) * (s.b[0] - s.a[0]) + (p[1] - s.a[1]) * (s.b[1] - s.a[1])) / squared);
    return [[Math.max(0, Math.min(...along)), Math.min(1, Math.max(...along))] as Share].filter(([from, to]) => to > from);
  }
  if (s.kind !== 'arc' || other.kind !== 'arc') return [];
  if (isFull(other)) return [[0, 1]];
  const sign = Math.sign(s.sweep);
  const low = other.sweep * sign > 0 ? other.start : other.start + other.sweep;
  let from = (sign * (low - s.start)) % turn;
  if (from > turn - 1e-9) from -= turn;
  if (from < -1e-9) from += turn;
  const to = from + Math.abs(other.sweep);
  const size = Math.abs(s.sweep);
  // The other may begin behind this arc's start and reach into it.
  const spans: Share[] = [
    [Math.max(0, from), Math.min(size, to)],
    [0, Math.min(size, to - turn)],
  ];
  return spans.filter(([a, b]) => b - a > 1e-9).map(([a, b]) => [a / size, b / size]);
}

/** What of 0..1 isn't covered, in its order. */
function leftOver(shares: readonly Share[]): Share[] {
  const out: Share[] = [];
  let at = 0;
  for (const [from, to] of [...shares].sort((a, b) => a[0] - b[0])) {
    if (from > at + 1e-12) out.push([at, from]);
    at = Math.max(at, to);
  }
  if (at < 1 - 1e-12) out.push([at, 1]);
  return out;
}
