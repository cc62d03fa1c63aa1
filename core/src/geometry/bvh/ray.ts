import type { Mesh } from '../mesh.ts';
import { RayMeeting } from '../ray-meeting.ts';
import type { Vec3 } from '../vector.ts';
import { childrenEnd, type Bvh } from './build.ts';

/** A ray: where it begins (mm), its direction of any length, and between which multiples of that length a hit counts (0 to Infinity when not said). */
export interface Ray {
  from: Readonly<Vec3>;
  along: Readonly<Vec3>;
  start?: number;
  end?: number;
}

/** Told of each hit: how far along the ray, the triangle, and 1 when its front is met from behind, -1 from the front. @returns the farthest hit still of interest */
export type TakeHit = (at: number, triangle: number, facing: 1 | -1) => number;

/** Nodes still to be looked at, of all rays under way: one that is asked while another's hit is taken goes on above it. */
let nodes = new Int32Array(512);
let used = 0;

/**
 * Calls `take` for every triangle that a ray meets between its start and the distance that `take` returned last (first:
 * its end). Both sides of a triangle count. Other questions may be asked within `take`.
 * @example alongRay(buildBvh(box), { from: [5, 5, 20], along: [0, 0, -1] }, (at) => (first = at)) // first: 10, of a box 10 mm high
 */
export function alongRay(bvh: Bvh, ray: Ray, take: TakeHit): void {
  const { index, ends } = bvh;
  const leaves = ends[0];
  if (leaves === 0) return;
  const base = used;
  const cast = new Cast(ray);
  push(ends[ends.length - 1] - 1);
  try {
    while (used > base) {
      const node = nodes[--used];
      if (!cast.meetsBox(bvh.boxes, node * 6)) continue;
      if (node >= leaves) {
        const last = childrenEnd(bvh, node);
        for (let child = index[node]; child < last; child++) push(child);
      } else if (cast.meetsWithin(bvh.mesh, index[node])) cast.end = take(cast.at, index[node], cast.facing);
    }
  } finally {
    used = base;
  }
}

function push(node: number): void {
  if (used === nodes.length) {
    const more = new Int32Array(used * 2);
    more.set(nodes);
    nodes = more;
  }
  nodes[used++] = node;
}

/** Stands for 0 in a direction, so that the way to a wall along that axis is huge, or 0, but always a number. */
const almostNone = 1e-300;

/** One ray on its way: what of it still counts, and the hit found last. */
class Cast extends RayMeeting {
  end: number;
  private readonly start: number;
  private readonly ix: number;
  private readonly iy: number;
  private readonly iz: number;

  constructor({ from, along, start = 0, end = Infinity }: Ray) {
    super(from, along);
    this.ix = 1 / (this.dx || almostNone);
    this.iy = 1 / (this.dy || almostNone);
    this.iz = 1 / (this.dz || almostNone);
    this.start = start;
    this.end = end;
  }

  /** Whether the ray passes a box within what counts of it, with a little to spare for rounding. Source: Kay and Kajiya, Ray tracing complex scenes, 1986. */
  meetsBox(b: Float32Array, o: number): boolean {
    const x1 = (b[o] - this.x) * this.ix;
    const x2 = (b[o + 3] - this.x) * this.ix;
    const y1 = (b[o + 1] - this.y) * this.iy;
    const y2 = (b[o + 4] - this.y) * this.iy;
    const z1 = (b[o + 2] - this.z) * this.iz;
    const z2 = (b[o + 5] - this.z) * this.iz;
    const near = Math.max(this.start, Math.min(x1, x2), Math.min(y1, y2), Math.min(z1, z2));
    const far = Math.min(this.end, Math.max(x1, x2), Math.max(y1, y2), Math.max(z1, z2));
    return !(near > far * (1 + 1e-6) + 1e-12);
  }

  /** Whether the ray meets a triangle within what counts of it; where and from which side stay in `at` and `facing`. */
  meetsWithin({ positions, triangles }: Mesh, tri: number): boolean {
    return this.meets(positions, triangles, tri) && this.at > this.start && this.at < this.end;
  }
}

/** No simple fraction of any axis, so that edges are met by accident only. */
const oblique: Vec3 = [0.5773216, 0.5171934, 0.6318047];

/**
 * How often a place is wrapped by the mesh, by the signed crossings of one ray: 1 inside a plain solid, 0 outside.
 * @param skip triangles that don't count
 * @example windingAt(buildBvh(box), [5, 5, 5]) // 1
 */
export function windingAt(bvh: Bvh, at: Readonly<Vec3>, skip?: (triangle: number) => boolean): number {
  let winding = 0;
  alongRay(bvh, { from: at, along: oblique }, (_at, triangle, facing) => {
    if (!skip?.(triangle)) winding += facing;
    return Infinity;
  });
  return winding;
}
