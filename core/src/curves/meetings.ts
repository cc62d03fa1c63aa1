import { reachOf } from './drawing.ts';
import { flattenInto } from './flatten.ts';
import { growBySegment, lengthOf, noBox, type Box2 } from './measure.ts';
import { meetingOf, type Meeting, type Piece } from './meet.ts';
import { boxPairs } from './pairs.ts';
import { distance, endOf, isFull, startOf, type P2, type Segment } from './segment.ts';

/** Something odd in a drawing and where. */
export interface Spot {
  at: P2;
  /** mm: length shared, distance, or length of the piece; 0 where there is none. */
  size: number;
  /** Segments concerned, as numbers in the order of layers, contours and segments. */
  segments: number[];
}

/** Where pieces lie on each other (wholly, in part), cross, touch; `bounded` when there were too many to look at all. */
export interface Meetings {
  doubles: Spot[];
  overlaps: Spot[];
  crossings: Spot[];
  touches: Spot[];
  bounded: boolean;
}

/** Deviation of the lines that stand for curves when crossings are looked for, as a share of the reach. */
const curveShare = 1e-6;
/** So many pairs of pieces that are near each other are looked at; a drawing that crosses itself more often is told as such. */
const mostPairs = 2_000_000;
const mostSpots = 200_000;
/** Under this angle, rad, a meeting with a curve may be a touch; under the other it is one. */
const grazingAngle = 0.02;
const sureTouch = 1e-4;
/** How many of the next meetings of two curves are looked at for the other half of a touch. */
const grazingAhead = 8;

/**
 * Where segments lie on each other, cross or touch.
 * @param box of all of them. @param tolerance the distance at which places count as the same, mm. @param skip segments that don't count
 * @example meetingsOf([line, circle], boxOf, 1e-4).crossings.length
 */
export function meetingsOf(all: readonly Segment[], box: Box2, tolerance: number, skip: readonly boolean[] = []): Meetings {
  const search = new Search(all, tolerance, Math.max(tolerance, reachOf(box) * curveShare));
  all.forEach((s, i) => {
    if (!skip[i]) search.take(s, i);
  });
  search.run();
  return search.found;
}

const isCurve = (s: Segment) => s.kind !== 'line' && s.kind !== 'arc';

/** Angle between two pieces where they meet, 0 to pi / 2. */
function angleBetween(p: Piece, q: Piece, [x, y]: P2): number {
  const along = (s: Piece): P2 => {
    const d: P2 = s.kind === 'line' ? [s.b[0] - s.a[0], s.b[1] - s.a[1]] : [s.centre[1] - y, x - s.centre[0]];
    const length = Math.hypot(...d) || 1;
    return [d[0] / length, d[1] / length];
  };
  const [u, v] = [along(p), along(q)];
  return Math.asin(Math.min(1, Math.abs(u[0] * v[1] - u[1] * v[0])));
}

/** Two segments that meet somehow. */
interface Couple {
  i: number;
  j: number;
}

/** A meeting of two curves at a small angle, rad. */
interface Grazing extends Couple {
  at: P2;
  angle: number;
}

class Search {
  readonly found: Meetings = { doubles: [], overlaps: [], crossings: [], touches: [], bounded: false };
  /** Lines and arcs, the chords of curves too, with the segment that each is of. */
  private readonly pieces: Piece[] = [];
  private readonly owner: number[] = [];
  private readonly shared = new Map<number, Couple & { size: number; at: P2 }>();
  private readonly seen = new Map<number, P2[]>();
  /** Meetings of curves at a small angle: two near each other may be one touch, cut by the chords that stand for the curve. */
  private readonly grazing = new Map<number, Grazing[]>();
  private readonly ends: readonly (readonly [P2, P2])[];
  private readonly all: readonly Segment[];
  private readonly tolerance: number;
  private readonly chordError: number;

  constructor(all: readonly Segment[], tolerance: number, chordError: number) {
    this.all = all;
    this.tolerance = tolerance;
    this.chordError = chordError;
    this.ends = all.map((s) => [startOf(s), endOf(s)]);
  }

  /** Takes a segment into the search. */
  take(s: Segment, i: number): void {
    if (s.kind === 'line' || s.kind === 'arc') {
      this.pieces.push(s);
      this.owner.push(i);
      return;
    }
    let from = startOf(s);
    const points: P2[] = [];
    flattenInto(s, this.chordError, points);
    for (const to of points) {
      this.pieces.push({ kind: 'line', a: from, b: to });
      this.owner.push(i);
      from = to;
    }
  }

