import { edgesOf } from '../geometry/edges.ts';
import { crossOfTriangle } from '../geometry/triangle.ts';
import type { Mesh } from '../geometry/mesh.ts';
import { lengthOf } from '../geometry/vector.ts';

/**
 * Faces of a mesh: triangles that run on into each other without an edge that turns more than `crease`, numbered by their first triangle.
 * @param crease degrees
 */
export function facesOfMesh({ positions, triangles }: Mesh, crease: number): Int32Array {
  const count = triangles.length / 3;
  const { across } = edgesOf(triangles, positions.length / 3);
  const normals = new Float64Array(count * 3);
  for (let t = 0; t < count; t++) {
    const n = crossOfTriangle({ positions, triangles }, t);
    const l = lengthOf(n) || 1;
    normals.set([n[0] / l, n[1] / l, n[2] / l], t * 3);
  }
  const least = Math.cos((crease * Math.PI) / 180);
  const face = new Int32Array(count).fill(-1);
  let next = 0;
  const stack: number[] = [];
  for (let first = 0; first < count; first++) {
    if (face[first] >= 0) continue;
    face[first] = next;
    stack.push(first);
    while (stack.length > 0) {
      const t = stack.pop()!;
      for (let k = 0; k < 3; k++) {
        const other = across[t * 3 + k];
        if (other < 0) continue;
        const o = (other / 3) | 0;
        const turn = normals[t * 3] * normals[o * 3] + normals[t * 3 + 1] * normals[o * 3 + 1] + normals[t * 3 + 2] * normals[o * 3 + 2];
        if (face[o] < 0 && turn >= least) {
          face[o] = next;
          stack.push(o);
        }
      }
    }
    next++;
  }
  return face;
}

/** The part as triangles with the face of each, for a look and for choosing. */
export interface Faced {
  mesh: Mesh;
  face: Int32Array;
  faces: number;
}

export function facedMesh(mesh: Mesh, crease: number): Faced {
  const face = facesOfMesh(mesh, crease);
  let faces = 0;
  for (const f of face) faces = Math.max(faces, f + 1);
  return { mesh, face, faces };
}

/** Some triangles of a surface, with their own points. */
export function someTriangles({ mesh, face }: Pick<Faced, 'mesh' | 'face'>, taken: (triangle: number) => boolean): { mesh: Mesh; face: Int32Array } {
  const name = new Int32Array(mesh.positions.length / 3).fill(-1);
  const triangles: number[] = [];
  const faces: number[] = [];
  const positions: number[] = [];
  for (let t = 0; t < face.length; t++) {
    if (!taken(t)) continue;
    faces.push(face[t]);
    for (let k = 0; k < 3; k++) {
      const v = mesh.triangles[t * 3 + k];
      if (name[v] < 0) {
        name[v] = positions.length / 3;
        positions.push(mesh.positions[v * 3], mesh.positions[v * 3 + 1], mesh.positions[v * 3 + 2]);
      }
      triangles.push(name[v]);
    }
  }
  return { mesh: { positions: Float64Array.from(positions), triangles: Uint32Array.from(triangles) }, face: Int32Array.from(faces) };
}
