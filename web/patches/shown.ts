import type { Patch } from 'tall-kite/patches/patch';
import { restOf, stretchesOf } from 'tall-kite/patches/rest';

/** A patch as it is painted: all pieces together, on the surface and on the flat. */
export interface ShownPatch {
  positions: Float64Array;
  flat: Float64Array;
  triangles: Uint32Array;
  /** For each triangle the logarithm of the principal stretch that is farther from 1. */
  logs: Float32Array;
  piece: Uint16Array;
  /** The largest of their absolute values. */
  most: number;
}

/** The pieces of a patch laid together, with their stretch. */
export function shownPatch(patch: Patch): ShownPatch {
  const vertices = patch.pieces.reduce((n, p) => n + p.flat.length / 2, 0);
  const count = patch.pieces.reduce((n, p) => n + p.triangles.length / 3, 0);
  const out: ShownPatch = {
    positions: new Float64Array(vertices * 3),
    flat: new Float64Array(vertices * 2),
    triangles: new Uint32Array(count * 3),
    logs: new Float32Array(count),
    piece: new Uint16Array(count),
    most: 0,
  };
  let [v, t] = [0, 0];
  patch.pieces.forEach((piece, number) => {
    out.positions.set(piece.surface, v * 3);
    out.flat.set(piece.flat, v * 2);
    const triangles = Uint32Array.from(piece.triangles);
    const made = restOf({ positions: Float64Array.from(piece.surface), triangles });
    const values = 'rest' in made && !piece.exact ? stretchesOf(made.rest, triangles, Float64Array.from(piece.flat)) : null;
    for (let k = 0; k < triangles.length / 3; k++) {
      for (let i = 0; i < 3; i++) out.triangles[(t + k) * 3 + i] = triangles[k * 3 + i] + v;
      out.piece[t + k] = number;
      if (!values) continue;
      const [high, low] = [Math.log(values[2 * k]), Math.log(Math.max(1e-9, values[2 * k + 1]))];
      out.logs[t + k] = Math.abs(high) > Math.abs(low) ? high : low;
      out.most = Math.max(out.most, Math.abs(out.logs[t + k]));
    }
    v += piece.flat.length / 2;
    t += triangles.length / 3;
  });
  return out;
}
