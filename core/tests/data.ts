import { readFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import type { Mesh } from '../src/geometry/mesh.ts';

/** Bytes of an open data file; tests/data/README.md says where each is from. */
export function dataFile(name: string): Buffer {
  return readFileSync(fileURLToPath(new URL(`./data/${name}`, import.meta.url)));
}

/** A box from (0, 0, 0) to (x, y, z): 8 vertices, 12 triangles, outward. */
export function boxMesh(x: number, y: number, z: number): Mesh {
  const positions = new Float64Array(24);
  for (let i = 0; i < 8; i++) positions.set([i & 1 ? x : 0, i & 2 ? y : 0, i & 4 ? z : 0], i * 3);
  const quads = [[0, 2, 3, 1], [4, 5, 7, 6], [0, 1, 5, 4], [2, 6, 7, 3], [0, 4, 6, 2], [1, 3, 7, 5]]; // prettier-ignore
  return { positions, triangles: Uint32Array.from(quads.flatMap(([a, b, c, d]) => [a, b, c, a, c, d])) };
}

/** A right prism on a regular n-gon of circumradius r: what facets of a cylinder are. */
export function prismMesh(n: number, r: number, height: number): Mesh {
  const positions = new Float64Array((2 * n + 2) * 3);
  const triangles: number[] = [];
  for (let i = 0; i < n; i++) {
    const a = (2 * Math.PI * i) / n;
    positions.set([r * Math.cos(a), r * Math.sin(a), 0], i * 3);
    positions.set([r * Math.cos(a), r * Math.sin(a), height], (n + i) * 3);
    const j = (i + 1) % n;
    triangles.push(i, j, n + j, i, n + j, n + i, 2 * n, j, i, 2 * n + 1, n + i, n + j);
  }
  positions.set([0, 0, 0, 0, 0, height], 2 * n * 3);
  return { positions, triangles: Uint32Array.from(triangles) };
}

/** Binary STL made by hand from float32 corners, apart from the project's own writer. */
export function handMadeStl(corners: number[][], header = '', count = corners.length): Buffer {
  const bytes = Buffer.alloc(84 + 50 * corners.length);
  bytes.write(header, 0, 'latin1');
  bytes.writeUInt32LE(count, 80);
  corners.forEach((nine, i) => nine.forEach((v, k) => bytes.writeFloatLE(v, 84 + 50 * i + 12 + 4 * k)));
  return bytes;
}

/** Processor time of this process so far, ms: what other programs take does not count, so a limit on it says that work is bounded on any machine. */
export const busy = (): number => {
  const { user, system } = process.cpuUsage();
  return (user + system) / 1000;
};
