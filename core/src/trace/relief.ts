import { flatBottom } from '../geometry/bottom.ts';
import { Indices, Numbers } from '../geometry/growing.ts';
import { Unusable } from '../base/finding.ts';
import type { Mesh } from '../geometry/mesh.ts';
import { brightness, type Picture } from './picture.ts';

/** How a picture's greys become heights. Lengths in mm. */
export interface GreyRelief {
  width: number;
  /** Height of what is darkest (or brightest, when `brightHigh`), and of the other end. */
  low: number;
  high: number;
  brightHigh: boolean;
  /** Spread of the smoothing, pixels of the picture; 0 for none. */
  blur: number;
  /** Distance of the height field's points, mm. */
  pitch: number;
}

/** Most points of a height field. */
export const mostPoints = 1_500_000;

/**
 * A closed solid with a flat bottom at Z 0 whose top follows the greys: standing low to high, its picture's left and bottom at X and Y 0.
 * A backlit panel is the same with what is dark high, since thick material lets less light through.
 * @throws Unusable for heights or pitches that make no solid. @example greyRelief(picture, { width: 100, low: 0.8, high: 3, brightHigh: false, blur: 1, pitch: 0.2 })
 */
export function greyRelief(picture: Picture, choice: GreyRelief): Mesh {
  const { width, low, high, brightHigh, pitch } = choice;
  if (!(low > 0) || !(high > low))
    throw new Unusable('bad-heights', 'The lowest height must be above 0 mm and the highest above that.', 'Type for instance 0.8 and 3 mm.');
  const columns = Math.max(2, Math.round(width / pitch) + 1);
  const rows = Math.max(2, Math.round((width * picture.height) / picture.width / pitch) + 1);
  if (columns * rows > mostPoints)
    throw new Unusable(
      'too-fine',
      `A point every ${pitch} mm makes ${(columns * rows).toLocaleString('en')} points; at most ${mostPoints.toLocaleString('en')} are made.`,
      `Take at least ${(pitch * Math.sqrt((columns * rows) / mostPoints)).toPrecision(2)} mm.`,
    );
  const values = smoothed(brightness(picture, false), picture.width, picture.height, choice.blur);
  const at = (c: number, r: number): number => {
    const [x, y] = [(c / (columns - 1)) * (picture.width - 1), (1 - r / (rows - 1)) * (picture.height - 1)];
    const [i, j] = [Math.min(picture.width - 2, Math.floor(x)), Math.min(picture.height - 2, Math.floor(y))];
    const [s, t] = [x - i, y - j];
    const v = (p: number, q: number) => values[(j + q) * picture.width + i + p];
    const grey = (v(0, 0) * (1 - s) + v(1, 0) * s) * (1 - t) + (v(0, 1) * (1 - s) + v(1, 1) * s) * t;
    return low + (high - low) * (brightHigh ? grey : 1 - grey);
  };
  const depth = (width * (picture.height - 1)) / (picture.width - 1);
  const points = new Numbers();
  for (let r = 0; r < rows; r++) for (let c = 0; c < columns; c++) points.push3((width * c) / (columns - 1), (depth * r) / (rows - 1), at(c, r));
  const triangles = fieldOf(columns, rows);
  // Walls down from the rim to points of the bottom.
  const rim = rimOf(columns, rows);
  const feet = rim.map((_, i) => columns * rows + i);
  for (const v of rim) points.push3(points.values[v * 3], points.values[v * 3 + 1], 0);
  rim.forEach((v, i) => {
    const next = (i + 1) % rim.length;
    triangles.push3(v, feet[i], feet[next]);
    triangles.push3(v, feet[next], rim[next]);
  });
  flatBottom({ points, triangles }, feet, [width / 2, depth / 2]);
  return { positions: points.taken(), triangles: triangles.taken() };
}

/** Points of a field's border in their order, against the clock as seen from above, from the first on. */
function rimOf(columns: number, rows: number): number[] {
  const out: number[] = [];
  for (let c = 0; c < columns; c++) out.push(c);
  for (let r = 1; r < rows; r++) out.push(r * columns + columns - 1);
  for (let c = columns - 2; c >= 0; c--) out.push((rows - 1) * columns + c);
  for (let r = rows - 2; r > 0; r--) out.push(r * columns);
  return out;
}

/** Triangles of a field of points, facing up. */
function fieldOf(columns: number, rows: number): Indices {
  const out = new Indices();
  for (let r = 0; r + 1 < rows; r++)
    for (let c = 0; c + 1 < columns; c++) {
      const a = r * columns + c;
      out.push3(a, a + 1, a + columns + 1);
      out.push3(a, a + columns + 1, a + columns);
    }
  return out;
}

/** A Gaussian by three running means along rows and columns. Source: the central limit theorem; Kovesi 2010. */
function smoothed(values: Float32Array, width: number, height: number, spread: number): Float32Array {
  const radius = Math.round(Math.sqrt(spread * spread + 0.25) - 0.5);
  if (radius < 1) return values;
  let now = values;
  for (let pass = 0; pass < 3; pass++) {
    now = means(now, { count: height, length: width, step: 1, next: width }, radius);
    now = means(now, { count: width, length: height, step: width, next: 1 }, radius);
  }
  return now;
}

/** Means over 2 radius + 1 values along lines; beyond the ends the last value stands. */
function means(
  values: Float32Array,
  { count, length, step, next }: { count: number; length: number; step: number; next: number },
  radius: number,
): Float32Array {
  const out = new Float32Array(values.length);
  for (let line = 0; line < count; line++) {
    const at = (i: number) => values[line * next + Math.min(length - 1, Math.max(0, i)) * step];
    let sum = 0;
    for (let i = -radius; i <= radius; i++) sum += at(i);
    for (let i = 0; i < length; i++) {
      out[line * next + i * step] = sum / (2 * radius + 1);
      sum += at(i + radius + 1) - at(i - radius);
    }
  }
  return out;
}
