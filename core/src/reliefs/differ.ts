import { buildBvh } from '../geometry/bvh/build.ts';
import { nearestOnMesh, nowhere } from '../geometry/bvh/nearest.ts';
import type { Mesh } from '../geometry/mesh.ts';
import type { Composed } from './compose.ts';

/** Most points that are looked at. */
const mostPoints = 4000;

/**
 * How far reliefs lie from the block that was made of them, at their own corners and at the middles of their triangles: by the nearest place of the block's
 * triangles. Neither side knows of the grid, so what lies between heights shows.
 * @param block as `blockOf` gives it, on the stock's middle and the bed
 */
export function differenceOf(composed: Composed, block: Mesh): { points: number; largest: number; mean: number } {
  const bvh = buildBvh(block);
  const out = nowhere();
  let [points, largest, sum] = [0, 0, 0];
  for (const [x, y] of spreadOver(composed)) {
    const meant = composed.heightAt(x, y);
    if (Number.isNaN(meant)) continue;
    const off = Math.sqrt(nearestOnMesh(bvh, [x, y, meant], out).squared);
    points++;
    sum += off;
    if (off > largest) largest = off;
  }
  return { points, largest, mean: points > 0 ? sum / points : 0 };
}

/** Places of the reliefs within the field, at most so many, evenly picked. */
function* spreadOver({ copies, field }: Composed): Generator<[number, number]> {
  const count = copies.reduce((n, c) => n + c.triangles.length / 3, 0);
  const every = Math.max(1, Math.floor(count / (mostPoints / 2)));
  const [x1, y1] = [field.at[0] + field.step[0] * (field.columns - 1), field.at[1] + field.step[1] * (field.rows - 1)];
  const within = (x: number, y: number) => x > field.at[0] && y > field.at[1] && x < x1 && y < y1;
  let at = 0;
  for (const { positions: p, triangles: t } of copies)
    for (let i = 0; i < t.length; i += 3) {
      if (at++ % every !== 0) continue;
      const [a, b, c] = [t[i] * 3, t[i + 1] * 3, t[i + 2] * 3];
      const middle: [number, number] = [(p[a] + p[b] + p[c]) / 3, (p[a + 1] + p[b + 1] + p[c + 1]) / 3];
      if (within(...middle)) yield middle;
      // A hair inside its own triangle, so that it is met whatever rounding does.
      const corner: [number, number] = [p[a] + (middle[0] - p[a]) * 1e-6, p[a + 1] + (middle[1] - p[a + 1]) * 1e-6];
      if (within(...corner)) yield corner;
    }
}
