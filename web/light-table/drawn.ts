import {
  BufferAttribute,
  BufferGeometry,
  LineSegments,
  Matrix4,
  Ray,
  Vector3,
  type Group,
  type Intersection,
  type LineBasicMaterial,
  type Material,
  type Mesh,
  type Raycaster,
} from 'three';
import { onRay } from 'tall-kite/view/ray';

export function triangles(positions: Float32Array, index: Uint32Array): BufferGeometry {
  const geometry = new BufferGeometry();
  geometry.setAttribute('position', new BufferAttribute(positions, 3));
  geometry.setIndex(new BufferAttribute(index, 1));
  return geometry;
}

/** Where a ray meets a mesh, without a tree: for picking by clicks. Set as the mesh's own way to be picked. */
export function plainRaycast(this: Mesh, raycaster: Raycaster, found: Intersection[]): void {
  const ray = new Ray().copy(raycaster.ray).applyMatrix4(new Matrix4().copy(this.matrixWorld).invert());
  const positions = this.geometry.getAttribute('position').array;
  for (const { t, triangle } of onRay({ positions, triangles: this.geometry.index!.array }, ray.origin.toArray(), ray.direction.toArray())) {
    const point = ray.at(t, new Vector3()).applyMatrix4(this.matrixWorld);
    found.push({ distance: raycaster.ray.origin.distanceTo(point), point, object: this, faceIndex: triangle });
  }
}

export function lines(points: Float32Array, material: LineBasicMaterial): LineSegments {
  const geometry = new BufferGeometry();
  geometry.setAttribute('position', new BufferAttribute(points, 3));
  const drawn = new LineSegments(geometry, material);
  drawn.renderOrder = 1;
  return drawn;
}

/** Every edge of every triangle once. */
export function wireGeometry(geometry: BufferGeometry): BufferGeometry {
  const index = geometry.index!.array;
  const out: number[] = [];
  for (let i = 0; i < index.length; i += 3) {
    for (let k = 0; k < 3; k++) {
      const [a, b] = [index[i + k], index[i + ((k + 1) % 3)]];
      if (a < b) out.push(a, b);
    }
  }
  const wires = new BufferGeometry();
  wires.setAttribute('position', geometry.getAttribute('position'));
  wires.setIndex(out);
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
