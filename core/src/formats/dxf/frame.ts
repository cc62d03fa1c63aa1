import type { Affine } from '../../curves/affine.ts';
import type { P2 } from '../../curves/segment.ts';
import { numberAt, type Entity } from './entity.ts';

/** A map of space as three rows of four numbers: x' = f[0] x + f[1] y + f[2] z + f[3], and so on. */
export type Frame = readonly number[];

export const noFrame: Frame = [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0];

/** First `inner`, then `outer`. */
export function timesFrame(outer: Frame, inner: Frame): Frame {
  const out: number[] = [];
  for (let r = 0; r < 12; r += 4) {
    for (let c = 0; c < 4; c++) {
      out.push(outer[r] * inner[c] + outer[r + 1] * inner[4 + c] + outer[r + 2] * inner[8 + c] + (c === 3 ? outer[r + 3] : 0));
    }
  }
  return out;
}

/** What a frame does, seen from above, to points at one height. */
export const affineAt = (f: Frame, z: number): Affine => [f[0], f[4], f[1], f[5], f[2] * z + f[3], f[6] * z + f[7]];

/** A point of space seen from above. */
export const seen = (f: Frame, x: number, y: number, z: number): P2 => [f[0] * x + f[1] * y + f[2] * z + f[3], f[4] * x + f[5] * y + f[6] * z + f[7]];

/** Height of a point. */
export const heightOf = (f: Frame, x: number, y: number, z: number): number => f[8] * x + f[9] * y + f[10] * z + f[11];

/**
 * From an entity's own coordinates to the world's, for its extrusion direction; null when that is the usual (0, 0, 1).
 * Source: DXF Reference, object coordinate systems (arbitrary axis algorithm).
 */
export function frameOf(e: Entity): Frame | null {
  if (!e.codes.includes(210) && !e.codes.includes(230)) return null;
  const n = [numberAt(e, 210), numberAt(e, 220), numberAt(e, 230, 1)];
  const length = Math.hypot(n[0], n[1], n[2]);
  if (!(length > 0)) return null;
  const [x, y, z] = n.map((v) => v / length);
  if (z > 1 - 1e-12) return null;
  let ax = Math.abs(x) < 1 / 64 && Math.abs(y) < 1 / 64 ? [z, 0, -x] : [-y, x, 0];
  const size = Math.hypot(...ax);
  ax = ax.map((v) => v / size);
  const ay = [y * ax[2] - z * ax[1], z * ax[0] - x * ax[2], x * ax[1] - y * ax[0]];
  return [ax[0], ay[0], x, 0, ax[1], ay[1], y, 0, ax[2], ay[2], z, 0];
}
