import { nearestOnSegments } from 'tall-kite/geometry/segments';
import type { Pick } from './picking.ts';

type P3 = [number, number, number];
const sub = (a: P3, b: P3): P3 => [a[0] - b[0], a[1] - b[1], a[2] - b[2]];
const dot = (a: P3, b: P3) => a[0] * b[0] + a[1] * b[1] + a[2] * b[2];

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
