import { Unusable } from '../base/finding.ts';

/**
 * Heights over a regular grid, mm: row 0 lies at the least Y, columns run along X. Where nothing lies the height is NaN.
 */
export interface HeightField {
  columns: number;
  rows: number;
  /** Distance of neighbours along X and along Y, mm. */
  step: readonly [number, number];
  /** Where the first height stands, mm. */
  at: readonly [number, number];
  /** Row after row. */
  heights: Float64Array;
}

/** A grid without its heights. */
export type Grid = Omit<HeightField, 'heights'>;

/** Most heights of a field: as many as a part may have triangles, nearly. */
export const mostHeights = 4_000_000;

/**
 * A grid over a rectangle whose outermost heights stand on its sides, near a distance that is asked for.
 * @param cell distance of neighbours that is asked for, mm
 * @throws Unusable when it would have too many heights. @example gridOver([0, 0], [100, 50], 0.5)
 */
export function gridOver(low: readonly [number, number], high: readonly [number, number], cell: number): Grid {
  const [x, y] = [high[0] - low[0], high[1] - low[1]];
  if (!(cell > 0) || !(x > 0) || !(y > 0))
    throw new Unusable('bad-grid', 'Heights need a distance above 0 mm and a surface with a size in X and Y.', 'Type for instance 0.2 mm.');
  const columns = Math.max(2, Math.round(x / cell) + 1);
  const rows = Math.max(2, Math.round(y / cell) + 1);
  if (columns * rows > mostHeights)
    throw new Unusable(
      'too-fine',
      `A height every ${cell} mm makes ${(columns * rows).toLocaleString('en')} of them; at most ${mostHeights.toLocaleString('en')} are made.`,
      `Take at least ${(Math.ceil(cell * Math.sqrt((columns * rows) / mostHeights) * 100) / 100).toPrecision(3)} mm.`,
    );
  return { columns, rows, step: [x / (columns - 1), y / (rows - 1)], at: [low[0], low[1]] };
}

/** The least and the largest height; null when there is none. */
export function rangeOf({ heights }: HeightField): [number, number] | null {
  let [low, high] = [Infinity, -Infinity];
  for (const h of heights) {
    if (h < low) low = h;
    if (h > high) high = h;
  }
  return low <= high ? [low, high] : null;
}
