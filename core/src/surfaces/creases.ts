import { Bend } from './bend.ts';
import type { Surface } from './surfaces.ts';

/** A line of a parameter along which a surface is creased. */
export interface Crease {
  way: 'u' | 'v';
  at: number;
}

/** Normals that differ by more than this, rad, make a crease. */
const bent = 1e-3;
/** Places along a knot looked at; how far beside it, in shares of the span. */
const looks = 9;
const beside = 1e-7;
/** Where a spline surface is creased: at knots that stand as often as its degree, when its normals differ to both sides. */
export function creasesOf(s: Surface): Crease[] {
  if (s.kind !== 'bspline') return [];
  const out: Crease[] = [];
  const bend = new Bend(s);
  const [one, two] = [new Float64Array(3), new Float64Array(3)];
  for (const way of ['u', 'v'] as const) {
    const [knots, degree, count] = way === 'u' ? [s.uKnots, s.uDegree, s.uCount] : [s.vKnots, s.vDegree, s.vCount];
    const [others, low, high] = way === 'u' ? [s.vKnots, s.vDegree, s.vCount] : [s.uKnots, s.uDegree, s.uCount];
    for (let i = degree + 1; i < count; i++) {
      if (knots[i] === knots[i - 1] || knots[Math.min(knots.length - 1, i + degree - 1)] !== knots[i] || knots[i] >= knots[count]) continue;
      const step = beside * Math.min(knots[i] - knots[i - 1], knots[count] - knots[degree]);
      const turned = Array.from({ length: looks }, (_, k) => others[low] + ((others[high] - others[low]) * (k + 0.5)) / looks).some((t) => {
        const look = (x: number, into: Float64Array) => {
          bend.look(way === 'u' ? x : t, way === 'u' ? t : x);
          bend.normal(into, 0);
        };
        look(knots[i] - step, one);
        look(knots[i] + step, two);
        return Math.hypot(one[0] - two[0], one[1] - two[1], one[2] - two[2]) > bent;
      });
      if (turned) out.push({ way, at: knots[i] });
    }
  }
  return out;
}
