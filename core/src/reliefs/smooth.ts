import type { HeightField } from './field.ts';

/** How heights are smoothed: places within `spread` mm have a say, the less the more their height differs by than `edge` mm. */
export interface Smoothing {
  spread: number;
  edge: number;
}

/** Widest window, heights to either side. */
const widest = 12;

/**
 * Heights with small noise taken out and edges kept: a mean of the neighbours, weighted by distance and by difference of height.
 * Source: bilateral filter, Tomasi and Manduchi, Bilateral filtering for gray and color images, 1998. NaN stays and has no say.
 */
export function smoothed(field: HeightField, { spread, edge }: Smoothing): Float64Array {
  const { columns, rows, step, heights } = field;
  const reach = step.map((s) => Math.min(widest, Math.ceil((2 * spread) / s))) as [number, number];
  const near: { i: number; j: number; weight: number }[] = [];
  for (let j = -reach[1]; j <= reach[1]; j++)
    for (let i = -reach[0]; i <= reach[0]; i++) {
      const away = (i * step[0]) ** 2 + (j * step[1]) ** 2;
      if (away <= 4 * spread * spread) near.push({ i, j, weight: Math.exp(-away / (2 * spread * spread)) });
    }
  const out = heights.slice();
  const over = 1 / (2 * edge * edge);
  for (let r = 0, k = 0; r < rows; r++)
    for (let c = 0; c < columns; c++, k++) {
      const own = heights[k];
      if (Number.isNaN(own)) continue;
      let [sum, weights] = [0, 0];
      for (const { i, j, weight } of near) {
        if (c + i < 0 || c + i >= columns || r + j < 0 || r + j >= rows) continue;
        const h = heights[k + j * columns + i];
        if (Number.isNaN(h)) continue;
        const w = weight * Math.exp(-(h - own) * (h - own) * over);
        sum += w * h;
        weights += w;
      }
      out[k] = sum / weights;
    }
  return out;
}
