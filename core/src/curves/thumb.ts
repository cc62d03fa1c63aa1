import { reachOf, type Drawing } from './drawing.ts';
import { flattened } from './flatten.ts';
import type { Box2 } from './measure.ts';

/** Most points in a small drawing. */
const mostPoints = 1500;

/** The contours as an SVG path in a box of 46 by 46; the longest first when there are too many. */
export function thumbOfDrawing(drawing: Drawing, box: Box2): string {
  const reach = reachOf(box);
  if (!(reach > 0)) return '';
  const scale = 38 / reach;
  const x = (v: number) => (23 + (v - (box[0] + box[2]) / 2) * scale).toFixed(1);
  const y = (v: number) => (23 - (v - (box[1] + box[3]) / 2) * scale).toFixed(1);
  let left = mostPoints;
  const out: string[] = [];
  const contours = drawing.layers.flatMap((l) => l.contours).sort((a, b) => b.segments.length - a.segments.length);
  for (const c of contours) {
    if (left <= 0) break;
    let last = '';
    const steps: string[] = [];
    for (const p of flattened(c.segments, reach / 150)) {
      const at = `${x(p[0])} ${y(p[1])}`;
      if (at !== last) steps.push(at);
      last = at;
    }
    left -= steps.length;
    if (steps.length > 1) out.push(`M${steps.join('L')}${c.closed ? 'Z' : ''}`);
  }
  return out.join('');
}
