import type { Edges } from './edges.ts';
import type { Mesh } from './mesh.ts';
import { add, cross, dot, lengthOf, scaled, sub, unit, type Vec3 } from './vector.ts';
import { crossOfTriangle, vertexOf } from './triangle.ts';

/**
 * Connected triangles in one plane get one number. Begins at the largest, so that planes are not set by slivers.
 * @param near how far corners may lie from a plane, mm
 */
export function flatRegions(mesh: Mesh, edges: Edges, near: number): Int32Array {
  const count = mesh.triangles.length / 3;
  const label = new Int32Array(count).fill(-1);
  const normals = Array.from({ length: count }, (_, t) => crossOfTriangle(mesh, t));
  const sizes = normals.map(lengthOf);
  const order = sizes.map((_, t) => t).sort((a, b) => sizes[b] - sizes[a]);
  let next = 0;
  for (const seed of order) {
    if (label[seed] >= 0) continue;
    const n = unit(normals[seed]);
    const at = vertexOf(mesh, mesh.triangles[seed * 3]);
    const stack = [seed];
    label[seed] = next;
    while (stack.length > 0) {
      const t = stack.pop()!;
      for (let k = 0; k < 3; k++) {
        const other = edges.across[t * 3 + k];
        if (other < 0) continue;
        const u = Math.floor(other / 3);
        if (label[u] >= 0) continue;
        let flat = sizes[u] < near * near || dot(normals[u], n) > 0.999 * sizes[u];
        for (let c = 0; c < 3 && flat; c++) flat = Math.abs(dot(sub(vertexOf(mesh, mesh.triangles[u * 3 + c]), at), n)) <= near;
        if (!flat) continue;
        label[u] = next;
        stack.push(u);
      }
    }
    next++;
  }
  return label;
}

/** The triangles of each number. */
export function listsOf(label: Int32Array): number[][] {
  const lists: number[][] = [];
  label.forEach((r, t) => (lists[r] ??= []).push(t));
  return lists;
}

/** The plane of some triangles: mean normal and middle by area. */
export function planeOf(mesh: Mesh, list: number[]): { kind: 'plane'; frame: { at: Vec3; x: Vec3; y: Vec3; z: Vec3 } } {
  let n: Vec3 = [0, 0, 0];
  let at: Vec3 = [0, 0, 0];
  let sum = 0;
  for (const t of list) {
    const c = crossOfTriangle(mesh, t);
    const a = lengthOf(c);
    n = add(n, c);
    for (let k = 0; k < 3; k++) at = add(at, scaled(vertexOf(mesh, mesh.triangles[t * 3 + k]), a / 3));
    sum += a;
  }
  const z = unit(n);
  const side: Vec3 = Math.abs(z[0]) < 0.6 ? [1, 0, 0] : [0, 1, 0];
  const x = unit(cross(side, z));
  return { kind: 'plane', frame: { at: sum > 0 ? scaled(at, 1 / sum) : vertexOf(mesh, mesh.triangles[list[0] * 3]), x, y: cross(z, x), z } };
}
