import type { Affine } from '../curves/affine.ts';
import type { P2 } from '../curves/segment.ts';

/** Maps of the plane with perspective, as 3 x 3 numbers row by row. */
export type PlaneMap = readonly number[];

/** An affine map as such. */
export const planeOf = ([a, b, c, d, e, f]: Affine): number[] => [a, c, e, b, d, f, 0, 0, 1];

/** First `inner`, then `outer`. */
export const timesPlane = (outer: PlaneMap, inner: PlaneMap): number[] =>
  Array.from({ length: 9 }, (_, i) => {
    const [r, k] = [Math.floor(i / 3) * 3, i % 3];
    return outer[r] * inner[k] + outer[r + 1] * inner[3 + k] + outer[r + 2] * inner[6 + k];
  });

/** The map that undoes one, by its adjugate. @example invertedPlane([2, 0, 0, 0, 2, 0, 0, 0, 1]) // halves */
export function invertedPlane(m: PlaneMap): number[] {
  const out = [
    m[4] * m[8] - m[5] * m[7],
    m[2] * m[7] - m[1] * m[8],
    m[1] * m[5] - m[2] * m[4],
    m[5] * m[6] - m[3] * m[8],
    m[0] * m[8] - m[2] * m[6],
    m[2] * m[3] - m[0] * m[5],
    m[3] * m[7] - m[4] * m[6],
    m[1] * m[6] - m[0] * m[7],
    m[0] * m[4] - m[1] * m[3],
  ];
  const det = m[0] * out[0] + m[1] * out[3] + m[2] * out[6];
  return out.map((v) => v / det);
}

/** A place under a map. */
export function throughPlane(m: PlaneMap, x: number, y: number): P2 {
  const w = m[6] * x + m[7] * y + m[8];
  return [(m[0] * x + m[1] * y + m[2]) / w, (m[3] * x + m[4] * y + m[5]) / w];
}
