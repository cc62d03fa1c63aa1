import { polesOf } from './poles.ts';
import { hull2 } from '../geometry/hull.ts';

/**
 * Corners and places lie on a grid of 2^-20 mm (just under a millionth): adding them rounds nothing below 2^32 mm, so that shapes which touch
 * do touch, and none overlaps by a rounding.
 */
export const grid = 2 ** -20;
export const onGrid = (v: number): number => Math.round(v / grid) * grid;

/** A flat shape by its borders, xy in mm: outer rings counter-clockwise, holes clockwise, none crossing. Corners on the grid. */
export interface NestShape {
  rings: Float64Array[];
}

/** A shape as it is turned and mirrored, moved so that its box begins at 0, 0. */
export interface Variant {
  /** Degrees counter-clockwise, after mirroring left to right. */
  turn: number;
  mirrored: boolean;
  /** What was taken from the turned corners to bring the box to 0, 0. */
  shift: [number, number];
  width: number;
  height: number;
  /** Corners of all rings, xy. */
  xy: Float64Array;
  /** The corner that comes after each. */
  next: Int32Array;
  /** Where each ring begins, in corners, and the end. */
  starts: Int32Array;
  /** Circles that lie in it, largest first: x, y, radius. */
  poles: Float64Array;
  area: number;
  /** Of how much the worth of an overlap is told by: the fourth root of its hull's area, mm^0.5. */
  weight: number;
}

/** Area within a ring of xy, mm2: positive counter-clockwise. Source: shoelace formula. */
export const areaOfRing = (ring: ArrayLike<number>): number => {
  let sum = 0;
  for (let i = 0, j = ring.length - 2; i < ring.length; j = i, i += 2)
    sum += (ring[j] - ring[0]) * (ring[i + 1] - ring[1]) - (ring[i] - ring[0]) * (ring[j + 1] - ring[1]);
  return sum / 2;
};

/** Area of a shape less its holes, mm2. */
export const areaOfShape = ({ rings }: NestShape): number => rings.reduce((sum, ring) => sum + areaOfRing(ring), 0);

/** Cosine and sine of degrees, exact at quarter turns. */
export function turnOf(degrees: number): [number, number] {
  const quarter = degrees / 90;
  if (Number.isInteger(quarter)) return ([[1, 0], [0, 1], [-1, 0], [0, -1]] as const)[((quarter % 4) + 4) % 4] as [number, number]; // prettier-ignore
  const a = (degrees * Math.PI) / 180;
  return [Math.cos(a), Math.sin(a)];
}

/** A shape turned (degrees, counter-clockwise) after it was mirrored left to right or not. Quarter turns keep corners exact. */
export function variantOf(shape: NestShape, turn: number, mirrored: boolean): Variant {
  const [c, s] = turnOf(turn);
  const side = mirrored ? -1 : 1;
  let count = 0;
  for (const ring of shape.rings) count += ring.length / 2;
  const xy = new Float64Array(count * 2);
  const next = new Int32Array(count);
  const starts = new Int32Array(shape.rings.length + 1);
  let [low, left] = [Infinity, Infinity];
  let at = 0;
  shape.rings.forEach((ring, r) => {
    starts[r] = at;
    const n = ring.length / 2;
    for (let i = 0; i < n; i++) {
      const x = ring[i * 2] * side;
      const y = ring[i * 2 + 1];
      xy[(at + i) * 2] = onGrid(c * x - s * y);
      xy[(at + i) * 2 + 1] = onGrid(s * x + c * y);
      left = Math.min(left, xy[(at + i) * 2]);
      low = Math.min(low, xy[(at + i) * 2 + 1]);
      next[at + i] = at + ((i + 1) % n);
    }
    at += n;
  });
  starts[shape.rings.length] = at;
  let [width, height] = [0, 0];
  for (let i = 0; i < xy.length; i += 2) {
    xy[i] -= left;
    xy[i + 1] -= low;
    width = Math.max(width, xy[i]);
    height = Math.max(height, xy[i + 1]);
  }
  const corners: [number, number][] = [];
  for (let i = 0; i < at; i++) corners.push([xy[i * 2], xy[i * 2 + 1]]);
  const hull = Math.abs(areaOfRing(hull2(corners).flat()));
  const v = {
    turn,
    mirrored,
    shift: [left, low] as [number, number],
    width,
    height,
    xy,
    next,
    starts,
    area: areaOfShape(shape),
    weight: Math.sqrt(Math.sqrt(hull)),
  };
  return { ...v, poles: polesOf(v) };
}

/** So many different directions of long sides are tried. */
const mostSides = 4;
/** Turns nearer than this are the same, degrees. */
const sameTurn = 0.01;

/**
 * Turns, in degrees, that bring the longest straight sides of a shape's hull along the sheet, beside those by 15: the best place of a part is nearly always
 * with a side along an edge or along another part's side. Source: the smallest rectangle about a polygon lies along a side, Freeman and Shapira, 1975.
 * @example sideTurns({ rings: [Float64Array.from([0, 0, 10, 1, 9, 11, -1, 10])] }, false) // 84.3 and so on by quarters
 */
export function sideTurns({ rings }: NestShape, mirrored: boolean): number[] {
  const corners = rings.flatMap((r) => Array.from({ length: r.length / 2 }, (_, k): [number, number] => [r[k * 2], r[k * 2 + 1]]));
  const hull = hull2(corners);
  const long = new Map<number, number>();
  hull.forEach(([ax, ay], i) => {
    const [bx, by] = hull[(i + 1) % hull.length];
    const angle = (Math.atan2(by - ay, bx - ax) * 180) / Math.PI;
    // Mirrored left to right, its direction turns the other way.
    const turn = (((mirrored ? angle : -angle) % 90) + 90) % 90;
    const known = [...long.keys()].find((t) => Math.abs(t - turn) < sameTurn) ?? turn;
    long.set(known, (long.get(known) ?? 0) + Math.hypot(bx - ax, by - ay));
  });
  const around = hull.reduce((sum, [ax, ay], i) => sum + Math.hypot(hull[(i + 1) % hull.length][0] - ax, hull[(i + 1) % hull.length][1] - ay), 0);
  return [...long]
    .filter(([t, l]) => Math.abs(t - 15 * Math.round(t / 15)) > sameTurn && l > around / 20)
    .sort((a, b) => b[1] - a[1])
    .slice(0, mostSides)
    .flatMap(([t]) => [0, 90, 180, 270].map((q) => t + q));
}
