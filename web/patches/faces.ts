import { edgesOf, openEdge } from 'tall-kite/geometry/edges';
import { facedMesh } from 'tall-kite/patches/faced';
import type { View } from 'tall-kite/view/view';

/** Faces of a part as it is drawn, for choosing. */
export interface FacesSeen {
  positions: ArrayLike<number>;
  triangles: Uint32Array;
  /** The face of each triangle, from 0. */
  face: Int32Array;
  count: number;
  /** For each triangle which of its edges lie between two faces or on a border: bits 1, 2 and 4. */
  rims: Uint8Array;
  /** It encloses something: what is turned away is not seen. */
  closed: boolean;
}

function rimsOf(triangles: Uint32Array, face: Int32Array, vertices: number): Uint8Array {
  const { across } = edgesOf(triangles, vertices);
  return Uint8Array.from(face, (f, t) => {
    let bits = 0;
    for (let i = 0; i < 3; i++) {
      const other = across[t * 3 + i];
      if (other < 0 || face[(other / 3) | 0] !== f) bits |= 1 << i;
    }
    return bits;
  });
}

/** Faces of a solid as the kernel numbers them; of a mesh what its creases part. */
export function facesSeen(view: View, crease: number): FacesSeen {
  const { positions, triangles, starts } = view;
  if (starts.length > 1) {
    const face = new Int32Array(triangles.length / 3);
    for (let f = 0; f + 1 < starts.length; f++) face.fill(f, starts[f], starts[f + 1]);
    return { positions, triangles, face, count: starts.length - 1, rims: rimsOf(triangles, face, positions.length / 3), closed: true };
  }
  const { face, faces } = facedMesh({ positions: Float64Array.from(positions), triangles }, crease);
  const closed = !edgesOf(triangles, positions.length / 3).across.includes(openEdge);
  return { positions, triangles, face, count: faces, rims: rimsOf(triangles, face, positions.length / 3), closed };
}
