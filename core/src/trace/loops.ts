import type { Signal } from './picture.ts';

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
  taken(): Pick<Loop, 'crossings' | 'points'> {
    return { crossings: this.crossings.slice(0, this.length), points: this.points.slice(0, this.length * 2) };
  }
  /** Area within, positive where it lies on the left as seen with y up: in a picture y points down. */
  area(): number {
    const { points: p, length } = this;
    let sum = 0;
    for (let i = 0, j = length - 1; i < length; j = i++) sum += p[j * 2] * p[i * 2 + 1] - p[i * 2] * p[j * 2 + 1];
    return -sum / 2;
  }
}

/**
 * All ways between inside (at least the level) and outside. Each pixel pair is passed once. Source: marching squares, Lorensen and Cline 1987 in the plane.
 * @param signal with its rim of outside. @param least loops of less area (square pixels) are not kept; the sign does not matter
 * @returns the loops, and how many were dropped as too small or too many
 */
export function loopsOf(signal: Field, least = 0): { loops: Loop[]; dropped: number } {
  const { values, width, height, level } = signal;
  const follower = new Follower(signal);
  const loops: Loop[] = [];
  let dropped = 0;
  for (let y = 1; y < height - 1; y++)
    for (let x = 0, i = y * width; x < width - 1; x++, i++) {
      if (values[i] >= level || values[i + 1] < level || follower.seen[i]) continue;
      const area = follower.follow(i);
      if (Math.abs(area) < least || loops.length >= mostLoops) dropped++;
      else loops.push({ ...follower.way.taken(), area });
    }
  return { loops, dropped };
}

type Field = Pick<Signal, 'values' | 'width' | 'height' | 'level'>;

class Follower {
  readonly seen: Uint8Array;
  readonly way = new Growing();
  private readonly field: Field;
  /** Steps to the cell above, to the right, below and to the left. */
  private readonly steps: readonly number[];

  constructor(field: Field) {
    this.field = field;
    this.seen = new Uint8Array(field.values.length);
    this.steps = [-field.width, 1, field.width, -1];
  }

  /** Follows one loop from the pair (first, first + 1), which is crossed downwards. @returns its area, square pixels */
  follow(first: number): number {
    const { way, seen } = this;
    way.length = 0;
    // The cell whose top left pixel is `cell`, entered by `from`.
    let [cell, from] = [first, top];
    do {
      if (from === top) seen[cell] = 1;
      this.cross(cell, from);
      const to = this.exit(cell, from);
      cell += this.steps[to];
      from = (to + 2) % 4;
    } while (cell !== first || from !== top);
    return way.area();
  }

  /** Notes where a cell is entered. */
  private cross(cell: number, from: number): void {
    const { values, width, level } = this.field;
    const a = from === bottom ? cell + width : from === right ? cell + 1 : cell;
    const down = from === left || from === right;
    const b = down ? a + width : a + 1;
    const share = (level - values[a]) / (values[b] - values[a]);
    const row = Math.floor(a / width);
    this.way.push(a * 2 + (down ? 1 : 0), a - row * width + 0.5 + (down ? 0 : share), row + 0.5 + (down ? share : 0));
  }

  private exit(cell: number, from: number): number {
    const { values, width, level } = this.field;
    const [a, b, c, d] = [values[cell], values[cell + 1], values[cell + width + 1], values[cell + width]];
    const corners = (a >= level ? 1 : 0) | (b >= level ? 2 : 0) | (c >= level ? 4 : 0) | (d >= level ? 8 : 0);
    return corners === 5 || corners === 10 ? ofSaddle(corners, from, a + b + c + d >= 4 * level) : exits[corners * 4 + from];
  }
}
