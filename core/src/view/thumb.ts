import type { View } from './view.ts';

/** Most pieces of line in a small drawing. */
const mostPieces = 700;

/**
 * The edges of a part seen from the front left corner above, as an SVG path in a box of 46 by 46.
 * Pieces that fall on one another at a tenth of a unit are drawn once.
 */
export function thumbOf(view: View): string {
  const { edges } = view;
  const flat = new Float64Array((edges.length / 3) * 2);
  let [left, top, right, bottom] = [Infinity, Infinity, -Infinity, -Infinity];
  for (let i = 0, j = 0; i < edges.length; i += 3, j += 2) {
    const x = 0.85 * edges[i] - 0.53 * edges[i + 1];
    const y = -0.87 * edges[i + 2] + 0.27 * edges[i] * -1 - 0.42 * edges[i + 1];
    flat[j] = x;
    flat[j + 1] = y;
    left = Math.min(left, x);
    right = Math.max(right, x);
    top = Math.min(top, y);
    bottom = Math.max(bottom, y);
  }
  const reach = Math.max(right - left, bottom - top);
  if (!(reach > 0)) return '';
  const scale = 38 / reach;
  const dx = 23 - ((left + right) / 2) * scale;
  const dy = 23 - ((top + bottom) / 2) * scale;
  const seen = new Set<string>();
  const pieces = flat.length / 4;
  const every = Math.max(1, Math.ceil(pieces / (mostPieces * 3)));
  for (let k = 0; k < pieces && seen.size < mostPieces; k += every) {
    const at = k * 4;
    const a = `${(flat[at] * scale + dx).toFixed(1)} ${(flat[at + 1] * scale + dy).toFixed(1)}`;
    const b = `${(flat[at + 2] * scale + dx).toFixed(1)} ${(flat[at + 3] * scale + dy).toFixed(1)}`;
    if (a !== b && !seen.has(`M${b}L${a}`)) seen.add(`M${a}L${b}`);
  }
  return [...seen].join('');
}
