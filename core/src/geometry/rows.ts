/** A placement as 12 numbers: three rows of a 3 x 3 part and a shift (mm). */
export type Rows = number[];

export const identityRows: Rows = [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0];

/** First b, then a. */
export function timesRows(a: Rows, b: Rows): Rows {
  const out: Rows = [];
  for (let r = 0; r < 3; r++) {
    for (let c = 0; c < 4; c++) {
      let sum = c === 3 ? a[r * 4 + 3] : 0;
      for (let k = 0; k < 3; k++) sum += a[r * 4 + k] * b[k * 4 + c];
      out.push(sum);
    }
  }
  return out;
}

/** Inverse of a rotation (perhaps mirrored) and shift. */
export function invertedRows(m: Rows): Rows {
  const out: Rows = [];
  for (let r = 0; r < 3; r++) out.push(m[r], m[4 + r], m[8 + r], -(m[r] * m[3] + m[4 + r] * m[7] + m[8 + r] * m[11]));
  return out;
}

/** Determinant of the 3 x 3 part: below zero for a mirrored placement, the cube of the scale otherwise. */
export function determinantOf(m: Rows): number {
  return m[0] * (m[5] * m[10] - m[6] * m[9]) - m[1] * (m[4] * m[10] - m[6] * m[8]) + m[2] * (m[4] * m[9] - m[5] * m[8]);
}
