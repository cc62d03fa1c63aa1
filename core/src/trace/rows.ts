import { Unusable } from '../base/finding.ts';
import type { P2 } from '../curves/segment.ts';
import type { TraceChoice } from './choice.ts';
import { edgePoints, loosePoints } from './edge.ts';
import { loopsOf, mostLoops, type Loop } from './loops.ts';
import type { Signal } from './picture.ts';
import type { Row } from './pieces.ts';
import { throughPlane } from './plane.ts';
import type { PictureMap } from './rectify.ts';
import { within, type LeftOut } from './regions.ts';
import type { Ink } from './signals.ts';
import { ridgesOf, mostStrokePixels } from './strokes.ts';

/** Points on edges that are followed at most: more is a texture. */
export const mostEdgePoints = 6_000_000;
/** Regions smaller than this are noise whatever was chosen, square pixels. */
export const leastRegion = 2;

/** Where places of a signal lie: pixels in a mm, the map to upright pixels, and the signal's own shift. */
export interface Frame {
  perMm: number;
  map: PictureMap;
  shift: P2;
}

export interface LayerRows {
  ink: Ink;
  rows: Row[];
  /** Which rows are holes. */
  holes: boolean[];
}

export const texture = (points: number) =>
  new Unusable(
    'texture',
    `The edges have ${(points / 1e6).toFixed(1)} million points (at most ${mostEdgePoints / 1e6} million): this is a texture and no drawing.`,
    'Choose the outer boundary, a larger size for specks, or crop the picture.',
  );

export function regionRows(
  ink: Ink,
  choice: TraceChoice,
  { perMm, map, shift }: Frame,
): LayerRows & { points: number; left: LeftOut; bilevel: number; rough: number } {
  const { signal } = ink;
  const speck = Math.max(leastRegion, choice.speckle * perMm * perMm);
  const hole = Math.max(leastRegion, choice.holes * perMm * perMm);
  const { loops, dropped } = loopsOf(signal, Math.min(speck, hole));
  if (loops.length >= mostLoops) throw texture(loops.reduce((sum, l) => sum + l.crossings.length, 0));
  const points = loops.reduce((sum, l) => sum + l.crossings.length, 0);
  const faint = Math.max(leastEdge, 5 * signal.noise);
  const unwanted = (loop: Loop): keyof LeftOut | null => {
    if (Math.abs(loop.area) < leastRegion || contrastOf(loop, signal) < faint) return 'noise';
    if (loop.area < 0 && ink.outerOnly) return 'within';
    return Math.abs(loop.area) < (loop.area > 0 ? speck : hole) ? 'small' : null;
  };
  const kept = within(
    loops,
    unwanted,
    choice.leave.map(([x, y]): P2 => [x - shift[0], y - shift[1]]),
  );
  const left = kept.left;
  left[Math.min(speck, hole) > leastRegion ? 'small' : 'noise'] += dropped;
  const rows: Row[] = [];
  const second: number[] = [];
  let [crisp, crossings] = [0, 0];
  for (const loop of kept.loops) {
    const found = edgePoints(loop, signal);
    crossings += loop.crossings.length;
    crisp += crispOf(loop, signal);
    roughness(found.xy, second);
    rows.push({ xy: moved(found.xy, shift, map), closed: true, loose: loosePoints(found) });
  }
  return {
    ink,
    rows,
    holes: kept.loops.map((l) => l.area < 0),
    points,
    left,
    bilevel: crossings > 0 ? crisp / crossings : 0,
    rough: second.length > 20 ? (medianAbsolute(second) * 1.4826) / Math.sqrt(6) : 0,
  };
}

/** Least mean difference across an edge, as a share: what differs less is noise. */
const leastEdge = 0.03;

