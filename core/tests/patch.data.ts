/** Surfaces made by their own formulas, without anything of the program. */
import type { Mesh } from '../src/geometry/mesh.ts';

export const mesh = (positions: readonly number[], triangles: readonly number[]): Mesh => ({
  positions: Float64Array.from(positions),
  triangles: Uint32Array.from(triangles),
});

/** A cap of a sphere: rings of 6, 12, 18 ... points about its middle. @param degrees half of its opening */
export function cap(degrees: number, rings: number, radius = 1): Mesh {
  const a = (degrees * Math.PI) / 180;
  const positions = [0, 0, radius];
  const triangles: number[] = [];
  const at = (k: number, i: number) => (k === 0 ? 0 : 1 + 3 * k * (k - 1) + (((i % (6 * k)) + 6 * k) % (6 * k)));
  for (let k = 1; k <= rings; k++)
    for (let i = 0; i < 6 * k; i++) {
      const [down, turn] = [(a * k) / rings, (2 * Math.PI * i) / (6 * k)];
      positions.push(radius * Math.sin(down) * Math.cos(turn), radius * Math.sin(down) * Math.sin(turn), radius * Math.cos(down));
    }
  for (let k = 1; k <= rings; k++)
    for (let s = 0; s < 6; s++)
      for (let j = 0; j < k; j++) {
        const [outer, inner] = [s * k + j, s * (k - 1) + j];
        triangles.push(at(k - 1, inner), at(k, outer), at(k, outer + 1));
        if (j < k - 1) triangles.push(at(k - 1, inner), at(k, outer + 1), at(k - 1, inner + 1));
      }
  return mesh(positions, triangles);
}

/** A grid of points, two triangles a cell. */
export function grid(nx: number, ny: number, place: (u: number, v: number) => readonly number[]): Mesh {
  const positions: number[] = [];
  const triangles: number[] = [];
  for (let j = 0; j <= ny; j++) for (let i = 0; i <= nx; i++) positions.push(...place(i / nx, j / ny));
  for (let j = 0; j < ny; j++)
    for (let i = 0; i < nx; i++) {
      const [a, b] = [j * (nx + 1) + i, (j + 1) * (nx + 1) + i];
      triangles.push(a, a + 1, b + 1, a, b + 1, b);
    }
  return mesh(positions, triangles);
}

/** Part of a cylinder, faceted along its straight lines: `across` strips, each cut `along` times. */
export const halfPipe = (radius: number, height: number, degrees: number, across: number, along: number): Mesh =>
  grid(across, along, (u, v) => {
    const turn = (u * degrees * Math.PI) / 180;
    return [radius * Math.cos(turn), radius * Math.sin(turn), v * height];
  });

export const saddle = (size: number, bend: number, n: number): Mesh =>
  grid(n, n, (u, v) => [size * (u - 0.5), size * (v - 0.5), bend * size * ((u - 0.5) ** 2 - (v - 0.5) ** 2)]);

/** A whole sphere as an octahedron parted again and again. */
export function sphere(radius: number, times: number): Mesh {
  let positions: number[][] = [[1, 0, 0], [-1, 0, 0], [0, 1, 0], [0, -1, 0], [0, 0, 1], [0, 0, -1]]; // prettier-ignore
  let triangles: number[][] = [[0, 2, 4], [2, 1, 4], [1, 3, 4], [3, 0, 4], [2, 0, 5], [1, 2, 5], [3, 1, 5], [0, 3, 5]]; // prettier-ignore
  for (let k = 0; k < times; k++) {
    const middle = new Map<string, number>();
    const half = (a: number, b: number) => {
      const key = a < b ? `${a} ${b}` : `${b} ${a}`;
      const known = middle.get(key);
      if (known !== undefined) return known;
      const p = positions[a].map((v, d) => v + positions[b][d]);
      positions.push(p.map((v) => v / Math.hypot(...p)));
      middle.set(key, positions.length - 1);
      return positions.length - 1;
    };
    positions = [...positions];
    triangles = triangles.flatMap(([a, b, c]) => {
      const [x, y, z] = [half(a, b), half(b, c), half(c, a)];
      return [[a, x, z], [x, b, y], [z, y, c], [x, y, z]]; // prettier-ignore
    });
  }
  return mesh(positions.flat().map((v) => v * radius), triangles.flat()); // prettier-ignore
}
