import type { Signal } from './picture.ts';

const bins = 1024;

/** How many values fall into each bin, and their sums. */
export interface Counted {
  counts: Float64Array;
  sums: Float64Array;
}

export const noneCounted = (): Counted => ({ counts: new Float64Array(bins), sums: new Float64Array(bins) });

/** Counts a value that is there so many times. */
export function count({ counts, sums }: Counted, value: number, times: number): void {
  const bin = binOf(value);
  counts[bin] += times;
  sums[bin] += value * times;
}

/** Values 0 to 1 by bins. */
export function counted(values: Float32Array): Counted {
  const counts = new Int32Array(bins);
  const sums = new Float64Array(bins);
  for (let i = 0; i < values.length; i++) {
    const v = values[i];
    const bin = binOf(v);
    counts[bin]++;
    sums[bin] += v;
  }
  return { counts: Float64Array.from(counts), sums };
}

/** What is counted of the values when light and dark are turned round. */
export function turned({ counts, sums }: Counted): Counted {
  return { counts: counts.slice().reverse(), sums: sums.map((sum, b) => counts[b] - sum).reverse() };
}

const binOf = (v: number): number => (v <= 0 ? 0 : v >= 1 ? bins - 1 : (v * bins) | 0);

/**
 * The level that parts values best into two. Source: Otsu, IEEE Trans. SMC 9 (1979) 62.
 * Between two values with nothing between them every level does; the middle is taken.
 * @returns 0 to 1. @example otsu(counted(Float32Array.of(0, 0, 1, 1))) // 0.5
 */
export function otsu({ counts }: Counted): number {
  const total = sumOf(counts);
  let sum = 0;
  for (let b = 0; b < bins; b++) sum += b * counts[b];
  let [below, sumBelow, best, first, last] = [0, 0, -1, bins / 2 - 1, bins / 2 - 1];
  for (let b = 0; b < bins - 1; b++) {
    below += counts[b];
    sumBelow += b * counts[b];
    const above = total - below;
    if (below === 0 || above === 0) continue;
    const apart = sumBelow / below - (sum - sumBelow) / above;
    const between = below * above * apart * apart;
    if (between > best * (1 + 1e-12)) {
      best = between;
      first = b;
      last = b;
    } else if (between >= best * (1 - 1e-12)) last = b;
  }
  return ((first + last) / 2 + 1) / bins;
}

const sumOf = (counts: Float64Array): number => counts.reduce((sum, n) => sum + n, 0);

/** The value that two in a hundred lie below: the dark of a picture, whatever its light does. */
export function darkestOf({ counts }: Counted): number {
  const total = sumOf(counts);
  let sum = 0;
  for (let b = 0; b < bins; b++) {
    sum += counts[b];
    if (sum * 50 >= total) return (b + 0.5) / bins;
  }
  return 1;
}

/** Medians of what lies above and below a level, by a histogram; the level's own side when there is nothing. */
export function sides({ counts, sums }: Counted, level: number): { inside: number; outside: number } {
  const cut = Math.min(bins - 1, Math.max(0, Math.floor(level * bins)));
  const median = (from: number, to: number, none: number) => {
    let total = 0;
    for (let b = from; b < to; b++) total += counts[b];
    if (total === 0) return none;
    let sum = 0;
    for (let b = from; b < to; b++) {
      sum += counts[b];
      if (sum * 2 >= total) return b;
    }
    return none;
  };
  // The bin tells about where; the mean in it is exactly what a clean picture has.
  const mean = (bin: number) => (counts[bin] > 0 ? sums[bin] / counts[bin] : (bin + 0.5) / bins);
  return { outside: mean(median(0, cut, 0)), inside: mean(median(cut, bins, bins - 1)) };
}

/**
 * Spread of noise: the median of second differences along rows, which edges and slopes touch little.
 * Source: the median as a robust spread, Rousseeuw and Croux 1993 (factor 1.4826; a second difference has the spread of the noise times the root of 6).
 */
export function noiseOf({ width, height, values }: Pick<Signal, 'width' | 'height' | 'values'>): number {
  const counts = new Float64Array(4096);
  let n = 0;
  const rows = Math.max(1, Math.floor(height / 256));
  for (let y = 1; y < height - 1; y += rows)
    for (let x = 2; x < width - 2; x++) {
      const i = y * width + x;
      const d = Math.abs(values[i - 1] - 2 * values[i] + values[i + 1]);
      // What is perfectly even says nothing of the noise elsewhere only when all of it is even.
      counts[Math.min(4095, (d * 4096) | 0)]++;
      n++;
    }
  let sum = 0;
  for (let b = 0; b < 4096; b++) {
    sum += counts[b];
    if (sum * 2 >= n) return b === 0 ? 0 : (((b + 0.5) / 4096) * 1.4826) / Math.sqrt(6);
  }
  return 0;
}

