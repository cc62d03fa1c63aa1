import { meetingsOf } from './meetings.ts';
import { chained, sameDistance } from './chain.ts';
import { areaOfContour, boxOfDrawing, contourOf, type Contour, type Drawing } from './drawing.ts';
import { isFill } from './names.ts';
import { asBeziers } from './spline.ts';
import { distance, endOf, isFull, pieceOf, pointAt, sharesOfAngle, startOf, velocityAt, type P2, type Segment, type SplineSegment } from './segment.ts';

/** What splitting did. */
export interface Split {
  drawing: Drawing;
  /** Places at which pieces were cut. */
  places: number;
}

/** Deviation of Béziers that stand for splines which are cut, mm. */
const splineDeviation = 1e-5;

/**
 * Cuts every piece where another one crosses it or ends on it (T-joints), and chains what comes of it anew, so that regions which touch or
 * share a corner come out as contours of their own. Nothing is added, taken away or moved.
 */
export function splitAtMeetings(drawing: Drawing): Split {
  const all: Segment[] = [];
  const filled: boolean[] = [];
  for (const layer of drawing.layers) {
    for (const contour of layer.contours) {
      for (const s of contour.segments) {
        all.push(s);
        filled.push(isFill(contour, layer.name));
      }
    }
  }
  const tolerance = Math.max(sameDistance(drawing), 1e-4);
  const found = meetingsOf(all, boxOfDrawing(drawing), tolerance, filled);
  const cuts = new Map<number, P2[]>();
  let places = 0;
  for (const spot of [...found.crossings, ...found.touches]) {
    places++;
    for (const i of spot.segments) {
      const list = cuts.get(i);
      if (list) list.push(spot.at);
      else cuts.set(i, [spot.at]);
    }
  }
  let n = 0;
  const layers = drawing.layers.map((layer) => ({
    ...layer,
    contours: layer.contours.flatMap((contour): Contour[] => {
      const first = n;
      n += contour.segments.length;
      if (!contour.segments.some((_, k) => cuts.has(first + k))) return [contour];
      // Every piece of a contour that is cut becomes loose; chaining puts together what still belongs together.
      return contour.segments.flatMap((s, k) => cutAt(s, cuts.get(first + k) ?? [], tolerance)).map((s) => ({ ...contourOf([s], false, contour.colour), meaning: contour.meaning, depth: contour.depth, width: contour.width })); // prettier-ignore
    }),
  }));
  return {
    drawing: chained({ ...drawing, pattern: undefined, patch: undefined, picture: undefined, lettering: undefined, layers }, tolerance).drawing,
    places,
  };
}

/** A piece cut at places on it; places at its own ends cut nothing. */
function cutAt(s: Segment, at: readonly P2[], tolerance: number): Segment[] {
  if (at.length === 0) return [s];
  if (s.kind === 'spline') return cutSpline(s, at, tolerance);
  const shares = at
    .map((p) => shareOf(s, p))
    .filter((t) => isFull(s) || (distance(pointAt(s, t), startOf(s)) > 2 * tolerance && distance(pointAt(s, t), endOf(s)) > 2 * tolerance))
    .sort((a, b) => a - b)
    .filter((t, i, list) => i === 0 || distance(pointAt(s, t), pointAt(s, list[i - 1])) > 2 * tolerance);
  if (shares.length === 0) return [s];
  if (isFull(s) && (s.kind === 'arc' || s.kind === 'ellipse')) {
    // A full turn has no end of its own: it begins at the first cut.
    const turned = { ...s, start: s.start + s.sweep * shares[0] };
    const rest = shares.slice(1).map((t) => t - shares[0]);
    return pieces(turned, rest);
  }
  return pieces(s, shares);
}

function pieces(s: Exclude<Segment, SplineSegment>, shares: readonly number[]): Segment[] {
  const cuts = [0, ...shares, 1];
  return cuts.slice(1).map((to, i) => pieceOf(s, cuts[i], to));
}

function cutSpline(s: SplineSegment, at: readonly P2[], tolerance: number): Segment[] {
  const { segments } = asBeziers(s, splineDeviation);
  return segments.flatMap((b) => cutAt(b, at.filter((p) => distance(pointAt(b, shareOf(b, p)), p) <= 4 * tolerance), tolerance)); // prettier-ignore
}

/** Share of the parameter at which a piece comes nearest to a point. */
export function shareOf(s: Exclude<Segment, SplineSegment>, p: P2): number {
  if (s.kind === 'line') {
    const [dx, dy] = [s.b[0] - s.a[0], s.b[1] - s.a[1]];
    return Math.max(0, Math.min(1, ((p[0] - s.a[0]) * dx + (p[1] - s.a[1]) * dy) / (dx * dx + dy * dy || 1)));
  }
  if (s.kind === 'arc') return sharesOfAngle(s, Math.atan2(p[1] - s.centre[1], p[0] - s.centre[0]))[0] ?? nearestShare(s, p);
  return nearestShare(s, p);
}

/** By looking along the piece, then Newton's method on the derivative of the squared distance. */
function nearestShare(s: Segment, p: P2): number {
  let best = 0;
  const steps = 64;
  for (let i = 1; i <= steps; i++) if (distance(pointAt(s, i / steps), p) < distance(pointAt(s, best), p)) best = i / steps;
  for (let i = 0; i < 20; i++) {
    const q = pointAt(s, best);
    const v = velocityAt(s, best);
    const step = ((p[0] - q[0]) * v[0] + (p[1] - q[1]) * v[1]) / (v[0] * v[0] + v[1] * v[1] || 1);
    best = Math.max(0, Math.min(1, best + step));
    if (Math.abs(step) < 1e-14) break;
  }
  return best;
}

/** The area of all closed contours of a drawing without sign, mm2: for saying what splitting made. */
export const regionsOf = (drawing: Drawing): { count: number; area: number } => {
  const closed = drawing.layers.flatMap((l) => l.contours.filter((c) => c.closed));
  return { count: closed.length, area: closed.reduce((n, c) => n + Math.abs(areaOfContour(c)), 0) };
};
