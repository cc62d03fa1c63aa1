/** A closed way between inside and outside, inside on its left as seen with y up. */
export interface Loop {
  /** Where it crosses between two pixels: the first pixel's index twice, plus 1 when the second is below it and not beside it. */
  crossings: Int32Array;
  /** xy of each crossing, pixels with the rim (see Signal), by the values of both pixels; pixel (i, j) reaches from (i, j) to (i + 1, j + 1). */
  points: Float64Array;
  /** Area inside, square pixels; negative for holes. */
  area: number;
}

/** What is followed at most; more than this is a texture and no drawing. */
export const mostLoops = 200_000;

const [top, right, bottom, left] = [0, 1, 2, 3];
/** By the corners that lie inside (1 top left, 2 top right, 4 bottom right, 8 bottom left) and the side that is entered: the side to leave by. Saddles are decided by the middle. */
const exits = new Int8Array(16 * 4).fill(-1);
for (const [corners, from, to] of [
  [1, left, top],
  [2, top, right],
  [4, right, bottom],
  [8, bottom, left],
  [3, left, right],
  [6, top, bottom],
  [12, right, left],
  [9, bottom, top],
  [7, left, bottom],
  [14, top, left],
  [13, right, top],
  [11, bottom, right],
])
  exits[corners * 4 + from] = to;

/** The side to leave a saddle by. @param joined whether the middle lies inside */
function ofSaddle(corners: number, from: number, joined: boolean): number {
  if (corners === 5) return joined ? (from === right ? top : bottom) : from === left ? top : bottom;
  return joined ? (from === top ? left : right) : from === top ? right : left;
}

/** A list of numbers that grows. */
class Growing {
  crossings = new Int32Array(1024);
  points = new Float64Array(2048);
  length = 0;
  push(crossing: number, x: number, y: number): void {
    if (this.length === this.crossings.length) {
      const crossings = new Int32Array(this.length * 2);
      crossings.set(this.crossings);
      const points = new Float64Array(this.length * 4);
      points.set(this.points);
      this.crossings = crossings;
      this.points = points;
    }
    this.crossings[this.length] = crossing;
    this.points[this.length * 2] = x;
    this.points[this.length * 2 + 1] = y;
    this.length++;
  }
}

/**
 * All ways between inside (at least the level) and outside. Each pixel pair is passed once. Source: marching squares, Lorensen and Cline 1987 in the plane.
 * @param values with a rim of outside. @param least loops of less area (square pixels) are not kept; the sign does not matter
 * @returns the loops, and how many were dropped as too small or too many
 */
export function loopsOf(values: Float32Array, width: number, height: number, level: number, least = 0): { loops: Loop[]; dropped: number } {
  const seen = new Uint8Array(values.length);
  const loops: Loop[] = [];
  const way = new Growing();
  let dropped = 0;
  for (let y = 1; y < height - 1; y++)
    for (let x = 0, i = y * width; x < width - 1; x++, i++) {
      if (values[i] >= level || values[i + 1] < level || seen[i]) continue;
      way.length = 0;
      const area = follow(values, width, level, i, seen, way);
      if (Math.abs(area) < least || loops.length >= mostLoops) {
        dropped++;
        continue;
      }
      loops.push({ crossings: way.crossings.slice(0, way.length), points: way.points.slice(0, way.length * 2), area });
    }
  return { loops, dropped };
}

/** Follows one loop from the pair (first, first + 1), which is crossed downwards. @returns its area, square pixels */
function follow(values: Float32Array, width: number, level: number, first: number, seen: Uint8Array, way: Growing): number {
  // The cell whose top left pixel is `cell`, entered by `from`.
  let [cell, from, area] = [first, top, 0];
  let [lastX, lastY, startX, startY] = [0, 0, 0, 0];
  do {
    // The crossing by which the cell is entered.
    const a = from === bottom ? cell + width : from === right ? cell + 1 : cell;
    const down = from === left || from === right;
    const b = down ? a + width : a + 1;
    const share = (level - values[a]) / (values[b] - values[a]);
    const row = Math.floor(a / width);
    const x = a - row * width + 0.5 + (down ? 0 : share);
    const y = row + 0.5 + (down ? share : 0);
    if (from === top) seen[cell] = 1;
    if (way.length === 0) [startX, startY] = [x, y];
    else area += lastX * y - x * lastY;
    [lastX, lastY] = [x, y];
    way.push(a * 2 + (down ? 1 : 0), x, y);
    const corners =
      (values[cell] >= level ? 1 : 0) |
      (values[cell + 1] >= level ? 2 : 0) |
      (values[cell + width + 1] >= level ? 4 : 0) |
      (values[cell + width] >= level ? 8 : 0);
    const to =
      corners === 5 || corners === 10
        ? ofSaddle(corners, from, values[cell] + values[cell + 1] + values[cell + width] + values[cell + width + 1] >= 4 * level)
        : exits[corners * 4 + from];
    if (to === top) [cell, from] = [cell - width, bottom];
    else if (to === right) [cell, from] = [cell + 1, left];
    else if (to === bottom) [cell, from] = [cell + width, top];
    else [cell, from] = [cell - 1, right];
  } while (cell !== first || from !== top);
  area += lastX * startY - startX * lastY;
  // y points down in a picture.
  return -area / 2;
}
