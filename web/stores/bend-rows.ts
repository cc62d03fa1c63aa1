/** Bent through more than this a wall would run into the one before, degrees. */
export const mostBent = 300;

/** Which rows can't be: a figure is missing or no radius or angle, or another row has the same two. */
export function badRows(rows: readonly { radius: number | null; angle: number | null; value: number | null }[]): boolean[] {
  return rows.map(
    (r, i) =>
      r.radius === null ||
      r.radius < 0 ||
      r.angle === null ||
      r.angle <= 0 ||
      r.angle > mostBent ||
      r.value === null ||
      rows.some((o, k) => k < i && o.radius === r.radius && o.angle === r.angle),
  );
}
