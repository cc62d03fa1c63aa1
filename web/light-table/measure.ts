import type { Pick } from './picking.ts';

type P3 = [number, number, number];
const sub = (a: P3, b: P3): P3 => [a[0] - b[0], a[1] - b[1], a[2] - b[2]];
const dot = (a: P3, b: P3) => a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
const along = (a: P3, d: P3, t: number): P3 => [a[0] + d[0] * t, a[1] + d[1] * t, a[2] + d[2] * t];
const clamp = (t: number) => Math.min(1, Math.max(0, t));

/** Nearest points of two segments. Source: Ericson, Real-Time Collision Detection, 5.1.9. */
export function nearestOnSegments(p1: P3, q1: P3, p2: P3, q2: P3): [P3, P3] {
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
  return [along(p1, d1, s), along(p2, d2, t)];
}

/** What lies between two picks, in words, and the line to draw. Lengths in mm after `scale`. */
export function describeMeasure(picks: Pick[], scale: number): { text: string; segments: P3[] } | null {
  if (picks.length === 0) return null;
  const mm = (v: number) => `${(v * scale).toFixed(3)} mm`;
  const isEdge = (p: Pick) => p.edge !== null && !p.vertex;
  if (picks.length === 1) {
    const [p] = picks;
    if (!isEdge(p)) return null;
    const [a, b] = p.edge!;
    return { text: `Edge piece ${mm(Math.sqrt(dot(sub(b, a), sub(b, a))))} long. Now the second point or edge.`, segments: [a, b] };
  }
  const ends = picks.map((p): [P3, P3] => (isEdge(p) ? p.edge! : [p.point, p.point]));
  const [a, b] = nearestOnSegments(...ends[0], ...ends[1]);
  const d = sub(b, a);
  const what = picks.map((p) => (isEdge(p) ? 'edge' : p.vertex ? 'corner' : 'point')).join(' to ');
  return { text: `${what}: ${mm(Math.sqrt(dot(d, d)))}   (X ${mm(Math.abs(d[0]))}, Y ${mm(Math.abs(d[1]))}, Z ${mm(Math.abs(d[2]))})`, segments: [a, b] };
}
