import Flatbush from 'flatbush';
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
  const points = new Flatbush(n);
  for (let i = 0; i < n; i++) points.add(xy[i * 2], xy[i * 2 + 1], xy[i * 2], xy[i * 2 + 1]);
  points.finish();
  let farthest = 0;
  for (const s of outline) {
    const [x, y] = startOf(s);
    let best = Infinity;
    // Points stand about a pixel apart: the nearest way is at one of the nearest of them.
    for (const k of points.neighbors(x, y, nearestAsked))
      for (const i of [k - 1, k]) {
        if (!closed && (i < 0 || i === n - 1)) continue;
        const [a, b] = [(((i % n) + n) % n) * 2, ((i + 1) % n) * 2];
        const [dx, dy] = [xy[b] - xy[a], xy[b + 1] - xy[a + 1]];
        const t = Math.min(1, Math.max(0, ((x - xy[a]) * dx + (y - xy[a + 1]) * dy) / (dx * dx + dy * dy || 1)));
        best = Math.min(best, Math.hypot(x - xy[a] - t * dx, y - xy[a + 1] - t * dy));
      }
    farthest = Math.max(farthest, best);
  }
  return farthest;
}

/** So many of the nearest points are asked for the way between them. */
const nearestAsked = 4;
