import { carved, scallop, tipSurface } from './bits.ts';
import type { CarvePlan } from './choice.ts';
import type { HeightField } from './field.ts';

/** What a plan of carving leaves and takes, lengths in mm, times in minutes. */
export interface CarveFigures {
  /** Ridges between passes of a ball on level ground, by the formula; null for a flat bit. */
  ridge: number | null;
  /** What stands after the last pass over what was meant. */
  left: { volume: number; most: number; mean: number; share: number };
  /** Minutes of the fine bit, of the coarse one before it, and of the fine bit if it had to take all by itself in layers of its own radius, half its diameter apart. */
  fine: { minutes: number; path: number; rows: number };
  coarse: { minutes: number; path: number; layers: number } | null;
  alone: number;
  /** Heights that are left, for a picture. */
  after: Float64Array;
}

/** More than this standing over what was meant counts as left, mm. Common practice, no source. */
export const counts = 0.05;

/**
 * What bits leave of a field, and about how long they take: passes along X; the coarse bit in level layers from the top of the stock, the fine one over its tip's
 * surface. Times are lengths over the feed, with one way down for each pass and layer: a machine that must slow down at corners takes longer.
 * @param top the stock's upper side over the bed, mm
 */
export function carvePlan(field: HeightField, top: number, { fine, coarse, feed, plunge }: CarvePlan): CarveFigures {
  const tip = tipSurface(field, fine);
  const every = Math.max(1, Math.round(fine.between / field.step[1]));
  const after = carved(field, fine, tip, every);
  const path = pathOver(field, tip, every);
  const first = coarse && layersOf(tipSurface(field, coarse), field, { top, layer: coarse.layer, between: coarse.between, leave: coarse.leave });
  const self = layersOf(tip, field, { top, layer: fine.diameter / 2, between: fine.diameter / 2, leave: 0 });
  const fineMinutes = path.length / feed + path.rows * (path.climb / plunge);
  return {
    ridge: fine.kind === 'ball' && fine.between <= fine.diameter ? scallop(fine.diameter, fine.between) : null,
    left: leftOver(field, after),
    fine: { minutes: fineMinutes, path: path.length, rows: path.rows },
    coarse: first && { minutes: first.path / feed + (first.layers * top) / plunge, path: first.path, layers: first.layers },
    alone: fineMinutes + self.path / feed + (self.layers * top) / plunge,
    after,
  };
}

function leftOver({ heights, step }: HeightField, after: Float64Array): CarveFigures['left'] {
  let [sum, most, places, over] = [0, 0, 0, 0];
  for (let k = 0; k < heights.length; k++) {
    const left = after[k] - heights[k];
    if (!Number.isFinite(left)) continue;
    places++;
    sum += left;
    if (left > most) most = left;
    if (left > counts) over++;
  }
  return { volume: sum * step[0] * step[1], most, mean: places > 0 ? sum / places : 0, share: places > 0 ? over / places : 0 };
}

/** Length of passes along X over a tip's surface, there and back in turn. */
function pathOver({ columns, rows, step }: HeightField, tip: Float64Array, every: number): { length: number; rows: number; climb: number } {
  let [length, passes, climb] = [0, 0, 0];
  for (let r = 0; r < rows; r = r + every < rows ? r + every : r === rows - 1 ? rows : rows - 1) {
    passes++;
    let [low, high] = [Infinity, -Infinity];
    for (let c = 0, k = r * columns; c < columns; c++, k++) {
      if (!Number.isFinite(tip[k])) continue;
      low = Math.min(low, tip[k]);
      high = Math.max(high, tip[k]);
      if (c > 0 && Number.isFinite(tip[k - 1])) length += Math.hypot(step[0], tip[k] - tip[k - 1]);
    }
    length += every * step[1];
    if (high > low) climb = Math.max(climb, high - low);
  }
  return { length, rows: passes, climb };
}

/** Level layers that a bit clears: where its tip may go below each layer's floor or stands above it, the path is area over the distance of passes. */
function layersOf(
  tip: Float64Array,
  { step }: HeightField,
  { top, layer, between, leave }: { top: number; layer: number; between: number; leave: number },
): { path: number; layers: number } {
  let deepest = top;
  for (const t of tip) if (t + leave < deepest) deepest = t + leave;
  const layers = Math.max(0, Math.ceil((top - deepest) / layer - 1e-9));
  let places = 0;
  // A place is gone over once for each layer that begins above what it keeps.
  for (const t of tip) if (Number.isFinite(t)) places += Math.max(0, Math.min(layers, Math.ceil((top - t - leave) / layer - 1e-9)));
  return { path: (places * step[0] * step[1]) / between, layers };
}
