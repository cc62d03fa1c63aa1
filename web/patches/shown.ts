import { edgesOf, openEdge } from 'tall-kite/geometry/edges';
import type { Patch } from 'tall-kite/patches/patch';
import { restOf, stretchesOf } from 'tall-kite/patches/rest';

/** What of the stretch is inked: how the area changes, or the larger or the smaller principal stretch. */
export type Measure = 'area' | 'largest' | 'least';

/** A patch as it is painted: all pieces together, on the surface and on the flat. */
export interface ShownPatch {
  positions: Float64Array;
  flat: Float64Array;
  triangles: Uint32Array;
  /** For each triangle logarithms: of its area's change, of its larger and of its smaller principal stretch. */
  logs: Record<Measure, Float32Array>;
  /** For each triangle which of its edges lie on a border: bits 1, 2 and 4. */
  rims: Uint8Array;
}

/** The pieces of a patch laid together, with their stretch. */
export function shownPatch(patch: Patch): ShownPatch {
  const vertices = patch.pieces.reduce((n, p) => n + p.flat.length / 2, 0);
  const count = patch.pieces.reduce((n, p) => n + p.triangles.length / 3, 0);
  const logs = () => new Float32Array(count);
  const out: ShownPatch = {
    positions: new Float64Array(vertices * 3),
    flat: new Float64Array(vertices * 2),
    triangles: new Uint32Array(count * 3),
    logs: { area: logs(), largest: logs(), least: logs() },
    rims: new Uint8Array(count),
  };
  let [v, t] = [0, 0];
  for (const piece of patch.pieces) {
    out.positions.set(piece.surface, v * 3);
    out.flat.set(piece.flat, v * 2);
    const triangles = Uint32Array.from(piece.triangles);
    const made = restOf({ positions: Float64Array.from(piece.surface), triangles });
    const values = 'rest' in made && !piece.exact ? stretchesOf(made.rest, triangles, Float64Array.from(piece.flat)) : null;
    const { across } = edgesOf(triangles, piece.flat.length / 2);
    for (let k = 0; k < triangles.length / 3; k++) {
      for (let i = 0; i < 3; i++) {
        out.triangles[(t + k) * 3 + i] = triangles[k * 3 + i] + v;
        if (across[k * 3 + i] === openEdge) out.rims[t + k] |= 1 << i;
      }
      if (!values) continue;
      const [high, low] = [Math.log(values[2 * k]), Math.log(Math.max(1e-9, values[2 * k + 1]))];
      out.logs.area[t + k] = high + low;
      out.logs.largest[t + k] = high;
      out.logs.least[t + k] = low;
    }
    v += piece.flat.length / 2;
    t += triangles.length / 3;
  }
  return out;
}

/** The largest of the absolute values. */
export function mostOf(logs: Float32Array): number {
  let most = 0;
  for (const v of logs) most = Math.max(most, Math.abs(v));
  return most;
}
