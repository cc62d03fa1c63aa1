import { childrenEnd, type Bvh } from './build.ts';

/**
 * Every pair of triangles of one mesh whose boxes overlap, each once.
 * @param take called with two triangle numbers; returns true to stop.
 * @example overlappingPairs(buildBvh(mesh), (a, b) => void pairs.push([a, b]))
 */
export function overlappingPairs(bvh: Bvh, take: (a: number, b: number) => boolean | void): void {
  const { index, ends } = bvh;
  const leaves = ends[0];
  if (leaves === 0) return;
  const root = ends[ends.length - 1] - 1;
  const open = new Pairs(bvh);
  open.push(root, root);
  while (open.top > 0) {
    const b = open.nodes[--open.top];
    const a = open.nodes[--open.top];
    if (a === b) {
      if (a >= leaves) open.within(a);
    } else if (a < leaves && b < leaves) {
      if (take(index[a], index[b])) return;
    } else open.between(a, b);
  }
}

/** The pairs of nodes still to be looked at. */
class Pairs {
  nodes = new Int32Array(1 << 12);
  top = 0;
  private readonly bvh: Bvh;

  constructor(bvh: Bvh) {
    this.bvh = bvh;
  }

  push(a: number, b: number): void {
    if (this.top + 2 > this.nodes.length) {
      const more = new Int32Array(this.nodes.length * 2);
      more.set(this.nodes);
      this.nodes = more;
    }
    this.nodes[this.top++] = a;
    this.nodes[this.top++] = b;
  }

  /** The pairs among a node's children, each with itself too. */
  within(node: number): void {
    const { boxes, index } = this.bvh;
    const last = childrenEnd(this.bvh, node);
    for (let i = index[node]; i < last; i++) {
      this.push(i, i);
      for (let j = i + 1; j < last; j++) if (boxesMeet(boxes, i * 6, boxes, j * 6)) this.push(i, j);
    }
  }

  /** The pairs of two nodes' children. Both stand on one level: the tree is packed, so children of both are looked at together. */
  between(a: number, b: number): void {
    const { boxes, index, ends } = this.bvh;
    const firstA = a < ends[0] ? a : index[a];
    const lastA = a < ends[0] ? a + 1 : childrenEnd(this.bvh, a);
    const firstB = b < ends[0] ? b : index[b];
    const lastB = b < ends[0] ? b + 1 : childrenEnd(this.bvh, b);
    for (let i = firstA; i < lastA; i++) {
      for (let j = firstB; j < lastB; j++) if (boxesMeet(boxes, i * 6, boxes, j * 6)) this.push(i, j);
    }
  }
}

/**
 * Every triangle whose box meets a box (min xyz, max xyz, mm).
 * @example trianglesInBox(buildBvh(mesh), [0, 0, 0, 10, 10, 10], (t) => found.push(t))
 */
export function trianglesInBox(bvh: Bvh, box: ArrayLike<number>, take: (triangle: number) => void): void {
  const { boxes, index, ends } = bvh;
  const leaves = ends[0];
  if (leaves === 0) return;
  const wanted = Float32Array.from(box);
  for (let k = 0; k < 6; k++) wanted[k] += (k < 3 ? -1 : 1) * (Math.abs(wanted[k]) * 2 ** -22 + 1e-30);
  const open = [ends[ends.length - 1] - 1];
  while (open.length > 0) {
    const node = open.pop()!;
    if (!boxesMeet(wanted, 0, boxes, node * 6)) continue;
    if (node < leaves) take(index[node]);
    else {
      const last = childrenEnd(bvh, node);
      for (let child = index[node]; child < last; child++) open.push(child);
    }
  }
}

function boxesMeet(a: Float32Array, i: number, b: Float32Array, j: number): boolean {
  return a[i] <= b[j + 3] && b[j] <= a[i + 3] && a[i + 1] <= b[j + 4] && b[j + 1] <= a[i + 4] && a[i + 2] <= b[j + 5] && b[j + 2] <= a[i + 5];
}
