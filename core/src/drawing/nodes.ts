import { Unusable } from '../base/finding.ts';
import { throughPoints } from '../curves/through.ts';
import type { Contour, Drawing } from '../curves/drawing.ts';
import { asBeziers } from '../curves/spline.ts';
import {
  bulgeOf,
  directionAt,
  distance,
  endOf,
  fromBulge,
  isFull,
  pieceOf,
  pointAt,
  startOf,
  velocityAt,
  type BezierSegment,
  type P2,
  type Segment,
  type SplineSegment,
} from '../curves/segment.ts';
import { smoothStretch } from './stretch.ts';

/** One change of a single node, or of a stretch between two. Nodes are counted along a contour: node i is where segment i begins; an open contour has one more at its end. */
export type NodeEdit =
  | { action: 'move'; layer: number; contour: number; node: number; to: P2 }
  | { action: 'add'; layer: number; contour: number; segment: number; share: number }
  | { action: 'delete' | 'smooth' | 'sharp'; layer: number; contour: number; node: number }
  /** From one node on to another; `within` in the drawing's own numbers. */
  | { action: 'smooth-stretch'; layer: number; contour: number; node: number; to: number; within: number }
  | { action: 'remove'; layer: number; contour: number };

/** How far curves that can't be changed by a node are off from the Béziers that take their place, mm. */
const bezierDeviation = 1e-4;

/** The drawing with one node changed; nothing else moves. @throws Unusable when there is no such node or it can't be done. */
export function editNode(drawing: Drawing, edit: NodeEdit): Drawing {
  const contour = contourAt(drawing, edit);
  return withContour(drawing, edit, edit.action === 'remove' ? null : editedContour(contour, edit));
}

/** Where a contour is: its layer and its number there. */
type Place = Pick<NodeEdit, 'layer' | 'contour'>;

/** The contour at a place. @throws Unusable when it is not there */
export function contourAt(drawing: Drawing, { layer, contour }: Place): Contour {
  const found = drawing.layers[layer]?.contours[contour];
  if (!found) throw new Unusable('no-such-node', 'That contour is not in the drawing any more.', 'Pick it again.');
  return found;
}

/** The drawing with another contour at a place; null: with none. */
export const withContour = (drawing: Drawing, { layer, contour }: Place, changed: Contour | null): Drawing => ({
  ...drawing,
  layers: drawing.layers.map((l, i) => (i !== layer ? l : { ...l, contours: l.contours.flatMap((c, j) => (j !== contour ? [c] : changed ? [changed] : [])) })),
});

/** Places of a contour's nodes. A full circle has none: its size and place are its nodes. */
export function nodesOf(contour: Contour): P2[] {
  if (contour.segments.length === 1 && isFull(contour.segments[0])) return [];
  const nodes = contour.segments.map(startOf);
  if (!contour.closed) nodes.push(endOf(contour.segments[contour.segments.length - 1]));
  return nodes;
}

function editedContour(contour: Contour, edit: Exclude<NodeEdit, { action: 'remove' }>): Contour {
  switch (edit.action) {
    case 'smooth-stretch':
      return smoothStretch(contour, edit.node, edit.to, edit.within).contour;
    case 'add':
      return withNode(contour, edit.segment, edit.share);
    default:
      break;
  }
  const count = nodesOf(contour).length;
  if (!(edit.node >= 0 && edit.node < count))
    throw new Unusable('no-such-node', 'The contour has no such node.', 'A circle has none; pick a node of another contour.');
  const pieces = new Pieces(contour, edit.node);
  if (edit.action === 'move') pieces.move(edit.to);
  else if (edit.action === 'delete') pieces.remove();
  else pieces.turn(edit.action === 'smooth');
  return { ...contour, segments: pieces.segments };
}

/** A contour with one more node, at a share of a piece's parameter; its shape stays. */
function withNode(contour: Contour, segment: number, share: number): Contour {
  const segments = [...contour.segments];
  const s = segments[segment];
  if (!s || !(share > 0 && share < 1)) throw new Unusable('no-such-node', 'There is no such place on the contour.', 'Pick it again.');
  segments.splice(segment, 1, ...(s.kind === 'spline' ? splineWithNode(s, share) : [pieceOf(s, 0, share), pieceOf(s, share, 1)]));
  return { ...contour, segments };
}

