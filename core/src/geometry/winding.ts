import { childrenEnd, type Bvh } from './bvh/build.ts';
import type { Mesh } from './mesh.ts';
import { Triangle } from './triangle.ts';
import type { Vec3 } from './vector.ts';

/** A tree with, for every node, the area-weighted normals of the triangles below it: what far away is seen as one dipole. */
export interface WindingTree {
  bvh: Bvh;
  /** 7 numbers a box of the tree: middle xyz (weighted by area), sum of area normals xyz, radius. */
  dipoles: Float64Array;
}

/** A node farther away than this many of its radii counts as one dipole; the error of a node is then below 1 / (4 beta^3). */
const beta = 3;

/**
 * Sums that make winding numbers quick. O(n).
 * Source: Barill, Dickson, Schmidt, Levin and Jacobson, Fast winding numbers for soups and clouds, 2018.
 */
export function windingTree(bvh: Bvh): WindingTree {
  const { boxes, index, ends } = bvh;
  const tri = new Triangle(bvh.mesh);
  const total = ends[ends.length - 1];
  const out = new Float64Array(total * 7);
  const areas = new Float64Array(total);
  const leaves = ends[0];
  for (let i = 0; i < leaves; i++) {
    const { nx, ny, nz } = tri.at(index[i]);
    const o = i * 7;
    out[o] = tri.x(1 / 3, 1 / 3);
    out[o + 1] = tri.y(1 / 3, 1 / 3);
    out[o + 2] = tri.z(1 / 3, 1 / 3);
    out[o + 3] = nx / 2;
    out[o + 4] = ny / 2;
    out[o + 5] = nz / 2;
    areas[i] = tri.twice() / 2;
  }
  let from = leaves;
  for (let level = 1; level < ends.length; level++) {
    for (let node = from; node < ends[level]; node++) {
      const first = index[node];
      const last = childrenEnd(bvh, node);
      const o = node * 7;
      let area = 0;
      for (let j = first; j < last; j++) {
        area += areas[j];
        for (let k = 0; k < 3; k++) {
          out[o + k] += areas[j] * out[j * 7 + k];
          out[o + 3 + k] += out[j * 7 + 3 + k];
        }
      }
      areas[node] = area;
      for (let k = 0; k < 3; k++) out[o + k] = area > 0 ? out[o + k] / area : (boxes[node * 6 + k] + boxes[node * 6 + 3 + k]) / 2;
    }
    from = ends[level];
  }
  for (let node = 0; node < total; node++) {
    let far = 0;
    for (let k = 0; k < 3; k++) {
      const middle = out[node * 7 + k];
      far += Math.max(middle - boxes[node * 6 + k], boxes[node * 6 + 3 + k] - middle) ** 2;
    }
    out[node * 7 + 6] = Math.sqrt(far);
  }
  return { bvh, dipoles: out };
}

const stack = new Int32Array(4096);

/**
 * The winding number of a point: 1 inside a closed solid, 0 outside, something between near the holes of an open one; shells
 * in shells add up. Works on any triangles. About O(log n) a point.
 * Sources: Jacobson, Kavan and Sorkine-Hornung, Robust inside-outside segmentation, 2013; Van Oosterom and Strackee, The solid
 * angle of a plane triangle, 1983.
 *
 * @example windingNumber(windingTree(buildBvh(box)), [5, 5, 5]) // 1
 */
export function windingNumber(tree: WindingTree, at: Readonly<Vec3>): number {
  const [x, y, z] = at;
  const { dipoles: d, bvh } = tree;
  const { index, ends } = bvh;
  const leaves = ends[0];
  if (leaves === 0) return 0;
  let top = 0;
  let sum = 0;
  stack[top++] = ends[ends.length - 1] - 1;
  while (top > 0) {
    const node = stack[--top];
    if (node < leaves) {
      sum += solidAngle(bvh.mesh, index[node], at);
      continue;
    }
    const o = node * 7;
    const rx = d[o] - x;
    const ry = d[o + 1] - y;
    const rz = d[o + 2] - z;
    const r2 = rx * rx + ry * ry + rz * rz;
    const reach = beta * d[o + 6];
    if (r2 > reach * reach) {
      sum += (rx * d[o + 3] + ry * d[o + 4] + rz * d[o + 5]) / (r2 * Math.sqrt(r2));
      continue;
    }
    const first = index[node];
    const last = childrenEnd(bvh, node);
    for (let j = first; j < last; j++) stack[top++] = j;
  }
  return sum / (4 * Math.PI);
}

/** The solid angle of a triangle as seen from a place, signed: its front counts positive from behind. */
function solidAngle({ positions: p, triangles: t }: Mesh, tri: number, [x, y, z]: Readonly<Vec3>): number {
  const a = t[tri * 3] * 3;
  const b = t[tri * 3 + 1] * 3;
  const c = t[tri * 3 + 2] * 3;
  const ax = p[a] - x;
  const ay = p[a + 1] - y;
  const az = p[a + 2] - z;
  const bx = p[b] - x;
  const by = p[b + 1] - y;
  const bz = p[b + 2] - z;
  const cx = p[c] - x;
  const cy = p[c + 1] - y;
  const cz = p[c + 2] - z;
  const la = Math.sqrt(ax * ax + ay * ay + az * az);
  const lb = Math.sqrt(bx * bx + by * by + bz * bz);
  const lc = Math.sqrt(cx * cx + cy * cy + cz * cz);
  const det = ax * (by * cz - bz * cy) + ay * (bz * cx - bx * cz) + az * (bx * cy - by * cx);
  const below = la * lb * lc + (ax * bx + ay * by + az * bz) * lc + (bx * cx + by * cy + bz * cz) * la + (cx * ax + cy * ay + cz * az) * lb;
  return 2 * Math.atan2(det, below);
}
