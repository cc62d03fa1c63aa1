import type { Mesh } from './mesh.ts';

/**
 * A packed tree of boxes over the triangles of a mesh: four to a node, level above level, no pointers.
 * Source: Kamel and Faloutsos, On packing R-trees, 1993.
 */
export interface Bvh {
  mesh: Mesh;
  /** 6 numbers a box (min xyz, max xyz), rounded outwards: first one a triangle in the tree's order, then the levels above. */
  boxes: Float32Array;
  /** For a triangle's box its number; for a node's box the first of its children. */
  index: Uint32Array;
  /** Where each level ends in `boxes`, the triangles' own first. */
  ends: number[];
}

const width = 4;

/** Builds the tree. O(n log n); about 50 bytes a triangle. */
export function buildBvh(mesh: Mesh): Bvh {
  const { positions: p, triangles: t } = mesh;
  const count = t.length / 3;
  const ends = [count];
  for (let n = count, total = count; n > 1;) {
    n = Math.ceil(n / width);
    total += n;
    ends.push(total);
  }
  const total = ends[ends.length - 1];
  const boxes = new Float32Array(total * 6);
  const index = new Uint32Array(total);
  if (count === 0) return { mesh, boxes, index, ends };
  const whole = [Infinity, Infinity, Infinity, -Infinity, -Infinity, -Infinity];
  for (let i = 0; i < t.length; i++) {
    for (let k = 0; k < 3; k++) {
      const v = p[t[i] * 3 + k];
      if (v < whole[k]) whole[k] = v;
      if (v > whole[k + 3]) whole[k + 3] = v;
    }
  }
  const order = packedOrder(mesh);
  const pad = Math.max(...whole.map(Math.abs)) * 2 ** -22 + 1e-30;
  for (let i = 0; i < count; i++) {
    const tri = order[i];
    const a = t[tri * 3] * 3;
    const b = t[tri * 3 + 1] * 3;
    const c = t[tri * 3 + 2] * 3;
    index[i] = tri;
    for (let k = 0; k < 3; k++) {
      const x = p[a + k];
      const y = p[b + k];
      const z = p[c + k];
      const low = x < y ? (x < z ? x : z) : y < z ? y : z;
      const high = x > y ? (x > z ? x : z) : y > z ? y : z;
      boxes[i * 6 + k] = low - pad;
      boxes[i * 6 + 3 + k] = high + pad;
    }
  }
  let from = 0;
  for (let level = 0; level + 1 < ends.length; level++) {
    const end = ends[level];
    let at = end;
    for (let i = from; i < end; i += width, at++) {
      const o = at * 6;
      const last = Math.min(end, i + width);
      index[at] = i;
      for (let k = 0; k < 6; k++) boxes[o + k] = boxes[i * 6 + k];
      for (let j = i + 1; j < last; j++) {
        for (let k = 0; k < 3; k++) {
          if (boxes[j * 6 + k] < boxes[o + k]) boxes[o + k] = boxes[j * 6 + k];
          if (boxes[j * 6 + 3 + k] > boxes[o + 3 + k]) boxes[o + 3 + k] = boxes[j * 6 + 3 + k];
        }
      }
    }
    from = end;
  }
  return { mesh, boxes, index, ends };
}

/**
 * Triangle numbers in an order in which each node of the packed tree is one cell of a k-d tree: ranges are halved at the
 * middle of their longest side, always at a multiple of what a node of the level below holds.
 * Source: Lee and Lee, OMT: overlap minimizing top-down bulk loading, 2003; selection by Floyd and Rivest, 1975.
 */
