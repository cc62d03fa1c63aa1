import { Unusable } from '../base/finding.ts';
import type { Contour } from '../curves/drawing.ts';
import { flattened } from '../curves/flatten.ts';
import { distance, isFull, type P2, type Segment } from '../curves/segment.ts';
import { beziersThrough } from '../trace/beziers.ts';
import { nearOutline } from '../trace/off.ts';

/** A stretch of a contour that became smooth. */
export interface SmoothStretch {
  contour: Contour;
  /** Pieces of the stretch before and after. */
  pieces: [number, number];
  /** Largest distance between both, measured both ways, in the contour's own numbers. */
  deviation: number;
}

/** Places along a stretch stand at most so far apart, as a share of how near it has to be kept to and of its length. */
const apart = { near: 0.5, length: 1 / 200 };
/** Curves that lie off by more than was allowed are fitted again, nearer by these shares: between its places a curve may bulge. */
const nearer = [1, 0.7, 0.5, 0.3];
/** The direction at an end is taken from places so many deviations away: far where the hand shook, near where the way bends. */
const reaches = [8, 4, 2, 1];

/**
 * A contour with the stretch from one of its nodes on to another as smooth curves, each as long as it can be: corners within it go, its ends stay where
 * they are. A closed contour is gone round past its first node when the second node comes before the first.
 * @param within how far the curves may lie off what was there, in the contour's own numbers
 * @throws Unusable when there is no such stretch, or when no fewer pieces come of it
 * @example smoothStretch(jagged, 0, 12, 0.1).pieces // [12, 1]
 */
export function smoothStretch(contour: Contour, from: number, to: number, within: number): SmoothStretch {
  const { segments, closed } = contour;
  const n = segments.length;
  const count = closed ? n : n + 1;
  if (n === 1 && isFull(segments[0])) throw noStretch('A circle has no nodes: it is smooth already.');
  if (![from, to].every((v) => Number.isInteger(v) && v >= 0 && v < count) || from === to || (!closed && to < from))
    throw noStretch('Those two nodes bound no stretch of the contour.');
  const length = to > from ? to - from : n - from + to;
  const old = Array.from({ length }, (_, k) => segments[(from + k) % n]);
  const places = placesAlong(old, within);
  const found = fitted(old, places, within);
  const { made, deviation } = found;
  if (deviation > within) throw new Unusable('no-smoother', 'No smooth curves lie as near to the stretch as was asked.', 'Allow a larger deviation.');
  if (made.length >= old.length)
    throw new Unusable(
      'no-smoother',
      `As near as was asked the stretch would have ${made.length} smooth pieces; it has ${old.length} now.`,
      'Allow a larger deviation, or choose a longer stretch.',
    );
  const rest = Array.from({ length: n - length }, (_, k) => segments[(to + k) % n]);
  // An open contour keeps its order; a closed one may begin with the stretch.
  const next: Segment[] = closed ? [...made, ...rest] : [...segments.slice(0, from), ...made, ...segments.slice(to)];
  return { contour: { ...contour, segments: next }, pieces: [old.length, made.length], deviation };
}

/** The first curves that hold, by directions taken from near and far, fitted nearer and nearer; else the last that were tried. */
function fitted(old: readonly Segment[], places: readonly P2[], within: number): { made: Segment[]; deviation: number } {
  let last: { made: Segment[]; deviation: number } = { made: [], deviation: Infinity };
  for (const reach of reaches)
    for (const share of nearer) {
      const made = beziersThrough(places, share * within, [ahead(places, reach * within), back(places, reach * within)]);
      last = { made, deviation: apartBy(old, made, within) };
      if (last.deviation <= within) return last;
    }
  return last;
}

const noStretch = (message: string) => new Unusable('no-stretch', message, 'Pick where the stretch begins, then another node where it ends.');

/** Places along pieces, none far from the next. */
function placesAlong(pieces: readonly Segment[], within: number): P2[] {
  const fine = flattened(pieces, within / 4);
  const whole = fine.slice(1).reduce((sum, p, i) => sum + distance(fine[i], p), 0);
  const step = Math.max(apart.near * within, apart.length * whole, whole / 20_000);
  return fine.slice(1).reduce(
    (out, b) => {
      const a = out[out.length - 1];
      const parts = Math.max(1, Math.ceil(distance(a, b) / step));
      for (let k = 1; k <= parts; k++) out.push([a[0] + ((b[0] - a[0]) * k) / parts, a[1] + ((b[1] - a[1]) * k) / parts]);
      return out;
    },
    [fine[0]],
  );
}

function ahead(places: readonly P2[], reach: number): P2 {
  const far = places.find((p) => distance(p, places[0]) >= reach) ?? places[places.length - 1];
  const d = distance(places[0], far) || 1;
  return [(far[0] - places[0][0]) / d, (far[1] - places[0][1]) / d];
}

function back(places: readonly P2[], reach: number): P2 {
  const [x, y] = ahead([...places].reverse(), reach);
  return [-x, -y];
}

function apartBy(old: readonly Segment[], made: readonly Segment[], within: number): number {
  let most = 0;
  for (const [from, onto] of [
    [old, made],
    [made, old],
  ]) {
    const off = nearOutline(onto, 0);
    for (const [x, y] of flattened(from, within / 20)) most = Math.max(most, off(x, y));
  }
  return most;
}
