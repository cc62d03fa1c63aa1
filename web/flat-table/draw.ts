import type { ShapeView, ViewName } from 'tall-kite/drawing/from-shape';
import type { View } from 'tall-kite/view/view';
import { typedNumber } from './panels/recipe.ts';

/** The face that a triangle of the view belongs to. */
export function faceOf(shape: View, triangle: number): number {
  let face = 0;
  while (face + 2 < shape.starts.length && shape.starts[face + 1] <= triangle) face++;
  return shape.starts.length > 1 ? face : -1;
}

export type Edges = 'silhouette' | 'visible' | 'hidden';
export type AxisName = 'x' | 'y' | 'z';

/** Sections nearer to each other than this are not asked for, mm. */
const leastPitch = 0.05;

/** What is chosen and typed. */
export type Typed = { kind: ShapeView['kind']; view: ViewName; edges: Edges; axis: AxisName; height: string; pitch: string };

/** What is asked for by what is chosen and typed; null where a number is missing or too small, and for a face, which is picked. */
export function askedView({ kind, view, edges, axis, height, pitch }: Typed): ShapeView | null {
  const [h, p] = [typedNumber(height), typedNumber(pitch)];
  if (kind === 'view') return { kind, view, edges };
  if (kind === 'section') return h === null ? null : { kind, height: h, axis };
  return kind === 'stack' && p !== null && p >= leastPitch ? { kind, pitch: p } : null;
}

/** How near arcs are fitted to a mesh's edges, mm; null for what can't be. */
export function fitTyped(text: string): number | null {
  const fit = typedNumber(text);
  return fit !== null && fit > 0 && fit <= 5 ? fit : null;
}

/** All whole, or all dashed lines as one path of SVG, Y downwards: a drawing of thousands of contours is two elements of the page. */
export function pathOf(lines: { points: Float32Array; starts: number[]; closed: boolean[]; dashed: boolean[] }, dashed: boolean): string {
  const out: string[] = [];
  for (let i = 0; i + 1 < lines.starts.length; i++) {
    if (Boolean(lines.dashed[i]) !== dashed) continue;
    for (let k = lines.starts[i]; k < lines.starts[i + 1]; k++)
      out.push(`${k === lines.starts[i] ? 'M' : 'L'}${lines.points[k * 2].toFixed(3)} ${(-lines.points[k * 2 + 1]).toFixed(3)}`);
    if (lines.closed[i]) out.push('Z');
  }
  return out.join('');
}
