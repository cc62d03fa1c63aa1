import { boxOfDrawing, emptyDrawing, transformedDrawing, type Drawing } from './drawing.ts';
import { append } from '../base/rows.ts';

/** A drawing to be set out, mm, and how many of it. */
export interface SetOutItem {
  drawing: Drawing;
  copies: number;
}

/**
 * Drawings side by side in rows, as one drawing: the highest first, from the low left corner, rows no wider than the sheet. Layers of one name
 * become one. Not a nesting: outlines keep their boxes to themselves.
 * @param width of the sheet and @param spacing between boxes and from its rim, mm.
 */
export function setOut(items: readonly SetOutItem[], width: number, spacing: number): Drawing {
  const out = emptyDrawing();
  const layers = new Map<string, Drawing['layers'][number]>();
  const pieces = items
    .flatMap(({ drawing, copies }) => {
      const box = boxOfDrawing(drawing);
      return Array.from({ length: copies }, () => ({ drawing, box, w: box[2] - box[0], h: box[3] - box[1] }));
    })
    .sort((a, b) => b.h - a.h || b.w - a.w);
  let [x, y, high] = [spacing, spacing, 0];
  for (const { drawing, box, w, h } of pieces) {
    if (x > spacing && x + w + spacing > width) {
      x = spacing;
      y += high + spacing;
      high = 0;
    }
    const at = transformedDrawing(drawing, [1, 0, 0, 1, x - box[0], y - box[1]]);
    for (const layer of at.layers) {
      const known = layers.get(layer.name);
      if (known) append(known.contours, layer.contours);
      else {
        layers.set(layer.name, { ...layer, contours: [...layer.contours] });
        out.layers.push(layers.get(layer.name)!);
      }
    }
    append(out.texts, at.texts);
    append(out.points, at.points);
    x += w + spacing;
    high = Math.max(high, h);
  }
  return out;
}