/** A spline as Béziers that meet at a share of its parameter, too. */
function splineWithNode(s: SplineSegment, share: number): Segment[] {
  const at = pointAt(s, share);
  const { segments } = asBeziers(s, bezierDeviation);
  let [best, where, least] = [0, 0, Infinity];
  segments.forEach((b, i) => {
    const t = nearestShare(b, at);
    const off = distance(pointAt(b, t), at);
    if (off < least) [best, where, least] = [i, t, off];
  });
  // At the end of a piece there is a node already.
  if (!(where > 1e-6 && where < 1 - 1e-6)) return segments;
  return segments.flatMap((b, i) => (i === best ? [pieceOf(b, 0, where), pieceOf(b, where, 1)] : [b]));
}

/** Where on a curve it comes nearest to a point: the nearest of some places, then by thirds. */
function nearestShare(b: Segment, at: P2): number {
  const off = (t: number) => distance(pointAt(b, t), at);
  const steps = 32;
  let best = 0;
  for (let k = 1; k <= steps; k++) if (off(k / steps) < off(best / steps)) best = k;
  let [low, high] = [Math.max(0, best - 1) / steps, Math.min(steps, best + 1) / steps];
  for (let i = 0; i < 60; i++) {
    const [p, q] = [low + (high - low) / 3, high - (high - low) / 3];
    if (off(p) < off(q)) high = q;
    else low = p;
  }
  return (low + high) / 2;
}

/** The pieces of a contour with those before and after one of its nodes. */
class Pieces {
  readonly segments: Segment[];
  private readonly closed: boolean;
  /** -1 where there is none. */
  private before: number;
  private after: number;

  constructor({ segments, closed }: Contour, node: number) {
    const n = segments.length;
    this.segments = [...segments];
    this.closed = closed;
    this.before = node > 0 ? node - 1 : closed ? n - 1 : -1;
    this.after = node < n ? node : -1;
  }

  /** The node at another place; the far ends of its two pieces stay. */
  move(to: P2): void {
    this.part((s) => (s.kind === 'spline' && !isClamped(s) ? asBeziers(s, bezierDeviation).segments : [s]));
    const { segments, before, after } = this;
    if (before >= 0) segments[before] = withEnd(segments[before], 1, to);
    if (after >= 0) segments[after] = withEnd(segments[after], 0, to);
  }

  remove(): void {
    const { segments, before, after } = this;
    if (segments.length <= (this.closed ? 2 : 1)) throw new Unusable('too-few-nodes', 'The contour would vanish.', 'Remove the whole contour instead.');
    if (before < 0 || after < 0) segments.splice(Math.max(before, after), 1);
    else {
      segments[before] = bridged(segments[before], segments[after]);
      segments.splice(after, 1);
    }
  }

  /** Both pieces go through the node in one direction, or straight to it. Only what is next to the node changes. */
  turn(smooth: boolean): void {
    if (this.before < 0 || this.after < 0)
      throw new Unusable('end-node', 'The end of an open contour can be neither smooth nor sharp.', 'Pick a node between two pieces.');
    this.part(nextTo);
    const { segments, before, after } = this;
    const direction = smooth ? chordDirection(startOf(segments[before]), endOf(segments[after])) : null;
    segments[before] = handled(segments[before], 1, direction);
    segments[after] = handled(segments[after], 0, direction);
  }

  /** Puts parts in the place of the pieces on both sides. */
  private part(parts: (s: Segment, end: 0 | 1) => Segment[]): void {
    if (this.after >= 0) {
      const more = this.put(this.after, parts(this.segments[this.after], 0));
      if (this.before >= this.after) this.before += more;
    }
    if (this.before >= 0) {
      const more = this.put(this.before, parts(this.segments[this.before], 1));
      if (this.after > this.before) this.after += more;
      this.before += more;
    }
  }

  private put(at: number, parts: Segment[]): number {
    this.segments.splice(at, 1, ...parts);
    return parts.length - 1;
  }
}

