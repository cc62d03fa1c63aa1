import type { Drawing } from './drawing.ts';
import { isFull, pointAt, reversed, type ArcSegment, type P2, type Segment } from './segment.ts';

/** Places of a piece at which arcs are held to each other, as shares: ends and middles of four spans. */
const shares = [0, 0.125, 0.25, 0.375, 0.5, 0.625, 0.75, 0.875, 1];
/** Between three places that lie within d of each other two arcs of at most a quarter turn part by at most this times d (Lebesgue's constant of three even places, 5/4). */
const between = 1.25;
/** So many pieces with their middles in one place are asked for a partner; where more lie on each other distances are measured. */
const mostAsked = 64;

/**
 * An upper bound of the distance between two drawings whose pieces are the same one by one, in whatever order and sense they come, mm.
 * Pieces are held to each other by what they are made of: Béziers and splines by their control points (a difference of curves lies in the hull
 * of the differences of those), arcs by nine places. Both ways at once: every piece of either has its partner in the other.
 * @param within pieces farther apart than this are no partners, mm @returns null when some piece has none: then distances have to be measured
 * @example pairedDistance(drawn, readBack, 1e-6) ?? drawingDistance(drawn, readBack)
 */
export function pairedDistance(a: Drawing, b: Drawing, within: number): number | null {
  const [mine, theirs] = [piecesOf(a), piecesOf(b)];
  if (mine.length !== theirs.length || mine.length === 0) return null;
  const places = new Places(theirs, Math.max(within * 4, 1e-9));
  const taken = new Uint8Array(theirs.length);
  let largest = 0;
  for (const [i, s] of mine.entries()) {
    // Files mostly keep the order: what comes next there is asked first.
    let off = taken[i] ? Infinity : apart(s, theirs[i], within);
    let partner = i;
    if (!(off <= within)) {
      let asked = 0;
      for (const j of places.near(middleOf(s))) {
        if (++asked > mostAsked) return null;
        if (taken[j]) continue;
        off = apart(s, theirs[j], within);
        partner = j;
        if (off <= within) break;
      }
    }
    if (!(off <= within)) return null;
    taken[partner] = 1;
    if (off > largest) largest = off;
  }
  return largest;
}

const piecesOf = (d: Drawing): Segment[] => d.layers.flatMap((l) => l.contours.flatMap((c) => c.segments));

/** At most how far two pieces are apart, either of them run backwards when that is nearer; Infinity when they are not of one kind, or farther than `within`. */
function apart(s: Segment, t: Segment, within: number): number {
  const straight = sameWay(s, t, within);
  return straight <= within ? straight : sameWay(s, reversed(t), within);
}

function sameWay(s: Segment, t: Segment, within: number): number {
  if (s.kind === 'line' && t.kind === 'line') return Math.max(far(s.a, t.a), far(s.b, t.b));
  if (s.kind === 'arc' && t.kind === 'arc') return arcsApart(s, t, within);
  const [p, q] = [hullOf(s), hullOf(t)];
  if (!p || !q || p.points.length !== q.points.length || !sameNumbers(p.knots, q.knots) || !sameNumbers(p.weights, q.weights)) return Infinity;
  let most = 0;
  for (let k = 0; k < p.points.length && most <= within; k++) most = Math.max(most, far(p.points[k], q.points[k]));
  return most;
}

function arcsApart(s: ArcSegment, t: ArcSegment, within: number): number {
  if (isFull(s) && isFull(t)) return far(s.centre, t.centre) + Math.abs(s.radius - t.radius);
  // Spans are a quarter turn at most, so that nothing bulges between the places.
  let most = Math.abs(s.sweep - t.sweep) < 0.1 ? 0 : Infinity;
  for (let k = 0; k < shares.length && most <= within; k++) most = Math.max(most, far(pointAt(s, shares[k]), pointAt(t, shares[k])));
  return most * between;
}

const far = (p: P2, q: P2): number => Math.hypot(p[0] - q[0], p[1] - q[1]);

/** Control points with what weighs them; a spline of one span without weights is a Bézier. */
function hullOf(s: Segment): { points: readonly P2[]; knots: readonly number[]; weights: readonly number[] } | null {
  if (s.kind === 'bezier') return { points: s.points, knots: [], weights: [] };
  if (s.kind !== 'spline') return null;
  const weights = s.weights?.some((w) => w !== s.weights![0]) ? s.weights.map((w) => w / s.weights![0]) : [];
  const [low, high] = [s.knots[0], s.knots[s.knots.length - 1]];
  const ends = s.degree + 1;
  const clamped = s.knots.slice(0, ends).every((k) => k === low) && s.knots.slice(-ends).every((k) => k === high);
  const inner = s.knots.slice(ends, -ends).map((k) => (k - low) / (high - low));
  return clamped ? { points: s.points, knots: inner, weights } : null;
}

const sameNumbers = (a: readonly number[], b: readonly number[]): boolean => a.length === b.length && a.every((v, i) => Math.abs(v - b[i]) <= 1e-12);

/** A place that both ways to say a piece have in common: a circle may begin anywhere. */
const middleOf = (s: Segment): P2 => (s.kind === 'arc' && isFull(s) ? s.centre : pointAt(s, 0.5));

/** Middles of pieces in squares, so that those near a place are found at once. */
class Places {
  private readonly squares = new Map<string, number[]>();
  private readonly side: number;

  constructor(pieces: readonly Segment[], side: number) {
    this.side = side;
    pieces.forEach((s, i) => {
      const [x, y] = middleOf(s);
      const key = this.key(Math.floor(x / side), Math.floor(y / side));
      const list = this.squares.get(key);
      if (list) list.push(i);
      else this.squares.set(key, [i]);
    });
  }

  *near([x, y]: P2): Generator<number> {
    const [c, r] = [Math.floor(x / this.side), Math.floor(y / this.side)];
    for (let dx = -1; dx <= 1; dx++) for (let dy = -1; dy <= 1; dy++) yield* this.squares.get(this.key(c + dx, r + dy)) ?? [];
  }

  private key(c: number, r: number): string {
    return `${c} ${r}`;
  }
}