function packedOrder(mesh: Mesh): Uint32Array {
  const { positions: p, triangles: t } = mesh;
  const count = t.length / 3;
  const order = new Uint32Array(count);
  const keys = new Float32Array(count * 3);
  for (let i = 0; i < count; i++) {
    order[i] = i;
    const a = t[i * 3] * 3;
    const b = t[i * 3 + 1] * 3;
    const c = t[i * 3 + 2] * 3;
    keys[i * 3] = p[a] + p[b] + p[c];
    keys[i * 3 + 1] = p[a + 1] + p[b + 1] + p[c + 1];
    keys[i * 3 + 2] = p[a + 2] + p[b + 2] + p[c + 2];
  }
  const ranges = [0, count];
  while (ranges.length > 0) {
    const high = ranges.pop()!;
    const low = ranges.pop()!;
    if (high - low <= width) continue;
    let x0 = Infinity;
    let x1 = -Infinity;
    let y0 = Infinity;
    let y1 = -Infinity;
    let z0 = Infinity;
    let z1 = -Infinity;
    for (let i = low; i < high; i++) {
      const x = keys[i * 3];
      const y = keys[i * 3 + 1];
      const z = keys[i * 3 + 2];
      if (x < x0) x0 = x;
      if (x > x1) x1 = x;
      if (y < y0) y0 = y;
      if (y > y1) y1 = y;
      if (z < z0) z0 = z;
      if (z > z1) z1 = z;
    }
    const axis = x1 - x0 >= y1 - y0 && x1 - x0 >= z1 - z0 ? 0 : y1 - y0 >= z1 - z0 ? 1 : 2;
    let unit = width;
    while (unit * width < high - low) unit *= width;
    const middle = low + Math.ceil((high - low) / unit / 2) * unit;
    if (middle >= high) continue;
    select(keys, order, axis, middle, low, high - 1);
    ranges.push(low, middle, middle, high);
  }
  return order;
}

function select(keys: Float32Array, order: Uint32Array, axis: number, k: number, left: number, right: number): void {
  while (right > left) {
    if (right - left > 600) {
      const n = right - left + 1;
      const m = k - left + 1;
      const z = Math.log(n);
      const s = 0.5 * Math.exp((2 * z) / 3);
      const sd = 0.5 * Math.sqrt((z * s * (n - s)) / n) * (m - n / 2 < 0 ? -1 : 1);
      select(keys, order, axis, k, Math.max(left, Math.floor(k - (m * s) / n + sd)), Math.min(right, Math.floor(k + ((n - m) * s) / n + sd)));
    }
    const pivot = keys[k * 3 + axis];
    let i = left;
    let j = right;
    swap(keys, order, left, k);
    if (keys[right * 3 + axis] > pivot) swap(keys, order, left, right);
    while (i < j) {
      swap(keys, order, i, j);
      i++;
      j--;
      while (keys[i * 3 + axis] < pivot) i++;
      while (keys[j * 3 + axis] > pivot) j--;
    }
    if (keys[left * 3 + axis] === pivot) swap(keys, order, left, j);
    else {
      j++;
      swap(keys, order, j, right);
    }
    if (j <= k) left = j + 1;
    if (k <= j) right = j - 1;
  }
}

function swap(keys: Float32Array, order: Uint32Array, i: number, j: number): void {
  const o = order[i];
  order[i] = order[j];
  order[j] = o;
  const a = i * 3;
  const b = j * 3;
  for (let k = 0; k < 3; k++) {
    const v = keys[a + k];
    keys[a + k] = keys[b + k];
    keys[b + k] = v;
  }
}

/** The nearest point of a mesh. Lengths in mm. */
export interface Nearest {
  squared: number;
  triangle: number;
  x: number;
  y: number;
  z: number;
}

const stack = new Int32Array(4096);
const stackDistance = new Float64Array(4096);

function boxDistance(b: Float32Array, o: number, x: number, y: number, z: number): number {
  const dx = x < b[o] ? b[o] - x : x > b[o + 3] ? x - b[o + 3] : 0;
  const dy = y < b[o + 1] ? b[o + 1] - y : y > b[o + 4] ? y - b[o + 4] : 0;
  const dz = z < b[o + 2] ? b[o + 2] - z : z > b[o + 5] ? z - b[o + 5] : 0;
  return dx * dx + dy * dy + dz * dz;
}

/**
 * The nearest point of the mesh to (x, y, z), written into `out`. Nothing farther than `within` (squared, mm2) is looked
 * for: `out.triangle` stays -1 then.
 */
