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

/** A ring of 80 mm, 30 mm thick, as binary STL: `around` quads one way and as many the other, two triangles each. */
export function ringStl(around: number): { bytes: Buffer; triangles: number } {
  const triangles = 2 * around * around;
  const bytes = Buffer.alloc(84 + 50 * triangles);
  bytes.writeUInt32LE(triangles, 80);
  const at = (i: number, j: number): P3 => {
    const [u, v] = [((i % around) * 2 * Math.PI) / around, ((j % around) * 2 * Math.PI) / around];
    const r = 40 + 15 * Math.cos(v);
    return [r * Math.cos(u), r * Math.sin(u), 15 * Math.sin(v)];
  };
  let to = 84;
  for (let i = 0; i < around; i++)
    for (let j = 0; j < around; j++) {
      const [a, b, c, d] = [at(i, j), at(i + 1, j), at(i + 1, j + 1), at(i, j + 1)];
      for (const corners of [
        [a, b, c],
        [a, c, d],
      ]) {
        // prettier-ignore
        corners.flat().forEach((v, k) => bytes.writeFloatLE(v, to + 12 + k * 4));
        to += 50;
      }
    }
  return { bytes, triangles };
}

/** Corners of all triangles, nine numbers each. */
export function receiveStl(bytes: Buffer): number[][] {
  const count = bytes.readUInt32LE(80);
  return Array.from({ length: count }, (_, i) => Array.from({ length: 9 }, (_, k) => bytes.readFloatLE(84 + i * 50 + 12 + k * 4)));
}

/** By the divergence theorem. */
export const volumeOf = (facets: readonly number[][]): number =>
  facets.reduce((sum, [ax, ay, az, bx, by, bz, cx, cy, cz]) => sum + (ax * (by * cz - bz * cy) + ay * (bz * cx - bx * cz) + az * (bx * cy - by * cx)) / 6, 0);
