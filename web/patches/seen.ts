import { axesOf, type Look } from '@/tubes/projection.ts';

/** Triangles as they are seen from a side, far ones first. */
export interface Seen {
  /** Two numbers a vertex, in pixels. */
  points: Float32Array;
  /** Triangles from the farthest to the nearest, and how much light each has, 0 to 1. */
  order: Uint32Array;
  light: Float32Array;
  /** Pixels in one of the part's numbers. */
  scale: number;
  /** Where a place of the part is in the picture, pixels. */
  put: (p: readonly number[]) => [number, number];
}

/** Room round the picture, pixels. */
const rim = 24;

/** What is projected: a closed one shows only the side that is turned to the eye. */
export interface Projected {
  positions: ArrayLike<number>;
  triangles: ArrayLike<number>;
  closed: boolean;
}

/** Projects a mesh into a picture so many pixels wide and high. */
export function seenFrom({ positions, triangles, closed }: Projected, look: Look, [wide, high]: readonly [number, number]): Seen {
  const { x, y, z } = axesOf(look);
  const n = positions.length / 3;
  const flat = new Float64Array(n * 3);
  const box = [Infinity, Infinity, -Infinity, -Infinity];
  for (let v = 0; v < n; v++) {
    const p = [positions[v * 3], positions[v * 3 + 1], positions[v * 3 + 2]];
    const [a, b, c] = [x, y, z].map((axis) => p[0] * axis[0] + p[1] * axis[1] + p[2] * axis[2]);
    flat.set([a, b, c], v * 3);
    box[0] = Math.min(box[0], a);
    box[1] = Math.min(box[1], b);
    box[2] = Math.max(box[2], a);
    box[3] = Math.max(box[3], b);
  }
  const scale = Math.min((wide - 2 * rim) / (box[2] - box[0] || 1), (high - 2 * rim) / (box[3] - box[1] || 1));
  const onPage = (a: number, b: number): [number, number] => [wide / 2 + (a - (box[0] + box[2]) / 2) * scale, high / 2 - (b - (box[1] + box[3]) / 2) * scale];
  const points = new Float32Array(n * 2);
  for (let v = 0; v < n; v++) points.set(onPage(flat[v * 3], flat[v * 3 + 1]), 2 * v);
  const along = (p: readonly number[], axis: readonly number[]) => p[0] * axis[0] + p[1] * axis[1] + p[2] * axis[2];
  const count = triangles.length / 3;
  const depth = new Float64Array(count);
  const light = new Float32Array(count);
  const away = new Uint8Array(count);
  for (let t = 0; t < count; t++) {
    const [a, b, c] = [triangles[t * 3] * 3, triangles[t * 3 + 1] * 3, triangles[t * 3 + 2] * 3];
    depth[t] = flat[a + 2] + flat[b + 2] + flat[c + 2];
    const [ux, uy, uz] = [flat[b] - flat[a], flat[b + 1] - flat[a + 1], flat[b + 2] - flat[a + 2]];
    const [vx, vy, vz] = [flat[c] - flat[a], flat[c + 1] - flat[a + 1], flat[c + 2] - flat[a + 2]];
    const normal = [uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx];
    const length = Math.hypot(...normal) || 1;
    // Of a sheet both sides are seen; what is turned away of something closed lies behind, however large its triangles are.
    if (closed && normal[2] < 0) away[t] = 1;
    light[t] = 0.72 + 0.28 * Math.abs((0.35 * normal[0] + 0.45 * normal[1] + 0.82 * normal[2]) / length);
  }
  const order = Uint32Array.from({ length: count }, (_, t) => t)
    .filter((t) => away[t] === 0)
    .sort((a, b) => depth[a] - depth[b]);
  return { points, order, light, scale, put: (p) => onPage(along(p, x), along(p, y)) };
}

/** The nearest triangle at a pixel; -1 where there is none. */
export function triangleAt({ points, order }: Seen, triangles: ArrayLike<number>, px: number, py: number): number {
  const side = (a: number, b: number) =>
    (points[2 * b] - points[2 * a]) * (py - points[2 * a + 1]) - (points[2 * b + 1] - points[2 * a + 1]) * (px - points[2 * a]);
  for (let i = order.length - 1; i >= 0; i--) {
    const t = order[i] * 3;
    const [a, b, c] = [triangles[t], triangles[t + 1], triangles[t + 2]];
    const [s, u, v] = [side(a, b), side(b, c), side(c, a)];
    if ((s >= 0 && u >= 0 && v >= 0) || (s <= 0 && u <= 0 && v <= 0)) return order[i];
  }
  return -1;
}

/** The place of a triangle that is seen at a pixel. */
export function placeAt(
  { points }: Seen,
  positions: ArrayLike<number>,
  [a, b, c]: readonly number[],
  [px, py]: readonly [number, number],
): [number, number, number] {
  const [ax, ay, bx, by, cx, cy] = [a, b, c].flatMap((v) => [points[2 * v], points[2 * v + 1]]);
  const d = (bx - ax) * (cy - ay) - (by - ay) * (cx - ax);
  const u = d === 0 ? 0 : ((px - ax) * (cy - ay) - (py - ay) * (cx - ax)) / d;
  const v = d === 0 ? 0 : ((bx - ax) * (py - ay) - (by - ay) * (px - ax)) / d;
  return [0, 1, 2].map((k) => positions[3 * a + k] + u * (positions[3 * b + k] - positions[3 * a + k]) + v * (positions[3 * c + k] - positions[3 * a + k])) as [
    number,
    number,
    number,
  ];
}
