import { Unusable, type Finding } from '../base/finding.ts';
import { areaOfContour, contourOf, type Contour, type Drawing } from '../curves/drawing.ts';
import { transformed, type Affine } from '../curves/affine.ts';
import { directionAt, endOf, pointAt, startOf, type P2, type Segment } from '../curves/segment.ts';
import { beziersThrough } from './beziers.ts';
import type { TraceChoice } from './choice.ts';
import { edgePoints, loosePoints } from './edge.ts';
import { counts, outlined, placeOf, type Outlined } from './joints.ts';
import { loopsOf, mostLoops, type Loop } from './loops.ts';
import type { PictureOrigin } from './origin.ts';
import type { Picture, Signal } from './picture.ts';
import { cornerSlack, piecesOf, type Row } from './pieces.ts';
import { planeOf, throughPlane, timesPlane } from './plane.ts';
import { barePerMm, mapOf, type PictureMap } from './rectify.ts';
import { signalsOf, type Ink } from './signals.ts';
import { ridgesOf, mostStrokePixels } from './strokes.ts';
import { within } from './regions.ts';

/** What came of a picture. Lengths of figures in the drawing's own numbers (mm when the size is known). */
export interface Traced {
  drawing: Drawing & { picture: PictureOrigin };
  /** Whether the numbers are millimetres; else pixels at 96 an inch. */
  sized: boolean;
  contours: number;
  holes: number;
  pieces: number;
  findings: Finding[];
}

/** Points on edges that are followed at most: more is a texture. */
export const mostEdgePoints = 6_000_000;
/** Regions smaller than this are noise whatever was chosen, square pixels. */
const leastRegion = 2;
/** How near a clean edge is followed, pixels; and one of pixels that are all or nothing. */
export const nearest = { clean: 0.06, bilevel: 0.75 };
/** Places on the edge that are kept for the proof. */
const mostKept = 3000;

/** Told now and then; true gives up. */
type Progress = (share: number, what: string) => boolean;

/** Where places of a signal lie: pixels in a mm, the map to upright pixels, and the signal's own shift. */
interface Frame {
  perMm: number;
  map: PictureMap;
  shift: P2;
}

interface LayerRows {
  ink: Ink;
  rows: Row[];
  /** Which rows are holes. */
  holes: boolean[];
}

/**
 * Contours of a picture. Edges are found within a pixel, and lines, arcs (and curves) put through them; corners stay corners.
 * @throws Unusable when there is nothing to follow, or too much. @example trace(picture, { ...usualTrace, way: 'outside' })
 */
