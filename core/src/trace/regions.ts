import Flatbush from 'flatbush';
import type { P2 } from '../curves/segment.ts';
import type { Loop } from './loops.ts';

/**
 * Loops without those that are not wanted, and without what lies in those.
 * @param unwanted whether a loop is too small, say @param leave places: the smallest loop round each goes too
 */
export function within(loops: readonly Loop[], unwanted: (loop: Loop) => boolean, leave: readonly P2[]): { loops: Loop[]; dropped: number } {
  const gone = new Uint8Array(loops.length);
  loops.forEach((loop, i) => (gone[i] = unwanted(loop) ? 1 : 0));
  if (leave.length > 0) for (const [x, y] of leave) smallestRound(loops, gone, x, y);
  const out = loops.filter((_, i) => gone[i]);
  if (out.length === 0) return { loops: [...loops], dropped: 0 };
  const index = new Flatbush(out.length);
  for (const { points } of out) index.add(...boxOf(points));
  index.finish();
  const kept = loops.filter((loop, i) => {
    if (gone[i]) return false;
    const [x, y] = [loop.points[0], loop.points[1]];
    return !index.search(x, y, x, y).some((k) => Math.abs(out[k].area) > Math.abs(loop.area) && inside(out[k], x, y));
  });
  return { loops: kept, dropped: loops.length - kept.length };
}

function smallestRound(loops: readonly Loop[], gone: Uint8Array, x: number, y: number): void {
  let [best, at] = [Infinity, -1];
  loops.forEach((loop, i) => {
    const size = Math.abs(loop.area);
    if (gone[i] || size >= best || !inside(loop, x, y)) return;
    [best, at] = [size, i];
  });
  if (at >= 0) gone[at] = 1;
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