/** Mean difference of values across a loop, three pixels to either side of it. */
function contrastOf({ crossings }: Loop, { values, width, height, level }: Signal): number {
  const every = Math.max(1, Math.floor(crossings.length / 400));
  let [sum, count] = [0, 0];
  for (let i = 0; i < crossings.length; i += every) {
    const a = crossings[i] >> 1;
    const down = (crossings[i] & 1) === 1;
    const [x, y] = [a % width, Math.floor(a / width)];
    const [at, size, step] = down ? [y, height, width] : [x, width, 1];
    const first = a - Math.min(3, at) * step;
    const last = a + Math.min(4, size - 1 - at) * step;
    const sign = values[a] >= level ? 1 : -1;
    sum += sign * (values[first] - values[last]);
    count++;
  }
  return count > 0 ? sum / count : 0;
}

/** Crossings of a loop at which both pixels are all or nothing. */
function crispOf({ crossings }: Loop, { values, width, inside, outside }: Signal): number {
  let count = 0;
  const sure = 0.04 * Math.abs(inside - outside);
  for (let i = 0; i < crossings.length; i++) {
    const a = crossings[i] >> 1;
    const b = a + (crossings[i] & 1 ? width : 1);
    const [u, v] = [values[a], values[b]];
    if (Math.min(Math.abs(u - inside), Math.abs(u - outside)) < sure && Math.min(Math.abs(v - inside), Math.abs(v - outside)) < sure) count++;
  }
  return count;
}

/** Differences of second order of places one pixel apart, which noise makes and smooth edges hardly. */
function roughness(xy: Float64Array, into: number[]): void {
  const n = xy.length / 2;
  const step = Math.max(1, Math.floor(n / 2000));
  for (let i = 1; i < n - 1 && into.length < 200_000; i += step)
    for (const [along, across] of [
      [0, 1],
      [1, 0],
    ]) {
      const d = xy[i * 2 + 2 + along] - xy[i * 2 + along];
      if (Math.abs(d) === 1 && xy[i * 2 + along] - xy[i * 2 - 2 + along] === d)
        into.push(xy[i * 2 - 2 + across] - 2 * xy[i * 2 + across] + xy[i * 2 + 2 + across]);
    }
}

function medianAbsolute(values: number[]): number {
  const sorted = values.map(Math.abs).sort((a, b) => a - b);
  return sorted[sorted.length >> 1];
}

/** Places of the signal (with its rim) to pixels of the picture, upright. */
function moved(xy: Float64Array, [dx, dy]: P2, { upright }: PictureMap): Float64Array {
  const out = new Float64Array(xy.length);
  for (let i = 0; i < xy.length; i += 2) {
    const [x, y] = [xy[i] + dx, xy[i + 1] + dy];
    const [u, v] = upright ? throughPlane(upright, x, y) : [x, y];
    out[i] = u;
    out[i + 1] = v;
  }
  return out;
}

export function strokeRows(ink: Ink, map: PictureMap, shift: P2): LayerRows {
  const { width, height } = ink.signal;
  if (width * height > mostStrokePixels)
    throw new Unusable('too-many-pixels', `Strokes are looked for in up to ${mostStrokePixels / 1e6} million pixels.`, 'Crop the picture or make it smaller.');
  // Mean width: a long stroke has twice its length of edge.
  const { loops } = loopsOf(ink.signal, leastRegion);
  let [area, edge] = [0, 0];
  for (const loop of loops) {
    area += loop.area;
    for (let i = 0; i < loop.points.length; i += 2) {
      const j = (i + 2) % loop.points.length;
      edge += Math.hypot(loop.points[j] - loop.points[i], loop.points[j + 1] - loop.points[i + 1]);
    }
  }
  const strokeWidth = edge > 0 ? (2 * area) / edge : 0;
  if (!(strokeWidth > 0)) return { ink, rows: [], holes: [] };
  if (strokeWidth > 60)
    throw new Unusable('no-strokes', `What is dark is about ${strokeWidth.toFixed(0)} pixels wide: areas and no strokes.`, 'Choose "By brightness" for areas.');
  const found = ridgesOf(ink.signal, strokeWidth);
  return { ink, rows: found.map(({ xy, closed }) => ({ xy: moved(xy, shift, map), closed })), holes: found.map(() => false), strokeWidth } as LayerRows & {
    strokeWidth: number;
  };
}