export function trace(picture: Picture, choice: TraceChoice, progress: Progress = () => false): Traced {
  const findings: Finding[] = [];
  const cropped = crop(choice.size.kind === 'rectangle' ? onlyWithin(picture, choice.size.corners) : picture, choice.crop);
  const map = mapOf(choice.size, picture);
  const perMm = map.perMm ?? barePerMm;
  const shift: P2 = choice.crop ? [choice.crop[0] - 1, choice.crop[1] - 1] : [-1, -1];
  if (progress(0.05, 'looking for edges')) throw gaveUp();
  const inks = signalsOf(cropped, choice);
  const layers: LayerRows[] = [];
  let [bilevel, rough, points, specks] = [0, 0, 0, 0];
  inks.forEach((ink, k) => {
    if (progress(0.1 + (0.3 * k) / inks.length, 'following edges')) throw gaveUp();
    if (choice.way === 'strokes') layers.push(strokeRows(ink, map, shift));
    else {
      const found = regionRows(ink, choice, { perMm, map, shift });
      points += found.points;
      specks += found.specks;
      bilevel = Math.max(bilevel, found.bilevel);
      rough = Math.max(rough, found.rough);
      layers.push(found);
      if (points > mostEdgePoints) throw texture(points);
    }
  });
  if (specks > 0) findings.push(specksLeft(specks));
  const floor = choice.way === 'strokes' ? 0.35 : bilevel > 0.6 ? nearest.bilevel : Math.max(nearest.clean, 4.5 * rough);
  const asked = choice.deviation === null ? floor : choice.deviation * perMm;
  const near = Math.max(floor, asked);
  if (asked < floor * 0.999) findings.push(finer(choice.deviation!, floor / perMm));
  const made = layers.map((layer, k) => {
    if (progress(0.45 + (0.5 * k) / layers.length, 'lines and arcs')) throw gaveUp();
    return outlines(layer, near, choice.curves);
  });
  const total = made.reduce((sum, list) => sum + list.length, 0);
  if (total === 0)
    throw new Unusable(
      'nothing-found',
      'Nothing in the picture stands out so that it could be followed.',
      'Choose another way or another level, or turn light and dark round.',
    );
  // Pixels that stand upright, y down, to the drawing's numbers, y up.
  const size = choice.size.kind === 'rectangle' ? choice.size.height * perMm : picture.height;
  const flat: Affine = [1 / perMm, 0, 0, -1 / perMm, 0, size / perMm];
  const drawing: Drawing = {
    layers: layers.map(({ ink }, k) => ({
      name: ink.name,
      colour: ink.colour,
      lineType: 'CONTINUOUS',
      contours: made[k].map(({ outline, closed, width }) => {
        const contour = contourOf(
          outline.map((s) => transformed(s, flat)),
          closed,
        );
        return width === null ? contour : { ...contour, width: width / perMm };
      }),
    })),
    texts: [],
    points: [],
  };
  const { distance, edge } = held(made, flat);
  const origin: PictureOrigin = {
    width: picture.width,
    height: picture.height,
    map: map.upright ? timesPlane(planeOf(flat), map.upright) : planeOf(flat),
    choice,
    level: choice.way === 'brightness' ? levelSaid(inks[0], choice) : null,
    distance,
    near,
    perNumber: perMm,
    edge,
  };
  const contours = drawing.layers.flatMap((l) => l.contours);
  return {
    drawing: { ...drawing, picture: origin },
    sized: map.perMm !== null,
    contours: contours.length,
    holes: contours.filter((c) => c.closed && areaOfContour(c) < 0).length,
    pieces: contours.reduce((sum, c) => sum + c.segments.length, 0),
    findings,
  };
}

/** Brightness again, whichever way round inside was. */
const levelSaid = (ink: Ink, { invert }: TraceChoice): number => (invert ? ink.signal.level : 1 - ink.signal.level);

const gaveUp = () => new Unusable('cancelled', 'Cancelled; nothing was changed.', 'Ask again when you like.');
const texture = (points: number) =>
  new Unusable(
    'texture',
    `The edges have ${(points / 1e6).toFixed(1)} million points (at most ${mostEdgePoints / 1e6} million): this is a texture and no drawing.`,
    'Choose the outer boundary, a larger size for specks, or crop the picture.',
  );
const specksLeft = (count: number): Finding => ({
  code: 'specks',
  severity: 'clear',
  count,
  message: `Left out: ${count.toLocaleString('en')} regions or holes that are smaller than was chosen.`,
  remedy: 'Choose smaller sizes for specks and holes if they are wanted.',
});
const finer = (asked: number, floor: number): Finding => ({
  code: 'finer-than-picture',
  severity: 'look',
  count: 1,
  message: `The picture tells its edge only within about ${floor.toPrecision(2)} mm; ${asked} mm was asked for.`,
  remedy: 'Take a picture with more pixels, or choose a larger deviation.',
});

