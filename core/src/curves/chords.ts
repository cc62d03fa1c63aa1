import type { Contour, Drawing } from './drawing.ts';
import { eachChord } from './flatten.ts';
import { growBox, noBox, type Box2 } from './measure.ts';
import type { Nested } from './nest.ts';
import { startOf, turn, type Segment } from './segment.ts';

/** Figures of a drawing by chords alone: a route of its own beside the exact forms of `measure.ts`. Lengths in mm. */
export interface ChordFigures {
  box: Box2;
  length: number;
  /** Outer less holes. */
  area: number;
}

/**
 * Box, length and area of all contours by chords within `fine` mm of the curves: corners of the box lie within `fine`, the length is short by
 * at most a third of `fine` times the turning, the area off by at most `fine` times the length. Source: sagitta of a chord; shoelace formula.
 */
export function chordFigures(drawing: Drawing, nested: readonly Nested[], fine: number): ChordFigures {
  const box = noBox();
  let length = 0;
  const areas = new Map<Contour, number>();
  for (const layer of drawing.layers) {
    for (const contour of layer.contours) {
      const first = contour.segments.length > 0 ? startOf(contour.segments[0]) : null;
      if (!first) continue;
      const [fx, fy] = first;
      let [x, y, area] = [fx, fy, 0];
      growBox(box, first);
      const take = (px: number, py: number): void => {
        if (px < box[0]) box[0] = px;
        if (py < box[1]) box[1] = py;
        if (px > box[2]) box[2] = px;
        if (py > box[3]) box[3] = py;
        length += Math.sqrt((px - x) * (px - x) + (py - y) * (py - y));
        area += (x - fx) * (py - fy) - (px - fx) * (y - fy);
        x = px;
        y = py;
      };
      for (const s of contour.segments) eachChord(s, fine, take);
      areas.set(contour, Math.abs(area) / 2);
    }
  }
  let area = 0;
  for (const n of nested) area += (n.depth % 2 === 0 ? 1 : -1) * (areas.get(drawing.layers[n.layer].contours[n.contour]) ?? 0);
  return { box: box[0] > box[2] ? [0, 0, 0, 0] : box, length, area };
}

/** At most how far the direction of a piece turns in all, rad: that of its control polygon. Source: variation diminishing property. */
export function turningOf(s: Segment): number {
  switch (s.kind) {
    case 'line':
      return 0;
    case 'arc':
    case 'ellipse':
      return Math.abs(s.sweep) + turn / 4;
    default: {
      let sum = 0;
      for (let i = 2; i < s.points.length; i++) {
        const [a, b, c] = [s.points[i - 2], s.points[i - 1], s.points[i]];
        const [ux, uy, vx, vy] = [b[0] - a[0], b[1] - a[1], c[0] - b[0], c[1] - b[1]];
        sum += Math.abs(Math.atan2(ux * vy - uy * vx, ux * vx + uy * vy));
      }
      return sum;
    }
  }
}
