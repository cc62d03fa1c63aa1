import { cross } from './vector.ts';
/** A rotation as a unit quaternion x, y, z, w. */
export type Turn = [number, number, number, number];

/** A scale, then a turn, then a shift. `rows` is the 3 x 3 part row by row (scale included), shift in mm. */
export interface Placement {
  rows: Float64Array;
  shift: [number, number, number];
}

export const noTurn: Turn = [0, 0, 0, 1];

/** The 3 x 3 rotation matrix of a turn, row by row. Source: any text on quaternions. */
export function rowsOf(turn: Turn): Float64Array {
  const length = Math.hypot(...turn) || 1;
  const [x, y, z, w] = turn.map((v) => v / length);
  return Float64Array.of(
    1 - 2 * (y * y + z * z),
    2 * (x * y - z * w),
    2 * (x * z + y * w),
    2 * (x * y + z * w),
    1 - 2 * (x * x + z * z),
    2 * (y * z - x * w),
    2 * (x * z - y * w),
    2 * (y * z + x * w),
    1 - 2 * (x * x + y * y),
  );
}

/** Turn about a unit axis by an angle in rad. */
export function turnAbout(axis: readonly [number, number, number], angle: number): Turn {
  const s = Math.sin(angle / 2);
  return [axis[0] * s, axis[1] * s, axis[2] * s, Math.cos(angle / 2)];
}

/** First `b`, then `a`. */
export function afterTurn(a: Turn, b: Turn): Turn {
  const [ax, ay, az, aw] = a;
  const [bx, by, bz, bw] = b;
  return [
    aw * bx + ax * bw + ay * bz - az * by,
    aw * by - ax * bz + ay * bw + az * bx,
    aw * bz + ax * by - ay * bx + az * bw,
    aw * bw - ax * bx - ay * by - az * bz,
  ];
}

/** The shortest turn that takes one unit direction to another. */
export function turnBetween(from: readonly number[], to: readonly number[]): Turn {
  const axle = cross(from, to);
  const dot = from[0] * to[0] + from[1] * to[1] + from[2] * to[2];
  if (dot < -1 + 1e-12) {
    const axis: [number, number, number] = Math.abs(from[0]) < 0.9 ? [1, 0, 0] : [0, 1, 0];
    const across = cross(from, axis);
    const n = Math.hypot(...across);
    return [across[0] / n, across[1] / n, across[2] / n, 0];
  }
  const w = 1 + dot;
  const n = Math.hypot(axle[0], axle[1], axle[2], w);
  return [axle[0] / n, axle[1] / n, axle[2] / n, w / n];
}

/** A direction (3 numbers) turned. */
export function turned(turn: Turn, d: readonly number[]): [number, number, number] {
  const m = rowsOf(turn);
  return [m[0] * d[0] + m[1] * d[1] + m[2] * d[2], m[3] * d[0] + m[4] * d[1] + m[5] * d[2], m[6] * d[0] + m[7] * d[1] + m[8] * d[2]];
}

/** Positions (3n numbers) after a placement, in a new array. */
export function placed(positions: ArrayLike<number>, placement: Placement): Float64Array {
  const { rows: m, shift } = placement;
  const out = new Float64Array(positions.length);
  for (let i = 0; i < positions.length; i += 3) {
    const x = positions[i];
    const y = positions[i + 1];
    const z = positions[i + 2];
    out[i] = m[0] * x + m[1] * y + m[2] * z + shift[0];
    out[i + 1] = m[3] * x + m[4] * y + m[5] * z + shift[1];
    out[i + 2] = m[6] * x + m[7] * y + m[8] * z + shift[2];
  }
  return out;
}

/** Positions taken back through a placement whose 3 x 3 part is a rotation times `scale`. */
export function takenBack(positions: ArrayLike<number>, placement: Placement, scale: number): Float64Array {
  const { rows: m, shift } = placement;
  const inverse = 1 / (scale * scale);
  const out = new Float64Array(positions.length);
  for (let i = 0; i < positions.length; i += 3) {
    const x = positions[i] - shift[0];
    const y = positions[i + 1] - shift[1];
    const z = positions[i + 2] - shift[2];
    out[i] = (m[0] * x + m[3] * y + m[6] * z) * inverse;
    out[i + 1] = (m[1] * x + m[4] * y + m[7] * z) * inverse;
    out[i + 2] = (m[2] * x + m[5] * y + m[8] * z) * inverse;
  }
  return out;
}
