import { boxOf } from '../geometry/box.ts';
import { edgesOf, nextCorner } from '../geometry/edges.ts';
import type { Mesh } from '../geometry/mesh.ts';

/** One layer's contours: outer ones counter-clockwise, holes clockwise. Lengths in mm. */
export interface Layer {
  z: number;
  /** xy of all points, contour after contour. */
  points: Float64Array;
  /** First point of each contour, and the number of points at the end. */
  starts: Uint32Array;
  /** Whether each contour closes. */
  closed: Uint8Array;
  /** Enclosed area, holes taken off, of closed contours only, mm2. */
  area: number;
}

/**
 * Slices a mesh at the middle of each layer. Contours are followed from triangle to triangle over their common edges, so
 * they close exactly where the mesh is closed, whatever the rounding; a vertex on the plane counts as above it.
 * O(triangles + segments): each layer looks only at the triangles that reach it.
 *
 * @param height of a layer, mm. The first plane is half a layer above the lowest point.
 * @param progress called with 0..1; true gives up, and null is returned.
 */
export function sliceMesh(mesh: Mesh, height: number, progress: (share: number) => boolean | void = () => {}): Layer[] | null {
  const box = boxOf(mesh.positions);
  const bottom = box.min[2];
  const count = Math.max(0, Math.ceil((box.max[2] - bottom) / height - 1e-6));
  const planeOf = (k: number) => bottom + (k + 0.5) * height;
  const { order, start, last } = byFirstPlane(mesh, { bottom, height, count, planeOf });
  const tracer = new Tracer(mesh);
  let active = new Uint32Array(1024);
  let size = 0;
  const layers: Layer[] = [];
  for (let k = 0; k < count; k++) {
    if (k % 16 === 0 && progress(k / count) === true) return null;
    // Those that end before this layer leave, those that begin here join.
    let kept = 0;
    for (let i = 0; i < size; i++) if (last[active[i]] >= k) active[kept++] = active[i];
    size = kept;
    const end = k + 1 < count ? start[k + 1] : order.length;
    if (size + end - start[k] > active.length) {
      const more = new Uint32Array((size + end - start[k]) * 2);
      more.set(active.subarray(0, size));
      active = more;
    }
    for (let i = start[k]; i < end; i++) active[size++] = order[i];
    layers.push(tracer.layerAt(planeOf(k), k, active.subarray(0, size)));
  }
  return layers;
}

/** Planes one above the other. */
interface Planes {
  bottom: number;
  height: number;
  count: number;
  planeOf: (k: number) => number;
}

/** Triangles by the first plane that they reach (counting sort), where those of each plane begin, and the last plane of each triangle. */
function byFirstPlane(
  { positions: p, triangles: t }: Mesh,
  { bottom, height, count, planeOf }: Planes,
): { order: Uint32Array; start: Uint32Array; last: Int32Array } {
  const triangles = t.length / 3;
  const first = new Int32Array(triangles);
  const last = new Int32Array(triangles);
  const start = new Uint32Array(count + 1);
  for (let i = 0; i < triangles; i++) {
    const z0 = p[t[i * 3] * 3 + 2];
    const z1 = p[t[i * 3 + 1] * 3 + 2];
    const z2 = p[t[i * 3 + 2] * 3 + 2];
    const low = Math.min(z0, z1, z2);
    const high = Math.max(z0, z1, z2);
    // Planes with low < z <= high, since a vertex on the plane is above it.
    let a = Math.max(0, Math.floor((low - bottom) / height - 0.5) - 1);
    while (a < count && planeOf(a) <= low) a++;
    let b = Math.min(count - 1, Math.ceil((high - bottom) / height - 0.5) + 1);
    while (b >= 0 && planeOf(b) > high) b--;
    first[i] = a;
    last[i] = b;
    if (a <= b) start[a + 1]++;
  }
  for (let k = 0; k < count; k++) start[k + 1] += start[k];
  const order = new Uint32Array(start[count]);
  const fill = start.slice(0, count);
  for (let i = 0; i < triangles; i++) if (first[i] <= last[i]) order[fill[first[i]]++] = i;
  return { order, start, last };
}

/** Follows contours in a plane from triangle to triangle. */
class Tracer {
  private readonly p: Float64Array;
  private readonly t: Uint32Array;
  private readonly across: Int32Array;
  /** The layer that each triangle was last followed in. */
  private readonly done: Int32Array;
  private values = new Float64Array(4096);
  private length = 0;
  private z = 0;
  private k = 0;

  constructor({ positions, triangles }: Mesh) {
    this.p = positions;
    this.t = triangles;
    this.across = edgesOf(triangles, positions.length / 3).across;
    this.done = new Int32Array(triangles.length / 3).fill(-1);
  }

