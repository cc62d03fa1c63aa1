import { ellipseFrom, type P2, type Segment } from './segment.ts';

/** An affine map of the plane: x' = a x + c y + e, y' = b x + d y + f, as [a, b, c, d, e, f]. */
export type Affine = readonly [number, number, number, number, number, number];
export const noChange: Affine = [1, 0, 0, 1, 0, 0];

/** First `inner`, then `outer`. */
export function times(outer: Affine, inner: Affine): Affine {
  const [a, b, c, d, e, f] = outer;
  const [g, h, i, j, k, l] = inner;
  return [a * g + c * h, b * g + d * h, a * i + c * j, b * i + d * j, a * k + c * l + e, b * k + d * l + f];
}

export const applied = (m: Affine, p: readonly number[]): P2 => [m[0] * p[0] + m[2] * p[1] + m[4], m[1] * p[0] + m[3] * p[1] + m[5]];
const appliedVector = (m: Affine, p: readonly number[]): P2 => [m[0] * p[0] + m[2] * p[1], m[1] * p[0] + m[3] * p[1]];

/** The piece under an affine map; a circle that is stretched becomes an ellipse, never short lines. */
export function transformed(s: Segment, m: Affine): Segment {
  switch (s.kind) {
    case 'line':
      return { kind: 'line', a: applied(m, s.a), b: applied(m, s.b) };
    case 'bezier':
      return { kind: 'bezier', points: s.points.map((p) => applied(m, p)) };
    case 'spline':
      return { ...s, points: s.points.map((p) => applied(m, p)) };
    case 'arc': {
      const ux = Math.hypot(m[0], m[1]);
      const uy = Math.hypot(m[2], m[3]);
      const similar = Math.abs(ux - uy) <= 1e-12 * (ux + uy) && Math.abs(m[0] * m[2] + m[1] * m[3]) <= 1e-12 * ux * uy;
      if (!similar) return ellipseFrom(applied(m, s.centre), [appliedVector(m, [s.radius, 0]), appliedVector(m, [0, s.radius])], s.start, s.sweep);
      const flip = m[0] * m[3] - m[1] * m[2] < 0 ? -1 : 1;
      const angle = Math.atan2(m[1], m[0]);
      return { kind: 'arc', centre: applied(m, s.centre), radius: s.radius * ux, start: angle + flip * s.start, sweep: flip * s.sweep };
    }
    case 'ellipse':
      return ellipseFrom(applied(m, s.centre), [appliedVector(m, s.u), appliedVector(m, [-s.u[1] * s.ratio, s.u[0] * s.ratio])], s.start, s.sweep);
  }
}

/** The map that undoes an affine map. @throws RangeError when it flattens everything to a line. */
export function inverted(m: Affine): Affine {
  const n = m[0] * m[3] - m[1] * m[2];
  if (n === 0) throw new RangeError('An affine map without area has no inverse');
  const [a, b, c, d] = [m[3] / n, -m[1] / n, -m[2] / n, m[0] / n];
  return [a, b, c, d, -(a * m[4] + c * m[5]), -(b * m[4] + d * m[5])];
}
