import { contourOf, type Contour } from './drawing.ts';
import { mergedContour } from './fit.ts';
import { bulgeOf, distance, endOf, fromBulge, isFull, pointAt, startOf, turn, type ArcSegment, type LineSegment, type P2, type Segment } from './segment.ts';

type Primitive = LineSegment | ArcSegment;

/** A contour with the exact pieces in the place of its own. */
export interface Snapped {
  contour: Contour;
  /** How far the pieces that fit no exact one were moved by the corners beside them, mm; null where every piece fits one. */
  rough: number | null;
}

/**
 * Puts a contour that was followed on facets back onto the exact lines and circles it came from: each piece that lies within `tolerance` mm
 * of one takes its place, and corners become the places where those meet. Pieces that fit none stay as they are, but for their ends.
 * @example snappedTo(outline, edges, 0.05).rough // null: every piece is exact
 */
export function snappedTo(contour: Contour, exact: readonly Segment[], tolerance: number): Snapped {
  const primitives = exact.filter((s): s is Primitive => s.kind === 'line' || s.kind === 'arc');
  const n = contour.segments.length;
  const chosen = contour.segments.map((s) => nearest(s, primitives, tolerance));
  if (n === 1 && isFull(contour.segments[0])) {
    const [p] = chosen;
    const own = contour.segments[0] as ArcSegment;
    return p?.kind === 'arc' ? { contour: { ...contour, segments: [{ ...own, centre: p.centre, radius: p.radius }] }, rough: null } : { contour, rough: 0 };
  }
  const corners: P2[] = contour.segments.map((s, i) => cornerOf(chosen[i], chosen[(i + 1) % n], endOf(s), tolerance * 4));
  const segments = contour.segments.map((s, i) => between(s, chosen[i], corners[(i + n - 1) % n], corners[i]));
  const moved = contour.segments.flatMap((s, i) => (chosen[i] ? [] : probes.map((t) => distance(pointAt(s, t), pointAt(segments[i], t)))));
  return { contour: mergedContour({ ...contour, segments }, 1e-7), rough: moved.length > 0 ? Math.max(...moved) : null };
}

const probes = [0, 0.25, 0.5, 0.75, 1];

/** A piece between two corners: on the exact one that it fits, else bulged as it is. */
function between(s: Segment, p: Primitive | null, a: P2, b: P2): Segment {
  if (s.kind !== 'arc') return { kind: 'line', a, b };
  if (p?.kind !== 'arc') return fromBulge(a, b, bulgeOf(s));
  const start = Math.atan2(a[1] - p.centre[1], a[0] - p.centre[0]);
  const sign = Math.sign(s.sweep);
  let sweep = (sign * (Math.atan2(b[1] - p.centre[1], b[0] - p.centre[0]) - start)) % turn;
  if (sweep <= 0) sweep += turn;
  return { kind: 'arc', centre: p.centre, radius: p.radius, start, sweep: sign * sweep };
}

/** The exact piece that a fitted one lies on at its ends and middle. */
function nearest(s: Segment, primitives: readonly Primitive[], tolerance: number): Primitive | null {
  if (s.kind !== 'line' && s.kind !== 'arc') return null;
  const places = [startOf(s), pointAt(s, 0.5), endOf(s)];
  let best: Primitive | null = null;
  let least = tolerance;
  for (const p of primitives) {
    if (p.kind !== s.kind) continue;
    const off = Math.max(...places.map((q) => offOf(p, q)));
    if (off < least) {
      least = off;
      best = p;
    }
  }
  return best;
}

/** Distance of a point from the whole line or circle. */
function offOf(p: Primitive, q: P2): number {
  if (p.kind === 'arc') return Math.abs(distance(p.centre, q) - p.radius);
  const length = distance(p.a, p.b);
  return Math.abs((p.b[0] - p.a[0]) * (q[1] - p.a[1]) - (p.b[1] - p.a[1]) * (q[0] - p.a[0])) / length;
}

function cornerOf(p: Primitive | null, q: Primitive | null, at: P2, reach: number): P2 {
  let found: P2 | null = null;
  if (p && q) {
    for (const c of crossings(p, q)) if (distance(c, at) < reach && (!found || distance(c, at) < distance(found, at))) found = c;
  }
  if (found) return found;
  const one = q ?? p;
  return one ? projected(one, at) : at;
}

function projected(p: Primitive, at: P2): P2 {
  if (p.kind === 'arc') {
    const d = distance(p.centre, at) || 1;
    return [p.centre[0] + ((at[0] - p.centre[0]) * p.radius) / d, p.centre[1] + ((at[1] - p.centre[1]) * p.radius) / d];
  }
  const [dx, dy] = [p.b[0] - p.a[0], p.b[1] - p.a[1]];
  const t = ((at[0] - p.a[0]) * dx + (at[1] - p.a[1]) * dy) / (dx * dx + dy * dy);
  return [p.a[0] + dx * t, p.a[1] + dy * t];
}

/** Where two whole lines or circles meet; a near miss of tangents counts as touching at the nearest place. */
function crossings(p: Primitive, q: Primitive): P2[] {
  if (p.kind === 'line' && q.kind === 'line') {
    const [dx, dy, ex, ey] = [p.b[0] - p.a[0], p.b[1] - p.a[1], q.b[0] - q.a[0], q.b[1] - q.a[1]];
    const n = dx * ey - dy * ex;
    if (Math.abs(n) < 1e-9 * Math.hypot(dx, dy) * Math.hypot(ex, ey)) return [];
    const k = ((q.a[0] - p.a[0]) * ey - (q.a[1] - p.a[1]) * ex) / n;
    return [[p.a[0] + dx * k, p.a[1] + dy * k]];
  }
  if (p.kind === 'arc' && q.kind === 'arc') {
    const d = distance(p.centre, q.centre);
    if (d < 1e-9) return [];
    const a = (d * d + p.radius ** 2 - q.radius ** 2) / (2 * d);
    const h = Math.sqrt(Math.max(0, p.radius ** 2 - a * a));
    const [ux, uy] = [(q.centre[0] - p.centre[0]) / d, (q.centre[1] - p.centre[1]) / d];
    return [-1, 1].map((s): P2 => [p.centre[0] + ux * a - s * uy * h, p.centre[1] + uy * a + s * ux * h]);
  }
  const [line, arc] = p.kind === 'line' ? [p, q as ArcSegment] : [q as LineSegment, p as ArcSegment];
  const foot = projected(line, arc.centre);
  const off = distance(foot, arc.centre);
  const half = Math.sqrt(Math.max(0, arc.radius ** 2 - off * off));
  const length = distance(line.a, line.b);
  const u: P2 = [(line.b[0] - line.a[0]) / length, (line.b[1] - line.a[1]) / length];
  return [-1, 1].map((s): P2 => [foot[0] + s * u[0] * half, foot[1] + s * u[1] * half]);
}

/** Exact pieces as a contour each, for drawing. */
export const loose = (segments: readonly Segment[]): Contour[] => segments.map((s) => contourOf([s], isFull(s)));