  /** One layer. @param active the triangles that reach its plane */
  layerAt(z: number, k: number, active: Uint32Array): Layer {
    const { done, across } = this;
    this.z = z;
    this.k = k;
    this.length = 0;
    const starts: number[] = [];
    const closed: number[] = [];
    let area = 0;
    const follow = (tri: number, begin: number) => {
      const from = this.length / 2;
      starts.push(from);
      const closes = this.follow(tri, begin);
      closed.push(closes ? 1 : 0);
      if (closes) area += enclosed(this.values, from, this.length / 2);
    };
    // Open ends first, so that an open contour is followed whole.
    for (const tri of active) {
      if (done[tri] === k) continue;
      const down = this.edgeThrough(tri, false);
      if (down < 0) {
        done[tri] = k;
        continue;
      }
      const other = across[down];
      if (other < 0 || this.edgeThrough((other / 3) | 0, true) !== other) follow(tri, down);
    }
    for (const tri of active) if (done[tri] !== k) follow(tri, this.edgeThrough(tri, false));
    starts.push(this.length / 2);
    return { z, points: this.values.slice(0, this.length), starts: Uint32Array.from(starts), closed: Uint8Array.from(closed), area };
  }

  private above(c: number): boolean {
    return this.p[this.t[c] * 3 + 2] >= this.z;
  }

  /** The corner at which the edge of a triangle that goes up through the plane starts, or the one that goes down; -1 for none. */
  private edgeThrough(tri: number, up: boolean): number {
    for (let c = tri * 3; c < tri * 3 + 3; c++) if (this.above(c) !== up && this.above(nextCorner(c)) === up) return c;
    return -1;
  }

  /** Where an edge goes through the plane. */
  private push(c: number): void {
    const { p, t } = this;
    const a = t[c] * 3;
    const b = t[nextCorner(c)] * 3;
    // Always from the lower vertex number, so that both triangles of an edge give the same point.
    const [u, v] = a < b ? [a, b] : [b, a];
    const s = (this.z - p[u + 2]) / (p[v + 2] - p[u + 2]);
    if (this.length + 2 > this.values.length) {
      const more = new Float64Array(this.values.length * 2);
      more.set(this.values);
      this.values = more;
    }
    this.values[this.length++] = p[u] + s * (p[v] - p[u]);
    this.values[this.length++] = p[u + 1] + s * (p[v + 1] - p[u + 1]);
  }

  /** A contour from a triangle on. @returns whether it closes */
  private follow(tri: number, begin: number): boolean {
    const { done, across, k } = this;
    this.push(begin);
    for (let at = tri; ;) {
      done[at] = k;
      const up = this.edgeThrough(at, true);
      const other = across[up];
      const neighbour = other < 0 ? -1 : (other / 3) | 0;
      // A neighbour that faces the other way breaks the contour.
      const agrees = neighbour >= 0 && this.edgeThrough(neighbour, false) === other;
      if (agrees && neighbour === tri) return true;
      this.push(up);
      if (!agrees || done[neighbour] === k) return false;
      at = neighbour;
    }
  }
}

function enclosed(values: Float64Array, from: number, to: number): number {
  let sum = 0;
  for (let i = from; i < to; i++) {
    const j = i + 1 === to ? from : i + 1;
    sum += values[i * 2] * values[j * 2 + 1] - values[j * 2] * values[i * 2 + 1];
  }
  return sum / 2;
}

/** Closed contours of a layer as lists of points. */
export function contoursOf(layer: Layer): [number, number][][] {
  const out: [number, number][][] = [];
  for (let c = 0; c < layer.closed.length; c++) {
    if (!layer.closed[c]) continue;
    const contour: [number, number][] = [];
    for (let i = layer.starts[c]; i < layer.starts[c + 1]; i++) contour.push([layer.points[i * 2], layer.points[i * 2 + 1]]);
    if (contour.length >= 3) out.push(contour);
  }
  return out;
}

/** Length of the closed contours of a layer, mm. */
export function perimeterOf(layer: Layer): number {
  let sum = 0;
  for (let c = 0; c < layer.closed.length; c++) {
    if (!layer.closed[c]) continue;
    const from = layer.starts[c];
    const to = layer.starts[c + 1];
    for (let i = from; i < to; i++) {
      const j = i + 1 === to ? from : i + 1;
      sum += Math.hypot(layer.points[i * 2] - layer.points[j * 2], layer.points[i * 2 + 1] - layer.points[j * 2 + 1]);
    }
  }
  return sum;
}
