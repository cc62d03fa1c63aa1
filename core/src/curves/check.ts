import { boxOfDrawing, countSegments, lengthOfContour, reachOf, type Drawing, type SegmentCounts } from './drawing.ts';
import { gapsOf, sameDistance, type Gap } from './chain.ts';
import { flattenInto } from './flatten.ts';
import { meetingOf, type Piece } from './meet.ts';
import { boxPairs } from './pairs.ts';
import { isFill } from './names.ts';
import { nest, netArea, type Nested } from './nest.ts';
import { distance, endOf, isFull, startOf, turn, type P2, type Segment } from './segment.ts';
import { growBySegment, lengthOf, noBox, type Box2 } from './measure.ts';

/** Something odd in a drawing and where. */
export interface Spot {
  at: P2;
  /** mm: length shared, distance, or length of the piece; 0 where there is none. */
  size: number;
  /** Segments concerned, as numbers in the order of layers, contours and segments. */
  segments: number[];
}

/** What is found in a drawing. Lengths in mm. */
export interface DrawingCheck {
  contours: number;
  open: number;
  gaps: Gap[];
  nested: Nested[];
  holes: number;
  islands: number;
  length: number;
  area: number;
  box: Box2;
  segments: SegmentCounts;
  /** Pairs where one lies wholly on the other, and pairs that share a part. */
  doubles: Spot[];
  overlaps: Spot[];
  crossings: Spot[];
  touches: Spot[];
  zero: Spot[];
  tiny: Spot[];
  /** Arcs that miss a full turn by very little. */
  nearlyFull: Spot[];
  /** Runs of short lines that lie on one arc: first and last segment. */
  splinters: Spot[];
  points: number;
  tolerance: number;
  /** Whether pieces cross so often that the looking was broken off: the counts are at least these. */
  bounded: boolean;
}

/** Shorter than this is tiny, mm. Common practice: machines skip or stutter on pieces under a hundredth. */
export const tinyLength = 0.01;
/** Deviation of the lines that stand for curves when crossings are looked for, as a share of the reach. */
const curveShare = 1e-6;
/** So many pairs of pieces that are near each other are looked at; a drawing that crosses itself more often is told as such. */
const mostPairs = 2_000_000;
const mostSpots = 200_000;
/** An arc that misses a full turn by less than this, rad, was meant to be a circle. */
const nearlyTurn = 0.02;

/**
 * Checks a drawing. `tolerance` (mm) is the distance at which places count as the same.
 * Pairs come from a packed tree of boxes; meetings are closed forms of lines and arcs, curves are cut into short lines.
 */
export function checkDrawing(drawing: Drawing, tolerance = Math.max(sameDistance(drawing), 1e-4)): DrawingCheck {
  const box = boxOfDrawing(drawing);
  const all: Segment[] = [];
  // Filled areas are no edges: what lies on their rim is drawn for another purpose.
  const filled: boolean[] = [];
  let length = 0;
  let open = 0;
  let contours = 0;
  for (const layer of drawing.layers) {
    for (const contour of layer.contours) {
      contours++;
      if (!contour.closed) open++;
      length += lengthOfContour(contour);
      const fill = isFill(contour, layer.name);
      for (const s of contour.segments) {
        all.push(s);
        filled.push(fill);
      }
    }
  }
  const nested = nest(drawing);
  const zero: Spot[] = [];
  const tiny: Spot[] = [];
  const nearlyFull: Spot[] = [];
  all.forEach((s, i) => {
    const size = lengthOf(s);
    if (size <= tolerance) zero.push({ at: startOf(s), size, segments: [i] });
    else if (size < tinyLength) tiny.push({ at: startOf(s), size, segments: [i] });
    if (s.kind === 'arc' && !isFull(s) && Math.abs(s.sweep) > turn - nearlyTurn)
      nearlyFull.push({ at: startOf(s), size: distance(startOf(s), endOf(s)), segments: [i] });
  });
  return {
    contours,
    open,
    gaps: gapsOf(drawing),
    nested,
    holes: nested.filter((n) => n.depth % 2 === 1).length,
    islands: nested.filter((n) => n.depth > 0 && n.depth % 2 === 0).length,
    length,
    area: netArea(nested),
    box,
    segments: countSegments(drawing),
    ...meetingsOf(all, box, tolerance, filled),
    zero,
    tiny,
    nearlyFull,
    splinters: splintersOf(drawing),
    points: drawing.points.length,
    tolerance,
  };
}

