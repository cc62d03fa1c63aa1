import { circleThrough } from './check.ts';
import { distance, endOf, pointAt, startOf, turn, type P2, type Segment } from './segment.ts';

/** A curve counts as a line or arc when it lies on one within this share of its own size. */
const exactShare = 1e-7;

/**
 * Splines and Béziers that are lines, arcs or circles in another form come back as what they are; others stay.
 * @param least distance within which it counts as one whatever its size, mm.
 */
export function recognised(s: Segment, least = 1e-7): Segment {
  if (s.kind !== 'spline' && s.kind !== 'bezier') return s;
  const n = 24;
  const points = Array.from({ length: n + 1 }, (_, i): P2 => pointAt(s, i / n));
  const [a, b] = [startOf(s), endOf(s)];
  let size = 0;
  for (const p of points) size = Math.max(size, distance(a, p));
  const within = Math.max(least, size * exactShare);
  const chord = distance(a, b);
  if (chord > within) {
    let along = -within;
    const straight = points.every((p) => {
      const t = ((p[0] - a[0]) * (b[0] - a[0]) + (p[1] - a[1]) * (b[1] - a[1])) / chord;
      const off = Math.abs((b[0] - a[0]) * (p[1] - a[1]) - (b[1] - a[1]) * (p[0] - a[0])) / chord;
      const ahead = t >= along - within && t <= chord + within;
      along = t;
      return off <= within && ahead;
    });
    if (straight) return { kind: 'line', a, b };
  }
  const centre = circleThrough(points[0], points[n / 3], points[(2 * n) / 3]);
  if (!centre) return s;
  const radius = distance(centre, points[0]);
  if (!(radius < 1e4 * size) || points.some((p) => Math.abs(distance(p, centre) - radius) > within)) return s;
  let sweep = 0;
  for (let i = 0; i < n; i++) {
    const [px, py] = [points[i][0] - centre[0], points[i][1] - centre[1]];
    const [qx, qy] = [points[i + 1][0] - centre[0], points[i + 1][1] - centre[1]];
    sweep += Math.atan2(px * qy - py * qx, px * qx + py * qy);
  }
  if (Math.abs(Math.abs(sweep) - turn) < 1e-6) sweep = Math.sign(sweep) * turn;
  if (Math.abs(sweep) > turn + 1e-6) return s;
  return { kind: 'arc', centre, radius, start: Math.atan2(a[1] - centre[1], a[0] - centre[0]), sweep };
}
