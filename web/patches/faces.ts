import { facedMesh } from 'tall-kite/patches/faced';
import type { View } from 'tall-kite/view/view';

/** Faces of a part as it is drawn, for choosing. */
export interface FacesSeen {
  positions: ArrayLike<number>;
  triangles: Uint32Array;
  /** The face of each triangle, from 0. */
  face: Int32Array;
  count: number;
}

/** Faces of a solid as the kernel numbers them; of a mesh what its creases part. */
export function facesSeen(view: View, crease: number): FacesSeen {
  const { positions, triangles, starts } = view;
  if (starts.length > 1) {
    const face = new Int32Array(triangles.length / 3);
    for (let f = 0; f + 1 < starts.length; f++) face.fill(f, starts[f], starts[f + 1]);
    return { positions, triangles, face, count: starts.length - 1 };
  }
  const { face, faces } = facedMesh({ positions: Float64Array.from(positions), triangles }, crease);
  return { positions, triangles, face, count: faces };
}
