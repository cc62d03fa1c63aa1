import type { Signal } from './picture.ts';

/** A line along the middle of a stroke: places xy in order, pixels, and the mean width of the stroke. */
export interface Ridge {
  xy: Float64Array;
  closed: boolean;
  width: number;
}

/** So many pixels are looked through for strokes: five tables of derivatives are held at once. */
export const mostStrokePixels = 24_000_000;

/** Values in rows. */
type Grid = Pick<Signal, 'values' | 'width' | 'height'>;

/** A Gaussian and its derivatives, sampled and normalized. */
function kernels(sigma: number): { g: Float64Array; g1: Float64Array; g2: Float64Array; r: number } {
  const r = Math.ceil(4 * sigma);
  const g = new Float64Array(2 * r + 1);
  const g1 = new Float64Array(2 * r + 1);
  const g2 = new Float64Array(2 * r + 1);
  let sum = 0;
  for (let k = -r; k <= r; k++) sum += g[k + r] = Math.exp((-k * k) / (2 * sigma * sigma));
  for (let k = -r; k <= r; k++) {
    g[k + r] /= sum;
    g1[k + r] = (-k / (sigma * sigma)) * g[k + r];
    g2[k + r] = ((k * k) / sigma ** 4 - 1 / (sigma * sigma)) * g[k + r];
  }
  return { g, g1, g2, r };
}

/** Rows, then columns, each with a kernel of its own. Values beyond the rim are those of the rim. */
function folded({ values, width, height }: Grid, across: Float64Array, down: Float64Array, r: number): Float32Array {
  const half = new Float32Array(values.length);
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      let sum = 0;
      const i = y * width;
      if (x >= r && x < width - r) for (let k = -r; k <= r; k++) sum += across[r - k] * values[i + x + k];
      else for (let k = -r; k <= r; k++) sum += across[r - k] * values[i + Math.min(width - 1, Math.max(0, x + k))];
      half[i + x] = sum;
    }
  const out = new Float32Array(values.length);
  for (let y = 0; y < height; y++)
    for (let k = -r; k <= r; k++) {
      const weight = down[r - k];
      const from = Math.min(height - 1, Math.max(0, y + k)) * width;
      const to = y * width;
      for (let x = 0; x < width; x++) out[to + x] += weight * half[from + x];
    }
  return out;
}

/** Strength below which nothing is a stroke, and above which one begins, as shares of the strongest. */
const faint = 0.12;
const strong = 0.35;
/** A way of fewer places than this is a dot. */
const fewest = 6;

/**
 * Middles of strokes within a pixel: places where the second derivative across is strongest and the first is nought, linked along.
 * Source: Steger, An unbiased detector of curvilinear structures, IEEE PAMI 20 (1998) 113: sigma at least half the width by the root of 3.
 * @param grid 1 in strokes, 0 beside them. @param strokeWidth mean width, pixels
 */
export function ridgesOf(grid: Grid, strokeWidth: number): Ridge[] {
  const { values: ink, width, height } = grid;
  const sigma = Math.max(0.8, (strokeWidth / 2 / Math.sqrt(3)) * 1.05);
  const { g, g1, g2, r } = kernels(sigma);
  const rx = folded(grid, g1, g, r);
  const ry = folded(grid, g, g1, r);
  const rxx = folded(grid, g2, g, r);
  const rxy = folded(grid, g1, g1, r);
  const ryy = folded(grid, g, g2, r);
  // Where the middle lies in its pixel, the direction across, and how strong it is; strength 0 where there is none.
  const strength = new Float32Array(ink.length);
  const offX = new Float32Array(ink.length);
  const offY = new Float32Array(ink.length);
  const angle = new Float32Array(ink.length);
  let strongest = 0;
  for (let i = 0; i < ink.length; i++) {
    const half = (rxx[i] + ryy[i]) / 2;
    const least = half - Math.hypot((rxx[i] - ryy[i]) / 2, rxy[i]);
    if (least >= -1e-6) continue;
    // Direction of the strongest bend: across the stroke.
    const a = 0.5 * Math.atan2(2 * rxy[i], rxx[i] - ryy[i]) + Math.PI / 2;
    const [nx, ny] = [Math.cos(a), Math.sin(a)];
    const t = -(rx[i] * nx + ry[i] * ny) / least;
    const [px, py] = [t * nx, t * ny];
    if (Math.abs(px) > 0.6 || Math.abs(py) > 0.6) continue;
    strength[i] = -least;
    offX[i] = px;
    offY[i] = py;
    angle[i] = a;
    if (-least > strongest) strongest = -least;
  }
  return linked({ strength, offX, offY, angle, width, height, strongest, strokeWidth });
}