/** How levels follow a picture's places. */
export interface Nearby {
  /** Side of the square round a pixel that is looked at, pixels. */
  side: number;
  /** Spread below which a square holds no edge. */
  even: number;
  /** Level that stands in such a square: of a wider one for each pixel, or one of the whole picture. */
  otherwise: Float32Array | number;
  /** No level is lower: what is as dark as most of the dark lies inside, noise or not. */
  least: number;
}

/** Share by which even ground lowers the level. Source: Sauvola and Pietikäinen 2000. */
const lowered = 0.2;

/**
 * A level of its own for each pixel, from mean and spread of a square round it: mean x (1 + k (spread / 0.5 - 1)).
 * Source: Sauvola and Pietikäinen, Pattern Recognition 33 (2000) 225; sums over the square by summed tables (Crow 1984).
 * A square with hardly any spread holds no edge: there the level of a wider one stands, or the inside of large dark areas would fall into specks.
 * @returns levels of brightness, row by row
 */
export function sauvola({ values, width, height }: Pick<Signal, 'values' | 'width' | 'height'>, nearby: Nearby): Float32Array {
  const r = Math.max(1, nearby.side >> 1);
  const out = new Float32Array(values.length);
  // Column sums that move down with the rows: one row of memory instead of two tables. Beyond the picture's sides there is nothing to sum.
  const room = width + 2 * r + 1;
  const columns: Columns = {
    reach: r,
    sum: new Float64Array(room),
    squares: new Float64Array(room),
    each: Float64Array.from({ length: width }, (_, x) => 1 / (Math.min(width - 1, x + r) - Math.max(0, x - r) + 1)),
  };
  for (let y = 0; y < Math.min(r, height); y++) addRow(columns, values, y * width);
  for (let y = 0; y < height; y++) {
    if (y + r < height) addRow(columns, values, (y + r) * width);
    if (y - r - 1 >= 0) takeRow(columns, values, (y - r - 1) * width);
    const rows = Math.min(height - 1, y + r) - Math.max(0, y - r) + 1;
    levelsOfRow(columns, nearby, { from: y * width, share: 1 / rows }, out);
  }
  return out;
}

/** Sums of values and of their squares in each column of the rows that a square reaches over; the picture's first column stands at `reach` + 1. */
interface Columns {
  reach: number;
  sum: Float64Array;
  squares: Float64Array;
  /** One by the number of columns that the square round each column has within the picture. */
  each: Float64Array;
}

function addRow({ reach, sum, squares, each }: Columns, values: Float32Array, from: number): void {
  for (let x = 0, c = reach + 1; x < each.length; x++, c++) {
    const v = values[from + x];
    sum[c] += v;
    squares[c] += v * v;
  }
}

function takeRow({ reach, sum, squares, each }: Columns, values: Float32Array, from: number): void {
  for (let x = 0, c = reach + 1; x < each.length; x++, c++) {
    const v = values[from + x];
    sum[c] -= v;
    squares[c] -= v * v;
  }
}

function levelsOfRow(columns: Columns, { even, otherwise, least }: Nearby, row: { from: number; share: number }, out: Float32Array): void {
  const { reach, sum, squares, each } = columns;
  const { from, share } = row;
  const wider = typeof otherwise === 'number' ? null : otherwise;
  const whole = typeof otherwise === 'number' ? otherwise : 0;
  const leastVariance = even * even;
  let s = 0;
  let q = 0;
  for (let c = reach + 1; c <= 2 * reach; c++) {
    s += sum[c];
    q += squares[c];
  }
  for (let x = 0, ahead = 2 * reach + 1; x < each.length; x++, ahead++) {
    s += sum[ahead] - sum[x];
    q += squares[ahead] - squares[x];
    const part = each[x] * share;
    const mean = s * part;
    const variance = q * part - mean * mean;
    if (variance < leastVariance) out[from + x] = wider === null ? whole : wider[from + x];
    else {
      const level = mean * (1 + lowered * (Math.sqrt(variance) * 2 - 1));
      out[from + x] = level > least ? level : least;
    }
  }
}
