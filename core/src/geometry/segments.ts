import { add, dot, scaled, sub, type Vec3 } from './vector.ts';

const clamp = (t: number) => Math.min(1, Math.max(0, t));

/** Nearest points of two segments. Source: Ericson, Real-Time Collision Detection, 2005, 5.1.9. @example nearestOnSegments([0, 0, 0], [1, 0, 0], [0, 1, 0], [0, 2, 0]) // [[0, 0, 0], [0, 1, 0]] */
export function nearestOnSegments(p1: Vec3, q1: Vec3, p2: Vec3, q2: Vec3): [Vec3, Vec3] {
  const d1 = sub(q1, p1);
  const d2 = sub(q2, p2);
  const r = sub(p1, p2);
  const a = dot(d1, d1);
  const e = dot(d2, d2);
  const f = dot(d2, r);
  if (a < 1e-18 && e < 1e-18) return [p1, p2];
  let s = 0;
  let t = 0;
  if (a < 1e-18) t = clamp(f / e);
  else {
    const c = dot(d1, r);
    if (e < 1e-18) s = clamp(-c / a);
    else {
      const b = dot(d1, d2);
      const denominator = a * e - b * b;
      s = denominator > 1e-12 * a * e ? clamp((b * f - c * e) / denominator) : 0;
      t = (b * s + f) / e;
      if (t < 0) {
        t = 0;
        s = clamp(-c / a);
      } else if (t > 1) {
        t = 1;
        s = clamp((b - c) / a);
      }
    }
  }
  return [add(p1, scaled(d1, s)), add(p2, scaled(d2, t))];
}
