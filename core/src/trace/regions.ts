import Flatbush from 'flatbush';
import type { P2 } from '../curves/segment.ts';
import type { Loop } from './loops.ts';

/** How many loops were left out, by why: no more than noise, smaller than was chosen, within an outer boundary, clicked away. */
export interface LeftOut {
  noise: number;
  small: number;
  within: number;
  clicked: number;
}

export const noneLeft = (): LeftOut => ({ noise: 0, small: 0, within: 0, clicked: 0 });

/**
 * Loops without those that are not wanted, and without what lies in those.
 * @param unwanted why a loop is left out @param leave places: the smallest loop round each goes too
 */
export function within(loops: readonly Loop[], unwanted: (loop: Loop) => keyof LeftOut | null, leave: readonly P2[]): { loops: Loop[]; left: LeftOut } {
  const why = loops.map(unwanted);
  for (const [x, y] of leave) {
    const at = smallestRound(loops, why, x, y);
    if (at >= 0) why[at] = 'clicked';
  }
  const left = noneLeft();
  const out = loops.flatMap((loop, i) => (why[i] ? [{ loop, why: why[i]! }] : []));
  if (out.length === 0) return { loops: [...loops], left };
  const index = new Flatbush(out.length);
  for (const { loop } of out) index.add(...boxOf(loop.points));
  index.finish();
  const kept = loops.filter((loop, i) => {
    const [x, y] = [loop.points[0], loop.points[1]];
    const round = why[i] ? undefined : index.search(x, y, x, y).find((k) => Math.abs(out[k].loop.area) > Math.abs(loop.area) && inside(out[k].loop, x, y));
    const reason = why[i] ?? (round === undefined ? null : out[round].why);
    if (reason) left[reason]++;
    return !reason;
  });
  return { loops: kept, left };
}

function smallestRound(loops: readonly Loop[], gone: readonly unknown[], x: number, y: number): number {
  let [best, at] = [Infinity, -1];
  loops.forEach((loop, i) => {
    const size = Math.abs(loop.area);
    if (gone[i] || size >= best || !inside(loop, x, y)) return;
    [best, at] = [size, i];
  });
  return at;
}

function boxOf(points: Float64Array): [number, number, number, number] {
  let [left, top, right, bottom] = [Infinity, Infinity, -Infinity, -Infinity];
  for (let i = 0; i < points.length; i += 2) {
    left = Math.min(left, points[i]);
    right = Math.max(right, points[i]);
    top = Math.min(top, points[i + 1]);
    bottom = Math.max(bottom, points[i + 1]);
  }
  return [left, top, right, bottom];
}

/** Whether a place lies in a loop: how often a ray to the right crosses it. */
function inside({ points: p }: Loop, x: number, y: number): boolean {
  let odd = false;
  for (let i = 0, j = p.length - 2; i < p.length; j = i, i += 2)
    if (p[i + 1] > y !== p[j + 1] > y && x < ((p[j] - p[i]) * (y - p[i + 1])) / (p[j + 1] - p[i + 1]) + p[i]) odd = !odd;
  return odd;
}
