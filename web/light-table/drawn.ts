import {
  BufferAttribute,
  BufferGeometry,
  LineSegments,
  Matrix4,
  Ray,
  Sphere,
  Vector3,
  type Group,
  type LineBasicMaterial,
  type Material,
  type Mesh,
  type Raycaster,
} from 'three';
import { boxOf, farthest } from 'tall-kite/geometry/box';
import type { Vec3 } from 'tall-kite/geometry/vector';
import { onRay } from 'tall-kite/view/ray';

export function triangles(positions: Float32Array, index: Uint32Array): BufferGeometry {
  const geometry = new BufferGeometry();
  geometry.setAttribute('position', new BufferAttribute(positions, 3));
  geometry.setIndex(new BufferAttribute(index, 1));
  const { min, max } = boxOf(positions);
  const centre = min.map((v, k) => (v + max[k]) / 2) as Vec3;
  geometry.boundingSphere = positions.length > 0 ? new Sphere(new Vector3(...centre), farthest(positions, centre)) : new Sphere();
  return geometry;
}

/** Where a ray meets a body. */
export interface Struck {
  body: Mesh;
  triangle: number;
  distance: number;
  /** On the table. */
  point: Vector3;
}

/** Where a ray of the table meets bodies, nearest first; a body that is not shown is met all the same. */
export function struckBy({ ray }: Raycaster, bodies: readonly Mesh[]): Struck[] {
  const struck = bodies.flatMap((body) => {
    const own = new Ray().copy(ray).applyMatrix4(new Matrix4().copy(body.matrixWorld).invert());
    const mesh = { positions: body.geometry.getAttribute('position').array, triangles: body.geometry.index!.array };
    return onRay(mesh, own.origin.toArray(), own.direction.toArray()).map(({ t, triangle }) => {
      const point = own.at(t, new Vector3()).applyMatrix4(body.matrixWorld);
      return { body, triangle, point, distance: ray.origin.distanceTo(point) };
    });
  });
  return struck.sort((one, other) => one.distance - other.distance);
}

/** Outward normal of a triangle of a body, in its own coordinates. */
export function normalAt({ body, triangle }: Struck): Vector3 {
  const positions = body.geometry.getAttribute('position');
  const [a, b, c] = [0, 1, 2].map((k) => new Vector3().fromBufferAttribute(positions, body.geometry.index!.array[triangle * 3 + k]));
  return b.sub(a).cross(c.sub(a)).normalize();
}

export function lines(points: Float32Array, material: LineBasicMaterial): LineSegments {
  const geometry = new BufferGeometry();
  geometry.setAttribute('position', new BufferAttribute(points, 3));
  const drawn = new LineSegments(geometry, material);
  drawn.renderOrder = 1;
  return drawn;
}

/** Edges of all triangles, one that two triangles share once. Of the borders, which are drawn by themselves, only those that run up are among them. */
export function wireGeometry(geometry: BufferGeometry): BufferGeometry {
  const index = geometry.index!.array;
  // A triangle's three sides can't all run up: two at most.
  const out = new Uint32Array((index.length / 3) * 4);
  let n = 0;
  for (let i = 0; i < index.length; i += 3) {
    let from = index[i + 2];
    for (let k = 0; k < 3; k++) {
      const to = index[i + k];
      if (from < to) {
        out[n++] = from;
        out[n++] = to;
      }
      from = to;
    }
  }
  const wires = new BufferGeometry();
  wires.setAttribute('position', geometry.getAttribute('position'));
  wires.setIndex(new BufferAttribute(out.subarray(0, n), 1));
  wires.boundingSphere = geometry.boundingSphere;
  return wires;
}

export function clear(group: Group): void {
  for (const child of [...group.children]) {
    group.remove(child);
    dispose(child as Mesh);
  }
}

export function dispose(object: Mesh): void {
  object.geometry?.dispose();
  (object.material as Material | undefined)?.dispose?.();
}
