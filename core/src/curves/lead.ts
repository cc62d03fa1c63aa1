import Flatbush from 'flatbush';
import { areaOfContour, contourOf, type Contour } from './drawing.ts';
import { pieceOf, pointAt, velocityAt, type P2, type Segment } from './segment.ts';
import { growBySegment, lengthOf, noBox, type Box2 } from './measure.ts';
import { meetingsOf } from './meetings.ts';

/** A contour that is begun beside itself, and the way in. */
export interface Led {
  contour: Contour;
  lead: Contour;
}

/** Gives the segments whose boxes meet a box. */
export type Near = (box: Box2) => Segment[];

/** All segments of some contours, found again by place. */
export function segmentsNear(contours: readonly Contour[]): Near {
  const all = contours.flatMap((c) => c.segments);
  if (all.length === 0) return () => [];
  const index = new Flatbush(all.length);
  for (const s of all) {
    const box = noBox();
    growBySegment(box, s);
    index.add(...box);
  }
  index.finish();
  return (box) => index.search(...box).map((i) => all[i]);
}

/**
 * A way in for the beam or the bit: a straight line of `length` mm from the waste to the middle of the contour's longest piece, where the
 * contour then begins. For outer contours the waste lies outside, for holes inside. Null when the line would meet another contour.
 * Common practice: a pierce mark must not lie on the edge.
 * @param near finds what the way in must not touch; the contour itself may be among it.
 */
export function withLead(contour: Contour, length: number, inside: boolean, near: Near): Led | null {
  if (!contour.closed || contour.segments.length === 0) return null;
  const longest = contour.segments.reduce((best, s, i) => (lengthOf(s) > lengthOf(contour.segments[best]) ? i : best), 0);
  const s = contour.segments[longest];
  if (s.kind === 'spline') return null;
  const at = pointAt(s, 0.5);
  const [vx, vy] = velocityAt(s, 0.5);
  const speed = Math.hypot(vx, vy);
  if (!(speed > 0)) return null;
  // To the left of a counter-clockwise contour lies its inside.
  const side = areaOfContour(contour) > 0 === inside ? 1 : -1;
  const from: P2 = [at[0] - (side * vy * length) / speed, at[1] + (side * vx * length) / speed];
  const line: Segment = { kind: 'line', a: from, b: at };
  if (meets(line, near)) return null;
  const segments = [pieceOf(s, 0.5, 1), ...contour.segments.slice(longest + 1), ...contour.segments.slice(0, longest), pieceOf(s, 0, 0.5)];
  return { contour: { ...contour, segments }, lead: contourOf([line], false) };
}

/** Whether a line meets anything elsewhere than at its own end. */
function meets(line: Extract<Segment, { kind: 'line' }>, near: Near): boolean {
  const box = noBox();
  growBySegment(box, line);
  const found = meetingsOf([line, ...near(box)], box, 1e-6);
  const elsewhere = (p: P2) => Math.hypot(p[0] - line.b[0], p[1] - line.b[1]) > 1e-5;
  return [...found.crossings, ...found.touches, ...found.overlaps, ...found.doubles].some((spot) => spot.segments.includes(0) && elsewhere(spot.at));
}