interface Field {
  strength: Float32Array;
  offX: Float32Array;
  offY: Float32Array;
  angle: Float32Array;
  width: number;
  height: number;
  strongest: number;
  strokeWidth: number;
}

function linked(field: Field): Ridge[] {
  const { strength, strongest, width, height, strokeWidth } = field;
  const used = new Uint8Array(strength.length);
  const seeds: number[] = [];
  for (let i = 0; i < strength.length; i++) if (strength[i] >= strong * strongest) seeds.push(i);
  seeds.sort((a, b) => strength[b] - strength[a]);
  const out: Ridge[] = [];
  for (const seed of seeds) {
    if (used[seed]) continue;
    const ahead = walk(field, used, seed, 1);
    const behind = walk(field, used, seed, -1);
    const way = [...behind.reverse(), seed, ...ahead];
    // What lies beside the way, within the stroke, is the same stroke.
    for (const i of way) mark(used, width, height, i);
    if (way.length < fewest) continue;
    const xy = new Float64Array(way.length * 2);
    way.forEach((i, k) => {
      xy[k * 2] = (i % width) + 0.5 + field.offX[i];
      xy[k * 2 + 1] = Math.floor(i / width) + 0.5 + field.offY[i];
    });
    const n = xy.length;
    const closed = way.length > 12 && Math.hypot(xy[0] - xy[n - 2], xy[1] - xy[n - 1]) < 2.5;
    out.push({ xy, closed, width: strokeWidth });
  }
  return out;
}

function mark(used: Uint8Array, width: number, height: number, i: number): void {
  const [x, y] = [i % width, Math.floor(i / width)];
  for (let dy = -1; dy <= 1; dy++)
    for (let dx = -1; dx <= 1; dx++) if (x + dx >= 0 && x + dx < width && y + dy >= 0 && y + dy < height) used[i + dy * width + dx] = 1;
}

/** From a place along the stroke, one pixel after the other: of the three ahead the one that lies nearest and turns least. */
function walk(field: Field, used: Uint8Array, seed: number, way: 1 | -1): number[] {
  const { strength, angle } = field;
  const out: number[] = [];
  let at = seed;
  let [tx, ty] = [-Math.sin(angle[seed]) * way, Math.cos(angle[seed]) * way];
  used[seed] = 1;
  for (let steps = 0; steps < strength.length; steps++) {
    const next = ahead(field, used, at, [tx, ty]);
    if (next < 0) return out;
    const [ux, uy] = [-Math.sin(angle[next]), Math.cos(angle[next])];
    const sign = ux * tx + uy * ty < 0 ? -1 : 1;
    [tx, ty] = [ux * sign, uy * sign];
    used[next] = 1;
    out.push(next);
    at = next;
  }
  return out;
}

/** The next pixel along a direction; -1 at the end of the stroke. */
function ahead({ strength, strongest, angle, offX, offY, width, height }: Field, used: Uint8Array, at: number, [tx, ty]: [number, number]): number {
  const [x, y] = [at % width, Math.floor(at / width)];
  let [best, next] = [Infinity, -1];
  for (const [dx, dy] of neighbours) {
    if (dx * tx + dy * ty < 0.35 * Math.hypot(dx, dy)) continue;
    if (x + dx < 0 || y + dy < 0 || x + dx >= width || y + dy >= height) continue;
    const j = at + dy * width + dx;
    if (used[j] || strength[j] < faint * strongest) continue;
    const distance = Math.hypot(dx + offX[j] - offX[at], dy + offY[j] - offY[at]);
    // Directions have no sign: the turn is that between lines.
    const turn = Math.abs(Math.asin(Math.min(1, Math.abs(Math.sin(angle[j] - angle[at])))));
    if (distance + turn < best) [best, next] = [distance + turn, j];
  }
  return next;
}

const neighbours = [
  [-1, -1],
  [0, -1],
  [1, -1],
  [-1, 0],
  [1, 0],
  [-1, 1],
  [0, 1],
  [1, 1],
] as const;
