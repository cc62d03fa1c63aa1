import { add, scaled, unit, type Vec3 } from '../geometry/vector.ts';
import { solve } from '../geometry/solve.ts';
import type { EndCut } from './run.ts';
import type { Point } from './sections.ts';
import { outOf, placeOf, type Sweep } from './sweep.ts';

/** One end of a sweep on its centre line. */
export interface SweepEnd {
  at: Vec3;
  /** Direction out of the piece, unit. */
  out: Vec3;
  cut: EndCut;
  /** Where along the sweep, mm or rad. */
  t: number;
}

/** Cuts count as square within this, rad: what doubles and float32 leave of a square end. */
const squareWithin = 2e-4;

/**
 * The two ends of a sweep where its middle meets them.
 * @param middle the centre of the section @param near mm by which a plane may miss the points of an end
 */
export function endsOf(sweep: Sweep, middle: Point, near: number): [SweepEnd, SweepEnd] {
  return [0, 1].map((side) => endOf(sweep, middle, side as 0 | 1, near)) as [SweepEnd, SweepEnd];
}

function endOf(sweep: Sweep, middle: Point, side: 0 | 1, near: number): SweepEnd {
  const sign = side === 0 ? -1 : 1;
  const points = sweep.bounds[side];
  if (sweep.kind === 'bend') {
    const all = points.map((p) => p[2]);
    const t = all.reduce((a, b) => a + b, 0) / all.length;
    const spread = (Math.max(...all) - Math.min(...all)) * middle[0];
    const out = scaled(tangentAt(sweep, t), sign);
    const square: EndCut = { kind: 'square', slant: 0, normal: out };
    return { at: placeOf(sweep, [middle[0], middle[1], t]), out, t, cut: spread <= near ? square : { kind: 'cope', slant: 0, normal: null } };
  }
  const out = scaled(sweep.along, sign);
  const plane = planeThrough(points, middle);
  const off = plane ? Math.max(...points.map((p) => Math.abs(p[2] - plane[0] - plane[1] * (p[0] - middle[0]) - plane[2] * (p[1] - middle[1])))) : Infinity;
  if (!plane || off > near) {
    const ts = points.map((p) => p[2]);
    const t = side === 0 ? Math.min(...ts) : Math.max(...ts);
    return {
      at: placeOf(sweep, [middle[0], middle[1], t]),
      out,
      t,
      cut: { kind: 'cope', slant: 0, normal: null, points: points.map((p) => placeOf(sweep, p)) },
    };
  }
  const [t, a, b] = plane;
  const slant = Math.atan(Math.hypot(a, b));
  const normal = unit(add(scaled(sweep.along, sign), add(scaled(sweep.x, -a * sign), scaled(sweep.y, -b * sign))));
  const cut: EndCut = slant <= squareWithin ? { kind: 'square', slant: 0, normal: out } : { kind: 'mitre', slant, normal };
  return { at: placeOf(sweep, [middle[0], middle[1], t]), out, t, cut };
}

/** t = c + a (x - mx) + b (y - my) by least squares. */
function planeThrough(points: readonly Vec3[], [mx, my]: Point): [number, number, number] | null {
  if (points.length === 0) return null;
  const sums = new Float64Array(9);
  const right = new Float64Array(3);
  for (const [px, py, t] of points) {
    const row = [1, px - mx, py - my];
    for (let i = 0; i < 3; i++) {
      right[i] += row[i] * t;
      for (let j = 0; j < 3; j++) sums[i * 3 + j] += row[i] * row[j];
    }
  }
  const answer = solve(sums, right);
  return answer && answer.every(Number.isFinite) ? (answer as [number, number, number]) : null;
}

/** Direction of the turn at an angle, unit. */
export function tangentAt(sweep: Sweep, t: number): Vec3 {
  const r = outOf(sweep, t);
  const { along } = sweep;
  return [along[1] * r[2] - along[2] * r[1], along[2] * r[0] - along[0] * r[2], along[0] * r[1] - along[1] * r[0]];
}
