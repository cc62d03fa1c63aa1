import Flatbush from 'flatbush';
import { boxOfDrawing, reachOf, type Drawing } from './drawing.ts';
import { flattenInto } from './flatten.ts';
import { startOf, type P2, type Segment } from './segment.ts';

/**
 * Largest distance from points to the nearest place of a drawing, mm; 0 for no points, Infinity for an empty drawing.
 * @param points xy, two numbers each @param fine curves are probed within this of their true course, mm
 */
export function pointsOff(points: ArrayLike<number>, drawing: Drawing, fine = probing(drawing)): number {
  if (points.length === 0) return 0;
  const target = chordsOf(all(drawing), fine);
  if (target.length === 0) return Infinity;
  const index = indexOf(target);
  const near = { hint: 0 };
  let largest = 0;
  for (let i = 0; i < points.length; i += 2) {
    const asked = [points[i], points[i + 1], largest] as const;
    if (!besideHint(target, near, asked)) largest = Math.max(largest, nearest(index, target, near, asked));
  }
  return largest;
}

/** The chord that was nearest the last time: places come in the order of their drawing, so the next is near it, or near one just after. */
interface Hint {
  hint: number;
}

/** How far before and after the hint chords are asked first. */
const beside = 6;

/** Whether a chord near the hint is so near that the true distance, which is at most that, changes nothing. */
function besideHint(target: Float64Array, near: Hint, [x, y, enough]: readonly [number, number, number]): boolean {
  const count = target.length / 4;
  for (let k = 0; k <= beside; k++)
    for (const j of k === 0 ? [near.hint] : [near.hint + k, near.hint - k]) {
      if (j < 0 || j >= count || toChord(target, j * 4, x, y) > enough) continue;
      near.hint = j;
      return true;
    }
  return false;
}

/** How near to their true course curves are probed, mm. */
export const probing = (drawing: Drawing): number => Math.max(1e-6, reachOf(boxOfDrawing(drawing)) * 1e-7);

/**
 * Largest distance from any contour of one drawing to the nearest of another, both ways, mm. Curves are probed within `fine` mm of their
 * true course, so the figure is right within that.
 */
export function drawingDistance(a: Drawing, b: Drawing, fine = probing(a)): number {
  return Math.max(oneWay(a, b, fine), oneWay(b, a, fine));
}

const all = (d: Drawing): Segment[] => d.layers.flatMap((l) => l.contours.flatMap((c) => c.segments));

function chordsOf(segments: Segment[], fine: number): Float64Array {
  const out: number[] = [];
  const points: P2[] = [];
  for (const s of segments) {
    points.length = 0;
    flattenInto(s, fine, points);
    let from = startOf(s);
    for (const to of points) {
      out.push(from[0], from[1], to[0], to[1]);
      from = to;
    }
  }
  return Float64Array.from(out);
}

function indexOf(target: Float64Array): Flatbush {
  const index = new Flatbush(target.length / 4);
  for (let i = 0; i < target.length; i += 4) {
    index.add(
      Math.min(target[i], target[i + 2]),
      Math.min(target[i + 1], target[i + 3]),
      Math.max(target[i], target[i + 2]),
      Math.max(target[i + 1], target[i + 3]),
    );
  }
  index.finish();
  return index;
}

function oneWay(a: Drawing, b: Drawing, fine: number): number {
  const target = chordsOf(all(b), fine);
  const source = chordsOf(all(a), fine);
  if (source.length === 0) return 0;
  if (target.length === 0) return Infinity;
  const index = indexOf(target);
  const near = { hint: 0 };
  let largest = 0;
  for (let i = 0; i < source.length; i += 4) {
    // Ends and middle of each chord.
    for (const t of [0, 0.5, 1]) {
      const x = source[i] + (source[i + 2] - source[i]) * t;
      const y = source[i + 1] + (source[i + 3] - source[i + 1]) * t;
      if (t === 0 && i > 0 && source[i] === source[i - 2] && source[i + 1] === source[i - 1]) continue;
      if (besideHint(target, near, [x, y, largest])) continue;
      const d = nearest(index, target, near, [x, y, largest]);
      if (d > largest) largest = d;
    }
  }
  return largest;
}

/** The true distance, and the chord that gave it as the next hint. @param asked x, y, and a distance below which it changes nothing */
function nearest(index: Flatbush, target: Float64Array, near: Hint, [x, y, enough]: readonly [number, number, number]): number {
  let best = Infinity;
  const ask = (j: number) => {
    const d = toChord(target, j * 4, x, y);
    if (d < best) {
      best = d;
      near.hint = j;
    }
  };
  for (let reach = Math.max(enough, 1e-9), tries = 0; tries < 60; reach *= 4, tries++) {
    for (const j of index.search(x - reach, y - reach, x + reach, y + reach)) ask(j);
    if (best <= reach) return best;
    // Nothing near: the tree's own nearest boxes tell where to look.
    if (tries === 2 && best === Infinity) {
      for (const j of index.neighbors(x, y, 4)) ask(j);
      reach = best;
    }
  }
  return best;
}

function toChord(t: Float64Array, i: number, x: number, y: number): number {
  const dx = t[i + 2] - t[i];
  const dy = t[i + 3] - t[i + 1];
  const square = dx * dx + dy * dy;
  const k = square > 0 ? Math.max(0, Math.min(1, ((x - t[i]) * dx + (y - t[i + 1]) * dy) / square)) : 0;
  return Math.hypot(x - t[i] - dx * k, y - t[i + 1] - dy * k);
}
