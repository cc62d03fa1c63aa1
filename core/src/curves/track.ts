import type { Contour } from './drawing.ts';
import { flattened } from './flatten.ts';
import { startOf, type P2 } from './segment.ts';

/** A contour as a way to run along: places by their distance from its start, mm. */
export interface Track {
  length: number;
  closed: boolean;
  /** The place at a distance along, and which way the track runs there, rad. Beyond an open end it goes straight on; round a closed one again. */
  at(along: number): { point: P2; angle: number };
  /** How far along the place lies that is nearest to a point, and how far off that is. */
  nearest(p: P2): { along: number; off: number };
}

/** How near chords keep to curves, as a share of the track's own length as the crow flies. */
const fine = 1e-6;

/**
 * @throws RangeError for a contour without length. @example trackOf(circle of 10 mm).at(5 * Math.PI).angle // a quarter further
 * Distances are those along chords within a millionth of the curve: short of the true length by less than a ten-millionth.
 */
export function trackOf(contour: Contour): Track {
  const rough = flattened(contour.segments, Infinity);
  const reach = Math.max(...[0, 1].map((k) => Math.max(...rough.map((p) => p[k])) - Math.min(...rough.map((p) => p[k]))), 0);
  const points = [startOf(contour.segments[0]), ...flattened(contour.segments, Math.max(reach, 1e-9) * fine)];
  const sums = [0];
  for (let i = 1; i < points.length; i++) sums.push(sums[i - 1] + Math.hypot(points[i][0] - points[i - 1][0], points[i][1] - points[i - 1][1]));
  const length = sums[sums.length - 1];
  if (!(length > 0)) throw new RangeError('a track needs some length');
  const chordAt = (along: number): number => {
    let [lo, hi] = [0, sums.length - 1];
    while (hi - lo > 1) {
      const middle = (lo + hi) >> 1;
      if (sums[middle] <= along) lo = middle;
      else hi = middle;
    }
    // A chord of no length has no direction.
    while (lo > 0 && sums[lo + 1] === sums[lo]) lo--;
    return lo;
  };
  return {
    length,
    closed: contour.closed,
    at: (given) => {
      const along = contour.closed ? given - length * Math.floor(given / length) : given;
      const i = chordAt(Math.min(length, Math.max(0, along)));
      const [a, b] = [points[i], points[i + 1]];
      const t = (along - sums[i]) / (sums[i + 1] - sums[i]);
      return { point: [a[0] + (b[0] - a[0]) * t, a[1] + (b[1] - a[1]) * t], angle: Math.atan2(b[1] - a[1], b[0] - a[0]) };
    },
    nearest: ([x, y]) => {
      let [best, along] = [Infinity, 0];
      for (let i = 0; i + 1 < points.length; i++) {
        const [a, b] = [points[i], points[i + 1]];
        const [dx, dy] = [b[0] - a[0], b[1] - a[1]];
        const t = Math.min(1, Math.max(0, ((x - a[0]) * dx + (y - a[1]) * dy) / (dx * dx + dy * dy || 1)));
        const d = Math.hypot(x - a[0] - t * dx, y - a[1] - t * dy);
        if (d < best) [best, along] = [d, sums[i] + t * (sums[i + 1] - sums[i])];
      }
      return { along, off: best };
    },
  };
}
