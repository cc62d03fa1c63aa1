import { Unusable } from '../base/finding.ts';
import { throughPoints } from '../formats/dxf/chains.ts';
import type { Contour, Drawing } from '../curves/drawing.ts';
import { asBeziers } from '../curves/spline.ts';
import { bulgeOf, directionAt, distance, endOf, fromBulge, isFull, pieceOf, startOf, type P2, type Segment } from '../curves/segment.ts';
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
  if (edit.action === 'smooth-stretch') return smoothStretch(contour, edit.node, edit.to, edit.within).contour;
  const segments = [...contour.segments];
  const n = segments.length;
  if (edit.action === 'add') {
    const s = segments[edit.segment];
    if (!s || !(edit.share > 0 && edit.share < 1)) throw new Unusable('no-such-node', 'There is no such place on the contour.', 'Pick it again.');
    const parts = s.kind === 'spline' ? asBeziers(s, bezierDeviation).segments : [pieceOf(s, 0, edit.share), pieceOf(s, edit.share, 1)];
    segments.splice(edit.segment, 1, ...parts);
    return { ...contour, segments };
  }
  const count = nodesOf(contour).length;
  if (edit.node < 0 || edit.node >= count)
    throw new Unusable('no-such-node', 'The contour has no such node.', 'A circle has none; pick a node of another contour.');
  // The segments before and after the node; -1 where there is none.
  const before = edit.node > 0 ? edit.node - 1 : contour.closed ? n - 1 : -1;
  const after = edit.node < n ? edit.node : -1;
  switch (edit.action) {
    case 'move':
      if (before >= 0) segments[before] = withEnd(segments[before], 1, edit.to);
      if (after >= 0) segments[after] = withEnd(segments[after], 0, edit.to);
      break;
    case 'delete': {
      if (n <= (contour.closed ? 2 : 1)) throw new Unusable('too-few-nodes', 'The contour would vanish.', 'Remove the whole contour instead.');
      if (before < 0) segments.splice(after, 1);
      else if (after < 0) segments.splice(before, 1);
      else {
        const one = bridged(segments[before], segments[after]);
        if (before < after) segments.splice(before, 2, one);
        else {
          segments[before] = one;
          segments.splice(after, 1);
        }
      }
      break;
    }
    case 'smooth':
    case 'sharp': {
      if (before < 0 || after < 0)
        throw new Unusable('end-node', 'The end of an open contour can be neither smooth nor sharp.', 'Pick a node between two pieces.');
      const smooth = edit.action === 'smooth';
      const at = startOf(segments[after]);
      const direction = smooth ? chordDirection(startOf(segments[before]), endOf(segments[after])) : null;
      segments[before] = handled(segments[before], 1, at, direction);
      segments[after] = handled(segments[after], 0, at, direction);
    }
  }
  return { ...contour, segments };
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

/** A cubic whose handle at one end follows a direction (smooth), or lies on the chord (sharp). */
function handled(s: Segment, end: 0 | 1, at: P2, direction: P2 | null): Segment {
  const a = startOf(s);
  const b = endOf(s);
  const third = distance(a, b) / 3;
  const [u, v] = [directionAt(s, 0), directionAt(s, 1)];
  const points: P2[] =
    s.kind === 'bezier' && s.points.length === 4
      ? [...s.points]
      : [a, [a[0] + u[0] * third, a[1] + u[1] * third], [b[0] - v[0] * third, b[1] - v[1] * third], b];
  const other = end === 0 ? b : a;
  const d = direction ?? chordDirection(at, other);
  const sign = direction && end === 1 ? -1 : 1;
  points[end === 0 ? 1 : 2] = [at[0] + sign * d[0] * third, at[1] + sign * d[1] * third];
  return { kind: 'bezier', points };
}
