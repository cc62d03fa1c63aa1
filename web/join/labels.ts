/** A name on the table: its middle and width, px. */
export interface Label {
  x: number;
  y: number;
  width: number;
}

/** More names than this are left to lie over each other: nobody reads them all. */
export const mostApart = 80;

/** How far names are from each other, px. */
const gap = 2;

/**
 * Moves names down until none lies over another; the highest stays where it is.
 * @returns the height of the middle of each, px
 * @example labelsApart([{ x: 0, y: 0, width: 40 }, { x: 10, y: 1, width: 40 }], 18) // [0, 20]
 */
export function labelsApart(labels: readonly Label[], height: number): number[] {
  const ys = labels.map(({ y }) => y);
  if (labels.length > mostApart) return ys;
  const laid: number[] = [];
  for (const i of labels.map((_, k) => k).sort((a, b) => ys[a] - ys[b] || a - b)) {
    const { x, width } = labels[i];
    // Those that were laid before are not moved any more, so what is below one of them stays below it.
    for (const k of laid.sort((a, b) => ys[a] - ys[b]))
      if (Math.abs(labels[k].x - x) * 2 < labels[k].width + width + 2 * gap && Math.abs(ys[k] - ys[i]) < height + gap) ys[i] = ys[k] + height + gap;
    laid.push(i);
  }
  return ys;
}
