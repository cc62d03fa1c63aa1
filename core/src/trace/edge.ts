import type { Loop } from './loops.ts';
import type { Signal } from './picture.ts';

/** Places along an edge, xy, pixels with the rim. `sure` is 0 where another edge is so near that the window had to be shortened. */
export interface EdgePoints {
  xy: Float64Array;
  sure: Uint8Array;
}

/** How far a window reaches beyond the two pixels of a crossing on either side, pixels; it ends earlier where values turn back. */
const reach = 3;
/** Values this near to what most of the inside (or outside) has count as that; share, beside the noise. */
const sameLevel = 0.03;

/**
 * A loop's crossings at their places within the pixels, from the sums of values in rows or columns across the edge.
 * Each sum is the share of the row that lies inside, so that it is exact where pixels hold exact shares; what a curved edge has less in the mean of
 * a column than in its middle is put back by second differences.
 * Source: the partial-area effect, Trujillo-Pino, Krissian, Alemán-Flores, Santana-Cedrés, Image and Vision Computing 31 (2013) 72.
 */
export function edgePoints(loop: Loop, signal: Signal): EdgePoints {
  const n = loop.crossings.length;
  const across = new Across(signal);
  const xy = new Float64Array(n * 2);
  const sure = new Uint8Array(n);
  // For the second differences: which way each kept place was measured.
  const down = new Uint8Array(n);
  let kept = 0;
  for (let i = 0; i < n; i++) {
    // Loops of a few pixels keep all that they have.
    if (n > 12 && !crossedSquarely(loop, i)) continue;
    const isDown = loop.crossings[i] & 1;
    across.measure(loop.crossings[i], loop.points[i * 2 + isDown]);
    const [x, y] = across.cell;
    xy[kept * 2] = isDown ? x + 0.5 : across.place;
    xy[kept * 2 + 1] = isDown ? across.place : y + 0.5;
    sure[kept] = across.sure ? 1 : 0;
    down[kept] = isDown;
    kept++;
  }
  return curved({ xy: xy.subarray(0, kept * 2), sure: sure.subarray(0, kept) }, down.subarray(0, kept));
}

/** Whether the edge runs across the pair of pixels rather than along it, by the places three before and after. */
function crossedSquarely({ crossings, points: p }: Loop, i: number): boolean {
  const n = crossings.length;
  const before = ((i - 3 + 3 * n) % n) * 2;
  const after = ((i + 3) % n) * 2;
  const dx = Math.abs(p[after] - p[before]);
  const dy = Math.abs(p[after + 1] - p[before + 1]);
  return crossings[i] & 1 ? dy <= dx : dx <= dy;
}

/** Where an edge lies between two pixels, by the row or column of pixels across it. One for a whole loop; `measure` sets the rest. */
class Across {
  /** The first pixel of the pair, and where the edge lies along the row or column. */
  readonly cell: [number, number] = [0, 0];
  place = 0;
  /** Whether there was room for the whole window on both sides. */
  sure = false;
  private readonly signal: Signal;
  /** Values that turn back by more than this belong to another edge; and how near a value is the same. */
  private readonly turnsBack: number;
  private readonly near: number;
  /** Of the walk at hand: sum of the values passed, how many, and the last extreme. */
  private sum = 0;
  private steps = 0;
  private extreme = 0;

  constructor(signal: Signal) {
    this.signal = signal;
    this.turnsBack = Math.max(0.006, 3 * signal.noise);
    this.near = Math.max(sameLevel, 4 * signal.noise);
  }

  /** @param crossing as loops have them @param crude where it lies by its two values alone */
  measure(crossing: number, crude: number): void {
    const { width, height } = this.signal;
    const isDown = (crossing & 1) === 1;
    const a = crossing >> 1;
    const [x, y] = [a % width, Math.floor(a / width)];
    this.cell[0] = x;
    this.cell[1] = y;
    const [at, size] = isDown ? [y, height] : [x, width];
    // The rim stands for what is beyond the picture: an edge there is the picture's own.
    if (x === 0 || y === 0 || at === size - 2) {
      this.place = Math.round(crude);
      this.sure = false;
      return;
    }
    this.across(a, isDown, crude);
  }

