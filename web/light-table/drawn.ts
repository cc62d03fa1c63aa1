import { BufferAttribute, BufferGeometry, LineSegments, type Group, type LineBasicMaterial, type Material, type Mesh } from 'three';

export function triangles(positions: Float32Array, index: Uint32Array): BufferGeometry {
  const geometry = new BufferGeometry();
  geometry.setAttribute('position', new BufferAttribute(positions, 3));
  geometry.setIndex(new BufferAttribute(index, 1));
  return geometry;
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