export function nearestOnMesh(bvh: Bvh, x: number, y: number, z: number, out: Nearest, within = Infinity): Nearest {
  out.squared = within;
  out.triangle = -1;
  const { boxes, index, ends } = bvh;
  const leaves = ends[0];
  if (leaves === 0) return out;
  let top = 0;
  stack[top] = ends[ends.length - 1] - 1;
  stackDistance[top++] = 0;
  while (top > 0) {
    const node = stack[--top];
    if (stackDistance[top] >= out.squared) continue;
    if (node < leaves) {
      nearestOnTriangle(bvh.mesh, index[node], x, y, z, out);
      continue;
    }
    const first = index[node];
    const last = Math.min(endOf(ends, first), first + width);
    // Children nearest last, so that they are taken first.
    const base = top;
    for (let child = first; child < last; child++) {
      const d = boxDistance(boxes, child * 6, x, y, z);
      if (d >= out.squared) continue;
      let at = top++;
      while (at > base && stackDistance[at - 1] < d) {
        stack[at] = stack[at - 1];
        stackDistance[at] = stackDistance[at - 1];
        at--;
      }
      stack[at] = child;
      stackDistance[at] = d;
    }
  }
  return out;
}

function endOf(ends: number[], position: number): number {
  let level = 0;
  while (ends[level] <= position) level++;
  return ends[level];
}

const alone: Nearest = { squared: 0, triangle: -1, x: 0, y: 0, z: 0 };

/** The nearest point of a mesh by asking every triangle: for one question, for which no tree is worth being built. */
export function nearestByAsking(mesh: Mesh, [x, y, z]: readonly [number, number, number]): Nearest {
  const out: Nearest = { squared: Infinity, triangle: -1, x, y, z };
  for (let t = 0; t < mesh.triangles.length / 3; t++) nearestOnTriangle(mesh, t, x, y, z, out);
  return out;
}

/** Squared distance of a point from one triangle of a mesh, mm2. */
export function squaredFromTriangle(mesh: Mesh, tri: number, x: number, y: number, z: number): number {
  alone.squared = Infinity;
  nearestOnTriangle(mesh, tri, x, y, z, alone);
  return alone.squared;
}

/** Nearest point of one triangle, kept in `out` when nearer. Source: Ericson, Real-Time Collision Detection, 5.1.5. */
function nearestOnTriangle(mesh: Mesh, tri: number, x: number, y: number, z: number, out: Nearest): void {
  const { positions: p, triangles: t } = mesh;
  const a = t[tri * 3] * 3;
  const b = t[tri * 3 + 1] * 3;
  const c = t[tri * 3 + 2] * 3;
  const ax = p[a];
  const ay = p[a + 1];
  const az = p[a + 2];
  const abx = p[b] - ax;
  const aby = p[b + 1] - ay;
  const abz = p[b + 2] - az;
  const acx = p[c] - ax;
  const acy = p[c + 1] - ay;
  const acz = p[c + 2] - az;
  const apx = x - ax;
  const apy = y - ay;
  const apz = z - az;
  const d1 = abx * apx + aby * apy + abz * apz;
  const d2 = acx * apx + acy * apy + acz * apz;
  let v = 0;
  let w = 0;
  if (!(d1 <= 0 && d2 <= 0)) {
    const ab2 = abx * abx + aby * aby + abz * abz;
    const ac2 = acx * acx + acy * acy + acz * acz;
    const abac = abx * acx + aby * acy + abz * acz;
    const d3 = d1 - ab2;
    const d4 = d2 - abac;
    const d5 = d1 - abac;
    const d6 = d2 - ac2;
    const vc = d1 * d4 - d3 * d2;
    const vb = d5 * d2 - d1 * d6;
    const va = d3 * d6 - d5 * d4;
    if (d3 >= 0 && d4 <= d3) v = 1;
    else if (d6 >= 0 && d5 <= d6) w = 1;
    else if (vc <= 0 && d1 >= 0 && d3 <= 0) v = ab2 > 0 ? d1 / ab2 : 0;
    else if (vb <= 0 && d2 >= 0 && d6 <= 0) w = ac2 > 0 ? d2 / ac2 : 0;
    else if (va <= 0 && d4 - d3 >= 0 && d5 - d6 >= 0) {
      const along = d4 - d3 + (d5 - d6);
      w = along > 0 ? (d4 - d3) / along : 0;
      v = 1 - w;
    } else {
      const sum = va + vb + vc;
      if (sum !== 0) {
        v = vb / sum;
        w = vc / sum;
      }
    }
  }
  const qx = ax + abx * v + acx * w;
  const qy = ay + aby * v + acy * w;
  const qz = az + abz * v + acz * w;
  const squared = (x - qx) ** 2 + (y - qy) ** 2 + (z - qz) ** 2;
  if (squared < out.squared) {
    out.squared = squared;
    out.triangle = tri;
    out.x = qx;
    out.y = qy;
    out.z = qz;
  }
}