  run(): void {
    const { pieces, found } = this;
    if (pieces.length < 2) return;
    const boxes = new Float64Array(pieces.length * 4);
    pieces.forEach((p, i) => {
      const b = noBox();
      growBySegment(b, p);
      boxes.set(b, i * 4);
    });
    let pairs = 0;
    boxPairs(boxes, this.tolerance, (a, b) => {
      found.bounded = ++pairs > mostPairs || found.crossings.length + found.touches.length > mostSpots;
      if (!found.bounded) this.pair(a, b);
      return found.bounded;
    });
    for (const list of this.grazing.values()) this.graze(list);
    for (const { size, at, i, j } of this.shared.values()) {
      const whole = Math.min(lengthOf(this.all[i]), lengthOf(this.all[j]));
      (size >= whole - 4 * this.tolerance ? found.doubles : found.overlaps).push({ at, size, segments: [i, j] });
    }
  }

  /** Two pieces whose boxes meet. */
  private pair(a: number, b: number): void {
    const [i, j] = [this.owner[a], this.owner[b]];
    if (i === j && b === a + 1) return;
    const meeting = meetingOf(this.pieces[a], this.pieces[b], this.tolerance);
    if (meeting.shared > 0 && i !== j) this.share(i, j, meeting);
    for (let k = 0; k < meeting.places.length; k += 2) this.meet(a, b, [meeting.places[k], meeting.places[k + 1]], meeting.tangent === true);
  }

  private share(i: number, j: number, meeting: Meeting): void {
    const key = i * this.all.length + j;
    const before = this.shared.get(key);
    if (before) before.size += meeting.shared;
    else this.shared.set(key, { size: meeting.shared, at: meeting.sharedAt!, i, j });
  }

  /** One place where two pieces meet. */
  private meet(a: number, b: number, at: P2, tangent: boolean): void {
    const [i, j] = [this.owner[a], this.owner[b]];
    // A closed curve comes back to its own start.
    if (i === j && this.ends[i].every((p) => distance(p, at) <= 2 * this.tolerance)) return;
    const [endI, endJ] = [this.isEnd(i, at), this.isEnd(j, at)];
    if (endI && endJ) return;
    const key = i * this.all.length + j;
    const touch = endI || endJ || tangent;
    if (!touch && (isCurve(this.all[i]) || isCurve(this.all[j]))) {
      const angle = angleBetween(this.pieces[a], this.pieces[b], at);
      if (angle < grazingAngle) return this.mayGraze(key, { at, angle, i, j });
    }
    const places = this.seen.get(key);
    if (places?.some((p) => distance(p, at) <= 4 * this.tolerance)) return;
    if (places) places.push(at);
    else this.seen.set(key, [at]);
    this.add(at, { i, j }, touch);
  }

  private isEnd(i: number, at: P2): boolean {
    return !isFull(this.all[i]) && this.ends[i].some((p) => distance(p, at) <= 2 * this.tolerance);
  }

  private mayGraze(key: number, meeting: Grazing): void {
    const list = this.grazing.get(key);
    if (list) list.push(meeting);
    else this.grazing.set(key, [meeting]);
  }

  private add(at: P2, { i, j }: Couple, touch: boolean): void {
    (touch ? this.found.touches : this.found.crossings).push({ at, size: 0, segments: i === j ? [i] : [i, j] });
  }

  /** Meetings of two curves at small angles: two that belong together are one touch. */
  private graze(list: readonly Grazing[]): void {
    const used = new Uint8Array(list.length);
    list.forEach((g, k) => {
      if (used[k]) return;
      // Between two meetings at an angle the curves part by at most a quarter of angle times distance.
      const together = (o: (typeof list)[number]) => (distance(g.at, o.at) * Math.max(g.angle, o.angle)) / 4 <= 4 * this.chordError;
      let other = k + 1;
      while (other < list.length && other <= k + grazingAhead && (used[other] || !together(list[other]))) other++;
      const paired = other < list.length && other <= k + grazingAhead;
      if (paired) used[other] = 1;
      this.add(g.at, g, paired || g.angle < sureTouch);
    });
  }
}