  private across(a: number, isDown: boolean, crude: number): void {
    const { values, width, height, level } = this.signal;
    const step = isDown ? width : 1;
    const [at, size] = isDown ? [this.cell[1], height] : [this.cell[0], width];
    const insideFirst = values[a] >= level;
    const [first, second] = insideFirst ? [a, a + step] : [a + step, a];
    const room = [at, size - 2 - at];
    this.walk(first, insideFirst ? -step : step, room[insideFirst ? 0 : 1], 1);
    const inner = { sum: this.sum, steps: this.steps, value: this.extreme };
    this.walk(second, insideFirst ? step : -step, room[insideFirst ? 1 : 0], -1);
    const high = this.plateau(inner.value, inner.steps, this.signal.inside, 1);
    const low = this.plateau(this.extreme, this.steps, this.signal.outside, -1);
    const span = 2 + inner.steps + this.steps;
    // How far the inside reaches from the window's inner end.
    const within = Math.min(span, Math.max(0, (inner.sum + this.sum - span * low) / (high - low)));
    const place = insideFirst ? at - inner.steps + within : at + 2 + inner.steps - within;
    const good = high - low > leastStep && Math.abs(place - crude) <= 1;
    this.place = good ? place : crude;
    this.sure = good && inner.steps >= 1 && this.steps >= 1;
  }

  /** Adds up pixels away from the edge until they turn back, at most `reach` of them. @param sign 1 into the inside, -1 out of it */
  private walk(from: number, go: number, room: number, sign: number): void {
    const { values } = this.signal;
    this.sum = values[from];
    this.extreme = values[from];
    this.steps = 0;
    for (let at = from + go; this.steps < reach && this.steps < room - 1; at += go) {
      const next = values[at];
      if ((this.extreme - next) * sign > this.turnsBack) break;
      if ((next - this.extreme) * sign > 0) this.extreme = next;
      this.sum += next;
      this.steps++;
    }
  }

  /** What the inside (or the outside) is here: that of the whole picture where it is about the same, or where there was no room to see. */
  private plateau(seen: number, steps: number, usual: number, sign: number): number {
    return Math.abs(seen - usual) <= this.near || (steps === 0 && (usual - seen) * sign > 0) ? usual : seen;
  }
}

/** Least difference between both sides that tells anything, as a share. */
const leastStep = 0.05;

/** Places beside another edge count less in runs of up to so many: those of a tip or a notch, whose sides tell better where it is. Thin lines, which are spoilt all along, count in full. */
const mostUnsure = 7;

/** Which places of a loop count less: few in a row that another edge spoils. */
export function loosePoints({ sure }: EdgePoints): Uint8Array {
  const n = sure.length;
  const out = new Uint8Array(n);
  let first = 0;
  while (first < n && !sure[first]) first++;
  if (first === n) return out;
  for (let step = 0; step < n;) {
    let run = 0;
    while (run < n - step && !sure[(first + step + run) % n]) run++;
    if (run <= mostUnsure) for (let k = 0; k < run; k++) out[(first + step + k) % n] = 1;
    step += Math.max(1, run);
  }
  return out;
}

/** Second differences larger than this come from a corner, pixels. */
const mostBend = 0.35;

/** Means of columns to values in their middles: less a 24th of the second difference, where three columns follow each other. */
function curved({ xy, sure }: EdgePoints, down: Uint8Array): EdgePoints {
  const n = sure.length;
  const out = xy.slice();
  for (let i = 0; i < n; i++) {
    const before = (i + n - 1) % n;
    const after = (i + 1) % n;
    if (down[before] !== down[i] || down[after] !== down[i]) continue;
    const [along, across] = down[i] ? [0, 1] : [1, 0];
    const s = xy[i * 2 + along];
    if (Math.abs(xy[before * 2 + along] - s) !== 1 || Math.abs(xy[after * 2 + along] - s) !== 1 || xy[before * 2 + along] === xy[after * 2 + along]) continue;
    const bend = xy[before * 2 + across] - 2 * xy[i * 2 + across] + xy[after * 2 + across];
    if (Math.abs(bend) < mostBend) out[i * 2 + across] -= bend / 24;
  }
  return { xy: out, sure };
}
