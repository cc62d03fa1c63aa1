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
  let [x0, y0, z0, x1, y1, z1] = [Infinity, Infinity, Infinity, -Infinity, -Infinity, -Infinity];
  for (let i = 0; i < positions.length; i += 3) {
    const x = positions[i];
    const y = positions[i + 1];
    const z = positions[i + 2];
    if (x < x0) x0 = x;
    if (x > x1) x1 = x;
    if (y < y0) y0 = y;
    if (y > y1) y1 = y;
    if (z < z0) z0 = z;
    if (z > z1) z1 = z;
  }
  return { min: [x0, y0, z0], max: [x1, y1, z1] };
}

/** How far the farthest of flat xyz positions lies from a place. */
export function farthest(positions: ArrayLike<number>, [x, y, z]: readonly number[]): number {
  let most = 0;
  for (let i = 0; i < positions.length; i += 3) {
    const dx = positions[i] - x;
    const dy = positions[i + 1] - y;
    const dz = positions[i + 2] - z;
    const d = dx * dx + dy * dy + dz * dz;
    if (d > most) most = d;
  }
  return Math.sqrt(most);
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