/** A hit of a ray: distance in multiples of the direction's length, and the triangle; -1 for none. */
export interface Hit {
  t: number;
  triangle: number;
}

/**
 * Calls `take` for every triangle that a ray from (x, y, z) along (dx, dy, dz) meets between `from` and the distance that
 * `take` returned last (start: `to`). Both sides count. `take` gives the farthest t still of interest.
 * Source of the test: Moeller and Trumbore, Fast, minimum storage ray/triangle intersection, 1997.
 */
export function alongRay(
  bvh: Bvh,
  x: number,
  y: number,
  z: number,
  dx: number,
  dy: number,
  dz: number,
  from: number,
  to: number,
  take: (t: number, triangle: number, facing: number) => number,
): void {
  const { boxes: b, index, ends, mesh } = bvh;
  const { positions: p, triangles: t } = mesh;
  const leaves = ends[0];
  if (leaves === 0) return;
  const ix = 1 / dx;
  const iy = 1 / dy;
  const iz = 1 / dz;
  let top = 0;
  stack[top++] = ends[ends.length - 1] - 1;
  while (top > 0) {
    const node = stack[--top];
    const o = node * 6;
    let near = from;
    let far = to;
    if (dx !== 0) {
      const t1 = (b[o] - x) * ix;
      const t2 = (b[o + 3] - x) * ix;
      near = Math.max(near, Math.min(t1, t2));
      far = Math.min(far, Math.max(t1, t2));
    } else if (x < b[o] || x > b[o + 3]) continue;
    if (dy !== 0) {
      const t1 = (b[o + 1] - y) * iy;
      const t2 = (b[o + 4] - y) * iy;
      near = Math.max(near, Math.min(t1, t2));
      far = Math.min(far, Math.max(t1, t2));
    } else if (y < b[o + 1] || y > b[o + 4]) continue;
    if (dz !== 0) {
      const t1 = (b[o + 2] - z) * iz;
      const t2 = (b[o + 5] - z) * iz;
      near = Math.max(near, Math.min(t1, t2));
      far = Math.min(far, Math.max(t1, t2));
    } else if (z < b[o + 2] || z > b[o + 5]) continue;
    if (near > far * (1 + 1e-6) + 1e-12) continue;
    if (node >= leaves) {
      const first = index[node];
      const last = Math.min(endOf(ends, first), first + width);
      for (let child = first; child < last; child++) stack[top++] = child;
      continue;
    }
    const tri = index[node];
    const i = t[tri * 3] * 3;
    const j = t[tri * 3 + 1] * 3;
    const k = t[tri * 3 + 2] * 3;
    const e1x = p[j] - p[i];
    const e1y = p[j + 1] - p[i + 1];
    const e1z = p[j + 2] - p[i + 2];
    const e2x = p[k] - p[i];
    const e2y = p[k + 1] - p[i + 1];
    const e2z = p[k + 2] - p[i + 2];
    const hx = dy * e2z - dz * e2y;
    const hy = dz * e2x - dx * e2z;
    const hz = dx * e2y - dy * e2x;
    const det = e1x * hx + e1y * hy + e1z * hz;
    if (det === 0) continue;
    const inv = 1 / det;
    const sx = x - p[i];
    const sy = y - p[i + 1];
    const sz = z - p[i + 2];
    const u = (sx * hx + sy * hy + sz * hz) * inv;
    if (u < 0 || u > 1) continue;
    const qx = sy * e1z - sz * e1y;
    const qy = sz * e1x - sx * e1z;
    const qz = sx * e1y - sy * e1x;
    const v = (dx * qx + dy * qy + dz * qz) * inv;
    if (v < 0 || u + v > 1) continue;
    const at = (e2x * qx + e2y * qy + e2z * qz) * inv;
    if (at > from && at < to) to = take(at, tri, det > 0 ? -1 : 1);
  }
}