/** Whether a spline begins and ends at its outer poles. */
function isClamped({ degree, knots, points }: SplineSegment): boolean {
  return knots[0] === knots[degree] && knots[points.length] === knots[knots.length - 1];
}

/** A piece in parts of which the one next to the node may be a single cubic. */
function nextTo(s: Segment, end: 0 | 1): Segment[] {
  if (s.kind === 'spline') return asBeziers(s, bezierDeviation).segments;
  if (s.kind !== 'arc' && s.kind !== 'ellipse') return [s];
  const quarters = Math.ceil(Math.abs(s.sweep) / (Math.PI / 2) - 1e-9);
  if (quarters < 2) return [s];
  const cut = end === 0 ? 1 / quarters : 1 - 1 / quarters;
  return [pieceOf(s, 0, cut), pieceOf(s, cut, 1)];
}

function withEnd(s: Segment, end: 0 | 1, to: P2): Segment {
  switch (s.kind) {
    case 'line':
      return end === 0 ? { ...s, a: to } : { ...s, b: to };
    case 'arc':
      // An arc keeps its bulge: it grows or turns with its chord.
      return end === 0 ? fromBulge(to, endOf(s), bulgeOf(s)) : fromBulge(startOf(s), to, bulgeOf(s));
    case 'bezier': {
      const points = [...s.points];
      const own = end === 0 ? 0 : points.length - 1;
      const handle = end === 0 ? 1 : points.length - 2;
      const shift: P2 = [to[0] - points[own][0], to[1] - points[own][1]];
      if (points.length === 4) points[handle] = [points[handle][0] + shift[0], points[handle][1] + shift[1]];
      points[own] = to;
      return { ...s, points };
    }
    case 'spline': {
      const points = [...s.points];
      points[end === 0 ? 0 : points.length - 1] = to;
      return { ...s, points };
    }
    case 'ellipse': {
      // An ellipse's piece becomes a smooth curve through its ends.
      const [a, b] = end === 0 ? [to, endOf(s)] : [startOf(s), to];
      return throughPoints([a, b], directionAt(s, 0), directionAt(s, 1))[0];
    }
  }
}

function bridged(s: Segment, t: Segment): Segment {
  const a = startOf(s);
  const b = endOf(t);
  if (s.kind === 'bezier' && t.kind === 'bezier' && s.points.length === 4 && t.points.length === 4)
    return { kind: 'bezier', points: [a, s.points[1], t.points[2], b] };
  return { kind: 'line', a, b };
}

function chordDirection(a: P2, b: P2): P2 {
  const length = distance(a, b) || 1;
  return [(b[0] - a[0]) / length, (b[1] - a[1]) / length];
}

/** A cubic whose handle at one end follows a direction (smooth), or lies on the chord (sharp); its other handle stays. */
function handled(s: Segment, end: 0 | 1, direction: P2 | null): Segment {
  const points = [...cubicOf(s).points];
  const [a, b] = [points[0], points[3]];
  const third = distance(a, b) / 3;
  const [at, other] = end === 0 ? [a, b] : [b, a];
  const d = direction ?? chordDirection(at, other);
  const sign = direction && end === 1 ? -1 : 1;
  points[end === 0 ? 1 : 2] = [at[0] + sign * d[0] * third, at[1] + sign * d[1] * third];
  return { kind: 'bezier', points };
}

/**
 * A piece as one cubic: exact for lines and Béziers, within 3e-4 of its radius for a quarter of a circle.
 * Source: Goldapp, Approximation of circular arcs by cubic polynomials, 1991: handles of 4/3 tan(sweep / 4) of the radius.
 */
function cubicOf(s: Segment): BezierSegment {
  if (s.kind === 'bezier' && s.points.length === 4) return s;
  const [a, b] = [startOf(s), endOf(s)];
  const [u, v] = [velocityAt(s, 0), velocityAt(s, 1)];
  const share = s.kind === 'arc' || s.kind === 'ellipse' ? ((4 / 3) * Math.tan(s.sweep / 4)) / s.sweep : 1 / 3;
  return { kind: 'bezier', points: [a, [a[0] + u[0] * share, a[1] + u[1] * share], [b[0] - v[0] * share, b[1] - v[1] * share], b] };
}