/** Under this angle, rad, a meeting with a curve may be a touch; under the other it is one. */
const grazingAngle = 0.02;
const sureTouch = 1e-4;
const isCurve = (s: Segment) => s.kind !== 'line' && s.kind !== 'arc';

/** Angle between two pieces where they meet, 0 to pi / 2. */
function angleBetween(p: Piece, q: Piece, x: number, y: number): number {
  const along = (s: Piece): P2 => {
    const d: P2 = s.kind === 'line' ? [s.b[0] - s.a[0], s.b[1] - s.a[1]] : [s.centre[1] - y, x - s.centre[0]];
    const length = Math.hypot(...d) || 1;
    return [d[0] / length, d[1] / length];
  };
  const [u, v] = [along(p), along(q)];
  return Math.asin(Math.min(1, Math.abs(u[0] * v[1] - u[1] * v[0])));
}

/** Where segments lie on each other, cross or touch. */
export function meetingsOf(
  all: Segment[],
  box: Box2,
  tolerance: number,
  skip: readonly boolean[] = [],
): Pick<DrawingCheck, 'doubles' | 'overlaps' | 'crossings' | 'touches'> & { bounded: boolean } {
  const pieces: Piece[] = [];
  const owner: number[] = [];
  all.forEach((s, i) => {
    if (skip[i]) return;
    if (s.kind === 'line' || s.kind === 'arc') {
      pieces.push(s);
      owner.push(i);
      return;
    }
    let from = startOf(s);
    const points: P2[] = [];
    flattenInto(s, Math.max(tolerance, reachOf(box) * curveShare), points);
    for (const to of points) {
      pieces.push({ kind: 'line', a: from, b: to });
      owner.push(i);
      from = to;
    }
  });
  const found = { doubles: [] as Spot[], overlaps: [] as Spot[], crossings: [] as Spot[], touches: [] as Spot[], bounded: false };
  if (pieces.length < 2) return found;
  const boxes = new Float64Array(pieces.length * 4);
  pieces.forEach((p, i) => {
    const b = noBox();
    growBySegment(b, p);
    boxes.set(b, i * 4);
  });
  const ends = all.map((s): [P2, P2] => [startOf(s), endOf(s)]);
  const lengths = new Float64Array(all.length).fill(-1);
  const lengthAt = (i: number) => (lengths[i] < 0 ? (lengths[i] = lengthOf(all[i])) : lengths[i]);
  const shared = new Map<number, { size: number; at: P2; i: number; j: number }>();
  const seen = new Map<number, P2[]>();
  // Meetings of curves at a small angle: two near each other may be one touch, cut by the chords that stand for the curve.
  const grazing = new Map<number, { at: P2; angle: number; i: number; j: number }[]>();
  const isEnd = (i: number, x: number, y: number) =>
    !isFull(all[i]) && (Math.hypot(ends[i][0][0] - x, ends[i][0][1] - y) <= 2 * tolerance || Math.hypot(ends[i][1][0] - x, ends[i][1][1] - y) <= 2 * tolerance);
  let pairs = 0;
  boxPairs(boxes, tolerance, (a, b) => {
    if (++pairs > mostPairs || found.crossings.length + found.touches.length > mostSpots) {
      found.bounded = true;
      return true;
    }
    const i = owner[a];
    const j = owner[b];
    if (i === j && b === a + 1) return false;
    const meeting = meetingOf(pieces[a], pieces[b], tolerance);
    const key = i * all.length + j;
    if (meeting.shared > 0 && i !== j) {
      const before = shared.get(key);
      if (before) before.size += meeting.shared;
      else shared.set(key, { size: meeting.shared, at: meeting.sharedAt!, i, j });
    }
    for (let k = 0; k < meeting.places.length; k += 2) {
      const x = meeting.places[k];
      const y = meeting.places[k + 1];
      // A closed curve comes back to its own start.
      if (i === j && Math.hypot(ends[i][0][0] - x, ends[i][0][1] - y) <= 2 * tolerance && Math.hypot(ends[i][1][0] - x, ends[i][1][1] - y) <= 2 * tolerance)
        continue;
      const endI = isEnd(i, x, y);
      const endJ = isEnd(j, x, y);
      if (endI && endJ) continue;
      if (!meeting.tangent && !endI && !endJ && (isCurve(all[i]) || isCurve(all[j]))) {
        const angle = angleBetween(pieces[a], pieces[b], x, y);
        if (angle < grazingAngle) {
          const list = grazing.get(key);
          if (list) list.push({ at: [x, y], angle, i, j });
          else grazing.set(key, [{ at: [x, y], angle, i, j }]);
          continue;
        }
      }
      const places = seen.get(key);
      if (places?.some((p) => Math.hypot(p[0] - x, p[1] - y) <= 4 * tolerance)) continue;
      if (places) places.push([x, y]);
      else seen.set(key, [[x, y]]);
      (endI || endJ || meeting.tangent ? found.touches : found.crossings).push({ at: [x, y], size: 0, segments: i === j ? [i] : [i, j] });
    }
    return false;
  });
  const chordError = Math.max(tolerance, reachOf(box) * curveShare);
  for (const list of grazing.values()) {
    const used = new Uint8Array(list.length);
    list.forEach((g, k) => {
      if (used[k]) return;
      // Between two meetings at an angle the curves part by at most a quarter of angle times distance.
      const other = list.findIndex((o, m) => m > k && m < k + 9 && !used[m] && (distance(g.at, o.at) * Math.max(g.angle, o.angle)) / 4 <= 4 * chordError);
      if (other >= 0) used[other] = 1;
      const touch = other >= 0 || g.angle < sureTouch;
      (touch ? found.touches : found.crossings).push({ at: g.at, size: 0, segments: g.i === g.j ? [g.i] : [g.i, g.j] });
    });
  }
  for (const { size, at, i, j } of shared.values()) {
    const whole = Math.min(lengthAt(i), lengthAt(j));
    (size >= whole - 4 * tolerance ? found.doubles : found.overlaps).push({ at, size, segments: [i, j] });
  }
  return found;
}

