import type { Signal } from './picture.ts';

const bins = 1024;

function histogram(values: Float32Array): Float64Array {
  const counts = new Float64Array(bins);
  for (let i = 0; i < values.length; i++) {
    const v = values[i];
    counts[v <= 0 ? 0 : v >= 1 ? bins - 1 : (v * bins) | 0]++;
  }
  return counts;
}

/**
 * The level that parts values best into two. Source: Otsu, IEEE Trans. SMC 9 (1979) 62.
 * Between two values with nothing between them every level does; the middle is taken.
 * @param values 0 to 1. @returns 0 to 1. @example otsu(Float32Array.of(0, 0, 1, 1)) // 0.5
 */
export function otsu(values: Float32Array): number {
  const counts = histogram(values);
  let sum = 0;
  for (let b = 0; b < bins; b++) sum += b * counts[b];
  let [below, sumBelow, best, first, last] = [0, 0, -1, bins / 2 - 1, bins / 2 - 1];
  for (let b = 0; b < bins - 1; b++) {
    below += counts[b];
    sumBelow += b * counts[b];
    const above = values.length - below;
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

/** The value that two in a hundred lie below: the dark of a picture, whatever its light does. */
export function darkestOf(values: Float32Array): number {
  const counts = histogram(values);
  let sum = 0;
  for (let b = 0; b < bins; b++) {
    sum += counts[b];
    if (sum * 50 >= values.length) return (b + 0.5) / bins;
  }
  return 1;
}

/** Medians of what lies above and below a level, by a histogram; the level's own side when there is nothing. */
export function sides(values: Float32Array, level: number): { inside: number; outside: number } {
  const counts = histogram(values);
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
  // The bin tells about where; the exact value that is there most often is what a clean picture has.
  const exact = (bin: number) => {
    let [sum, n] = [0, 0];
    for (let i = 0; i < values.length; i++) {
      const v = values[i];
      if ((v <= 0 ? 0 : v >= 1 ? bins - 1 : (v * bins) | 0) !== bin) continue;
      sum += v;
      n++;
    }
    return n > 0 ? sum / n : (bin + 0.5) / bins;
  };
  return { outside: exact(median(0, cut, 0)), inside: exact(median(cut, bins, bins - 1)) };
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
  /** Level that stands in such a square: of a wider one, or of the whole picture. */
  otherwise: (pixel: number) => number;
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
export function sauvola({ values, width, height }: Pick<Signal, 'values' | 'width' | 'height'>, { side, even, otherwise, least }: Nearby): Float32Array {
  const r = Math.max(1, side >> 1);
  const out = new Float32Array(values.length);
  // Column sums that move down with the rows: one row of memory instead of two tables.
  const sum = new Float64Array(width);
  const squares = new Float64Array(width);
  const add = (y: number, sign: number) => {
    for (let x = 0, i = y * width; x < width; x++, i++) {
      sum[x] += sign * values[i];
      squares[x] += sign * values[i] * values[i];
    }
  };
  for (let y = 0; y < Math.min(r, height); y++) add(y, 1);
  for (let y = 0; y < height; y++) {
    if (y + r < height) add(y + r, 1);
    if (y - r - 1 >= 0) add(y - r - 1, -1);
    const rows = Math.min(height - 1, y + r) - Math.max(0, y - r) + 1;
    let [s, q] = [0, 0];
    for (let x = 0; x < Math.min(r, width); x++) {
      s += sum[x];
      q += squares[x];
    }
    for (let x = 0; x < width; x++) {
      if (x + r < width) {
        s += sum[x + r];
        q += squares[x + r];
      }
      if (x - r - 1 >= 0) {
        s -= sum[x - r - 1];
        q -= squares[x - r - 1];
      }
      const n = rows * (Math.min(width - 1, x + r) - Math.max(0, x - r) + 1);
      const mean = s / n;
      const spread = Math.sqrt(Math.max(0, q / n - mean * mean));
      out[y * width + x] = spread < even ? otherwise(y * width + x) : Math.max(least, mean * (1 + lowered * (spread / 0.5 - 1)));
    }
  }
  return out;
}