/**
 * Every pair of triangles of one mesh whose boxes overlap, each once.
 * @param take called with two triangle numbers; returns true to stop.
 */
export function overlappingPairs(bvh: Bvh, take: (a: number, b: number) => boolean | void): void {
  const { boxes, index, ends } = bvh;
  const leaves = ends[0];
  if (leaves === 0) return;
  let pairs = new Int32Array(1 << 16);
  let top = 0;
  const root = ends[ends.length - 1] - 1;
  pairs[top++] = root;
  pairs[top++] = root;
  while (top > 0) {
    const b = pairs[--top];
    const a = pairs[--top];
    if (top + 64 > pairs.length) {
      const more = new Int32Array(pairs.length * 2);
      more.set(pairs);
      pairs = more;
    }
    if (a === b) {
      if (a < leaves) continue;
      const first = index[a];
      const last = Math.min(endOf(ends, first), first + width);
      for (let i = first; i < last; i++) {
        pairs[top++] = i;
        pairs[top++] = i;
        for (let j = i + 1; j < last; j++) {
          if (!boxesMeet(boxes, i * 6, boxes, j * 6)) continue;
          pairs[top++] = i;
          pairs[top++] = j;
        }
      }
      continue;
    }
    if (a < leaves && b < leaves) {
      if (take(index[a], index[b])) return;
      continue;
    }
    // Both stand on one level: the tree is packed, so children of both are looked at together.
    const firstA = a < leaves ? a : index[a];
    const lastA = a < leaves ? a + 1 : Math.min(endOf(ends, firstA), firstA + width);
    const firstB = b < leaves ? b : index[b];
    const lastB = b < leaves ? b + 1 : Math.min(endOf(ends, firstB), firstB + width);
    for (let i = firstA; i < lastA; i++) {
      for (let j = firstB; j < lastB; j++) {
        if (!boxesMeet(boxes, i * 6, boxes, j * 6)) continue;
        pairs[top++] = i;
        pairs[top++] = j;
      }
    }
  }
}

/** Every triangle whose box meets a box (min xyz, max xyz, mm). */
export function trianglesInBox(bvh: Bvh, box: ArrayLike<number>, take: (triangle: number) => void): void {
  const { boxes, index, ends } = bvh;
  const leaves = ends[0];
  if (leaves === 0) return;
  const wanted = Float32Array.from(box);
  for (let k = 0; k < 6; k++) wanted[k] += (k < 3 ? -1 : 1) * (Math.abs(wanted[k]) * 2 ** -22 + 1e-30);
  const stack = [ends[ends.length - 1] - 1];
  while (stack.length > 0) {
    const node = stack.pop()!;
    if (!boxesMeet(wanted, 0, boxes, node * 6)) continue;
    if (node < leaves) take(index[node]);
    else {
      const first = index[node];
      const last = Math.min(endOf(ends, first), first + width);
      for (let j = first; j < last; j++) stack.push(j);
    }
  }
}

function boxesMeet(a: Float32Array, i: number, b: Float32Array, j: number): boolean {
  return a[i] <= b[j + 3] && b[j] <= a[i + 3] && a[i + 1] <= b[j + 4] && b[j + 1] <= a[i + 4] && a[i + 2] <= b[j + 5] && b[j + 2] <= a[i + 5];
}

/**
 * How often a point is wrapped by the mesh, by the signed crossings of one ray: 1 inside a plain solid, 0 outside.
 * The direction is no simple fraction of any axis, so edges are met by accident only.
 */
export function windingAt(bvh: Bvh, x: number, y: number, z: number, skip?: (triangle: number) => boolean): number {
  let winding = 0;
  alongRay(bvh, x, y, z, 0.5773216, 0.5171934, 0.6318047, 0, Infinity, (_t, tri, facing) => {
    if (!skip?.(tri)) winding += facing;
    return Infinity;
  });
  return winding;
}