function crop(picture: Picture, box: TraceChoice['crop']): Picture {
  if (!box) return picture;
  const [left, top, right, bottom] = [Math.max(0, box[0]), Math.max(0, box[1]), Math.min(picture.width, box[2]), Math.min(picture.height, box[3])];
  const [width, height] = [right - left, bottom - top];
  if (width < 3 || height < 3) throw new Unusable('crop', 'What is left of the picture has fewer than 3 x 3 pixels.', 'Crop less.');
  const data = picture.data instanceof Uint16Array ? new Uint16Array(width * height * 4) : new Uint8Array(width * height * 4);
  for (let y = 0; y < height; y++) {
    const from = ((y + top) * picture.width + left) * 4;
    data.set(picture.data.subarray(from, from + width * 4), y * width * 4);
  }
  return { ...picture, width, height, data };
}

/** How far within its sides a rectangle of a known size is looked at, as a share: its own border is no contour. */
const inset = 0.008;

/** A picture with everything outside four corners in the colour that lies along their inside: the table round a sheet of paper is not wanted. */
function onlyWithin(picture: Picture, corners: readonly P2[]): Picture {
  const middle: P2 = [0, 1].map((k) => corners.reduce((sum, c) => sum + c[k], 0) / 4) as P2;
  const quad = corners.map(([x, y]): P2 => [x + (middle[0] - x) * 2 * inset, y + (middle[1] - y) * 2 * inset]);
  const { width, height } = picture;
  const data = picture.data.slice();
  const ground = [0, 1, 2, 3].map((k) => along(picture, quad, k));
  for (let y = 0; y < height; y++) {
    const [from, to] = spanOf(quad, y + 0.5);
    for (let x = 0; x < width; x++) {
      if (x + 0.5 >= from && x + 0.5 <= to) continue;
      for (let k = 0; k < 4; k++) data[(y * width + x) * 4 + k] = ground[k];
    }
  }
  return { ...picture, data };
}

/** Median of a value along the sides of a rectangle, just inside. */
function along({ width, height, data }: Picture, quad: readonly P2[], k: number): number {
  const values: number[] = [];
  quad.forEach(([ax, ay], i) => {
    const [bx, by] = quad[(i + 1) % 4];
    for (let s = 0; s < 200; s++) {
      const x = Math.min(width - 1, Math.max(0, Math.floor(ax + ((bx - ax) * s) / 200)));
      const y = Math.min(height - 1, Math.max(0, Math.floor(ay + ((by - ay) * s) / 200)));
      values.push(data[(y * width + x) * 4 + k]);
    }
  });
  return values.sort((a, b) => a - b)[values.length >> 1];
}

/** Where a row lies within a convex outline. */
function spanOf(quad: readonly P2[], y: number): [number, number] {
  let [from, to] = [Infinity, -Infinity];
  quad.forEach(([ax, ay], i) => {
    const [bx, by] = quad[(i + 1) % quad.length];
    if (ay > y === by > y) return;
    const x = ax + ((bx - ax) * (y - ay)) / (by - ay);
    from = Math.min(from, x);
    to = Math.max(to, x);
  });
  return [from, to];
}

