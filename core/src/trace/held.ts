import type { Affine } from '../curves/affine.ts';
import { startOf, type Segment } from '../curves/segment.ts';
import { nearOutline } from './off.ts';
import type { PictureOrigin } from './origin.ts';
import type { Made } from './outlines.ts';
import type { Row } from './pieces.ts';

/** Places on the edge that are kept for the proof. */
const mostKept = 3000;

/** How far the points of the edge lie off what was made of them; and some of them, for the proof. */
export function held(made: readonly Made[][], flat: Affine): Pick<PictureOrigin, 'distance' | 'edge'> {
  const all = made.flat();
  const points = all.reduce((sum, m) => sum + m.row.xy.length / 2, 0);
  const every = Math.max(1, Math.ceil(points / mostKept));
  let [sum, count, largest, at, beyond] = [0, 0, 0, 0, 0];
  const edge: number[] = [];
  for (const { row, outline } of all) {
    beyond = Math.max(beyond, cornersBeyond(row, outline));
    const near = nearOutline(outline);
    for (let i = 0; i < row.xy.length; i += 2, at++) {
      // Every point of a small drawing is measured, of a large one every few.
      if (at % Math.max(1, Math.floor(points / 40_000)) !== 0) continue;
      const off = near(row.xy[i], row.xy[i + 1]);
      sum += off;
      count++;
      if (off > largest) largest = off;
      if (at % every === 0) edge.push(flat[0] * row.xy[i] + flat[4], flat[3] * row.xy[i + 1] + flat[5]);
    }
  }
  return { distance: { mean: count > 0 ? sum / count : 0, largest, beyond }, edge };
}

/** Farthest that a corner lies from the row of points: pixels do not see a tip to its end, and what is put there is a guess along both sides. */
function cornersBeyond({ xy, closed }: Row, outline: readonly Segment[]): number {
  const n = xy.length / 2;
  let [farthest, from] = [0, 0];
  for (const s of outline) {
    const [x, y] = startOf(s);
    let [best, at] = [Infinity, from];
    // Corners come in the order of the points: the next one is looked for ahead of the last, and all round when it isn't near.
    const look = (first: number, last: number) => {
      for (let k = first; k <= last; k++) {
        const i = ((k % n) + n) % n;
        if (!closed && i === n - 1) continue;
        const j = (i + 1) % n;
        const [dx, dy] = [xy[j * 2] - xy[i * 2], xy[j * 2 + 1] - xy[i * 2 + 1]];
        const t = Math.min(1, Math.max(0, ((x - xy[i * 2]) * dx + (y - xy[i * 2 + 1]) * dy) / (dx * dx + dy * dy || 1)));
        const d = Math.hypot(x - xy[i * 2] - t * dx, y - xy[i * 2 + 1] - t * dy);
        if (d < best) [best, at] = [d, i];
      }
    };
    look(from - 4, from + 600);
    if (best > 0.5) look(0, n - 1);
    from = at;
    farthest = Math.max(farthest, best);
  }
  return farthest;
}