/** Fewest lines that are taken for a splintered arc, and the largest turn between two of them, rad. Common practice, no source. */
const splinterLines = 6;
const splinterTurn = 0.55;

/** Runs of lines whose corners lie on one circle: arcs that some program broke into splinters. */
function splintersOf(drawing: Drawing): Spot[] {
  const found: Spot[] = [];
  let base = 0;
  for (const layer of drawing.layers) {
    for (const { segments } of layer.contours) {
      let i = 0;
      while (i < segments.length) {
        const run = arcRun(segments, i);
        if (run >= splinterLines) {
          const s = segments[i + (run >> 1)];
          found.push({ at: startOf(s), size: segments.slice(i, i + run).reduce((n, t) => n + lengthOf(t), 0), segments: [base + i, base + i + run - 1] });
          i += run;
        } else i++;
      }
      base += segments.length;
    }
  }
  return found;
}

/** How many lines from `first` on have all their corners on one circle. */
function arcRun(segments: Segment[], first: number): number {
  const at = (i: number): P2 | null => {
    const s = segments[i];
    return s?.kind === 'line' ? s.b : null;
  };
  const s = segments[first];
  const p1 = at(first);
  const p2 = at(first + 1);
  if (s.kind !== 'line' || !p1 || !p2) return 0;
  const centre = circleThrough(s.a, p1, p2);
  if (!centre) return 0;
  const r = distance(centre, s.a);
  const step = distance(s.a, p1);
  if (2 * Math.asin(Math.min(1, step / (2 * r))) > splinterTurn) return 0;
  let run = 2;
  let total = 2 * Math.asin(Math.min(1, step / (2 * r)));
  for (;;) {
    const p = at(first + run);
    if (!p) break;
    const from = at(first + run - 1)!;
    const angle = 2 * Math.asin(Math.min(1, distance(from, p) / (2 * r)));
    if (Math.abs(distance(centre, p) - r) > Math.max(1e-3 * r, 1e-4) || angle > splinterTurn || total > turn) break;
    total += angle;
    run++;
  }
  return total > 0.3 ? run : 0;
}

/** Centre of the circle through three points; null when they are in line. */
export function circleThrough(a: P2, b: P2, c: P2): P2 | null {
  const bx = b[0] - a[0];
  const by = b[1] - a[1];
  const cx = c[0] - a[0];
  const cy = c[1] - a[1];
  const d = 2 * (bx * cy - by * cx);
  if (Math.abs(d) < 1e-12 * (bx * bx + by * by + cx * cx + cy * cy)) return null;
  const bb = bx * bx + by * by;
  const cc = cx * cx + cy * cy;
  return [a[0] + (cy * bb - by * cc) / d, a[1] + (bx * cc - cx * bb) / d];
}
