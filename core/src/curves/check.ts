import { boxOfDrawing, countSegments, lengthOfContour, type Drawing, type SegmentCounts } from './drawing.ts';
import { gapsOf, sameDistance, type Gap } from './chain.ts';
import { meetingsOf, type Spot } from './meetings.ts';
import { isFill } from './names.ts';
import { nest, netArea, type Nested } from './nest.ts';
import { distance, endOf, isFull, startOf, turn, type P2, type Segment } from './segment.ts';
import { lengthOf, type Box2 } from './measure.ts';

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
