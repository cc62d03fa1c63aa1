/** Binary STL by its own layout, for tests: 80 bytes, a count, and 50 bytes a triangle. */

type P3 = [number, number, number];

export function boxStl(x: number, y: number, z: number): Buffer {
  const p = (i: number): P3 => [i & 1 ? x : 0, i & 2 ? y : 0, i & 4 ? z : 0];
  const faces = [[0, 2, 3, 1], [4, 5, 7, 6], [0, 1, 5, 4], [2, 6, 7, 3], [0, 4, 6, 2], [1, 3, 7, 5]]; // prettier-ignore
  const triangles = faces.flatMap(([a, b, c, d]) => [[a, b, c], [a, c, d]]); // prettier-ignore
  const out = Buffer.alloc(84 + 50 * triangles.length);
  out.writeUInt32LE(triangles.length, 80);
  triangles.forEach((t, i) => t.forEach((corner, k) => p(corner).forEach((v, axis) => out.writeFloatLE(v, 84 + i * 50 + 12 + k * 12 + axis * 4))));
  return out;
}

/** Corners of all triangles, nine numbers each. */
export function receiveStl(bytes: Buffer): number[][] {
  const count = bytes.readUInt32LE(80);
  return Array.from({ length: count }, (_, i) => Array.from({ length: 9 }, (_, k) => bytes.readFloatLE(84 + i * 50 + 12 + k * 4)));
}

/** By the divergence theorem. */
export const volumeOf = (facets: readonly number[][]): number =>
  facets.reduce((sum, [ax, ay, az, bx, by, bz, cx, cy, cz]) => sum + (ax * (by * cz - bz * cy) + ay * (bz * cx - bx * cz) + az * (bx * cy - by * cx)) / 6, 0);
