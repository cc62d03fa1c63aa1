/** An axis-aligned box. Lengths in mm. */
export interface Box {
  min: [number, number, number];
  max: [number, number, number];
}

/** A box that holds nothing: every `grow` makes it right. */
export function emptyBox(): Box {
  return { min: [Infinity, Infinity, Infinity], max: [-Infinity, -Infinity, -Infinity] };
}

/** The box of flat xyz positions (3n numbers, mm). */
export function boxOf(positions: ArrayLike<number>): Box {
  const box = emptyBox();
  const { min, max } = box;
  for (let i = 0; i < positions.length; i += 3) {
    for (let k = 0; k < 3; k++) {
      const value = positions[i + k];
      if (value < min[k]) min[k] = value;
      if (value > max[k]) max[k] = value;
    }
  }
  return box;
}

/** Edge lengths of a box in mm; zeros for a box that holds nothing. */
export function sizeOf(box: Box): [number, number, number] {
  if (box.min[0] > box.max[0]) return [0, 0, 0];
  return [box.max[0] - box.min[0], box.max[1] - box.min[1], box.max[2] - box.min[2]];
}

/** Length of the space diagonal in mm. */
export function diagonalOf(box: Box): number {
  return Math.hypot(...sizeOf(box));
}

/** The eight corners of a box, xyz each. */
export function boxCorners({ min, max }: Box): Float64Array {
  const out = new Float64Array(24);
  for (let i = 0; i < 8; i++) for (let k = 0; k < 3; k++) out[3 * i + k] = i & (1 << k) ? max[k] : min[k];
  return out;
}