function regionRows(
  ink: Ink,
  choice: TraceChoice,
  { perMm, map, shift }: Frame,
): LayerRows & { points: number; specks: number; bilevel: number; rough: number } {
  const { signal } = ink;
  const speck = Math.max(leastRegion, choice.speckle * perMm * perMm);
  const hole = Math.max(leastRegion, choice.holes * perMm * perMm);
  const { loops, dropped } = loopsOf(signal, Math.min(speck, hole));
  if (loops.length >= mostLoops) throw texture(loops.reduce((sum, l) => sum + l.crossings.length, 0));
  const points = loops.reduce((sum, l) => sum + l.crossings.length, 0);
  const faint = Math.max(leastEdge, 5 * signal.noise);
  const unwanted = (loop: Loop) => (loop.area > 0 ? loop.area < speck : -loop.area < hole || ink.outerOnly) || contrastOf(loop, signal) < faint;
  const kept = within(
    loops,
    unwanted,
    choice.leave.map(([x, y]): P2 => [x - shift[0], y - shift[1]]),
  );
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
    specks: dropped + kept.dropped,
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

function strokeRows(ink: Ink, map: PictureMap, shift: P2): LayerRows {
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

interface Made {
  row: Row;
  outline: Segment[];
  closed: boolean;
  width: number | null;
}

function outlines(layer: LayerRows, near: number, curves: TraceChoice['curves']): Made[] {
  const width = (layer as { strokeWidth?: number }).strokeWidth ?? null;
  return layer.rows.flatMap((row) => {
    if (row.xy.length < 4) return [];
    let outline: Segment[] = [];
    // A corner that takes too much away is looked at again, more closely.
    for (const [closer, slack] of looks) {
      const found = outlined(row, piecesOf(row, near * closer, slack), near * closer, slack);
      outline = (curves === 'beziers' ? withBeziers(row, found, near * closer) : found.segments.flatMap((s, k) => withLink(s, found.links[k]))).filter(
        (s) => s.kind !== 'line' || s.a[0] !== s.b[0] || s.a[1] !== s.b[1],
      );
      if (outline.length > 0 && keeps(row, outline, near)) break;
    }
    return outline.length === 0 || (row.closed && outline.length === 1 && outline[0].kind === 'line') ? [] : [{ row, outline, closed: row.closed, width }];
  });
}

const withLink = (s: Segment, link: Segment | null | undefined): Segment[] => (link ? [s, link] : [s]);

/** Lines longer than this stand for something straight, pixels; shorter ones may be a piece of a curve. */
const straight = 30;
const isLong = (s: Segment): boolean => s.kind === 'line' && Math.hypot(s.b[0] - s.a[0], s.b[1] - s.a[1]) > straight;

/** Runs of arcs between two corners as Béziers, where that takes fewer pieces. */
function withBeziers(row: Row, { segments, links, stretches }: Outlined, near: number): Segment[] {
  const count = stretches.length;
  if (count === 0) return segments;
  const next = (k: number) => (k + 1) % count;
  const ends = (k: number) => turnBetween(segments[k], segments[next(k)]) > corner || isLong(segments[k]) || isLong(segments[next(k)]);
  const first = row.closed
    ? next(
        Math.max(
          -1,
          segments.findIndex((_, k) => ends(k)),
        ),
      )
    : 0;
  const out: Segment[] = [];
  let run: number[] = [];
  const flush = () => {
    const [a, b] = [run[0], run[run.length - 1]];
    const plain = run.flatMap((k) => withLink(segments[k], k === b ? null : links[k]));
    const curves =
      run.length > 1 ? beziersThrough(placesOf(row, run, segments, stretches), near, [directionAt(segments[a], 0), directionAt(segments[b], 1)]) : [];
    out.push(...(curves.length > 0 && curves.length < plain.length ? curves : plain));
    const link = links[b];
    if (link) out.push(link);
    run = [];
  };
  for (let step = 0; step < count; step++) {
    const k = (first + step) % count;
    run.push(k);
    if (ends(k)) flush();
  }
  if (run.length > 0) flush();
  return out;
}

/** Turns sharper than this are corners, rad. */
const corner = (30 * Math.PI) / 180;

function turnBetween(a: Segment, b: Segment): number {
  const [u, v] = [directionAt(a, 1), directionAt(b, 0)];
  return Math.abs(Math.atan2(u[0] * v[1] - u[1] * v[0], u[0] * v[0] + u[1] * v[1]));
}

function placesOf(row: Row, run: readonly number[], segments: readonly Segment[], stretches: Outlined['stretches']): P2[] {
  const out: P2[] = [startOf(segments[run[0]])];
  for (const k of run) for (let i = stretches[k].from; i < stretches[k].to; i++) if (counts(row, i)) out.push(placeOf(row, i));
  out.push(endOf(segments[run[run.length - 1]]));
  // What lies beside a corner is rounded off by the pixels.
  return out.length > 8 ? [out[0], ...out.slice(3, -3), out[out.length - 1]] : out;
}

/** How an outline is looked for again while it takes too much away: shares of the deviation, and what a corner may round off, pixels. */
const looks = [
  [1, cornerSlack],
  [1, cornerSlack / 2],
  [1, 0],
  [0.6, 0],
] as const;

/** How much farther than elsewhere a point of the edge may lie off beside a corner, pixels: less than this far from a corner itself, and elsewhere. */
const offCorner = { reach: 1.6, at: 0.43, beside: 0.42 };

/** Whether an outline keeps to its edge: corners take away what a pixel rounds off, and no more. */
function keeps({ xy }: Row, outline: readonly Segment[], near: number): boolean {
  const off = nearOutline(outline);
  for (let i = 0; i < xy.length; i += 2) {
    const d = off(xy[i], xy[i + 1]);
    if (d <= near + offCorner.beside) continue;
    const corner = Math.min(...outline.map((s) => Math.hypot(startOf(s)[0] - xy[i], startOf(s)[1] - xy[i + 1])));
    if (d > near + offCorner.at || corner > offCorner.reach) return false;
  }
  return true;
}

/** How far the points of the edge lie off what was made of them; and some of them, for the proof. */
function held(made: readonly Made[][], flat: Affine): Pick<PictureOrigin, 'distance' | 'edge'> {
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

/** Distance to an outline, with the piece that was nearest the last time asked first: points come in its order. */
function nearOutline(outline: readonly Segment[]): (x: number, y: number) => number {
  let last = 0;
  const n = outline.length;
  return (x, y) => {
    let [best, at] = [Infinity, last];
    const ask = (i: number) => {
      const d = offSegment(outline[i], x, y);
      if (d < best) [best, at] = [d, i];
    };
    for (let k = -3; k <= 3; k++) ask((((last + k) % n) + n) % n);
    // Not near any of those: the first point, or one after a gap.
    if (best > 1.5) for (let i = 0; i < n; i++) ask(i);
    last = at;
    return best;
  };
}

function offSegment(s: Segment, x: number, y: number): number {
  if (s.kind === 'line') {
    const [dx, dy] = [s.b[0] - s.a[0], s.b[1] - s.a[1]];
    const t = Math.min(1, Math.max(0, ((x - s.a[0]) * dx + (y - s.a[1]) * dy) / (dx * dx + dy * dy || 1)));
    return Math.hypot(x - s.a[0] - t * dx, y - s.a[1] - t * dy);
  }
  if (s.kind === 'arc') {
    const angle = (Math.atan2(y - s.centre[1], x - s.centre[0]) - s.start) * Math.sign(s.sweep);
    const turned = angle - 2 * Math.PI * Math.floor(angle / (2 * Math.PI));
    if (turned <= Math.abs(s.sweep)) return Math.abs(Math.hypot(x - s.centre[0], y - s.centre[1]) - s.radius);
  }
  let best = Infinity;
  const steps = s.kind === 'arc' ? 1 : 32;
  let [px, py] = pointAt(s, 0);
  for (let k = 1; k <= steps; k++) {
    const [qx, qy] = pointAt(s, k / steps);
    if (s.kind === 'arc') return Math.min(Math.hypot(x - px, y - py), Math.hypot(x - qx, y - qy));
    const [dx, dy] = [qx - px, qy - py];
    const t = Math.min(1, Math.max(0, ((x - px) * dx + (y - py) * dy) / (dx * dx + dy * dy || 1)));
    best = Math.min(best, Math.hypot(x - px - t * dx, y - py - t * dy));
    [px, py] = [qx, qy];
  }
  return best;
}

/** Area inside a contour with its holes, for figures. */
export const areaOfTraced = (contours: readonly Contour[]): number => contours.reduce((sum, c) => sum + (c.closed ? areaOfContour(c) : 0), 0);
