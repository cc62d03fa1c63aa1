import * as THREE from 'three';
import type { Mesh } from '../src/geometry/mesh.ts';
import { gridOver, type HeightField } from '../src/reliefs/field.ts';

/** A surface z = f(x, y) over a rectangle, as triangles whose points do not lie on any grid of heights. */
export function surface(f: (x: number, y: number) => number, [x0, y0, x1, y1]: number[], n: number, shake = 0): Mesh {
  const positions = new Float64Array((n + 1) ** 2 * 3);
  const noise = (i: number) => (((Math.sin(i * 12.9898) * 43758.5453) % 1) + 1) % 1;
  for (let j = 0, k = 0; j <= n; j++)
    for (let i = 0; i <= n; i++, k++) {
      const inner = i > 0 && j > 0 && i < n && j < n ? shake : 0;
      const x = x0 + ((x1 - x0) * (i + inner * (noise(k) - 0.5))) / n;
      const y = y0 + ((y1 - y0) * (j + inner * (noise(k + 0.5) - 0.5))) / n;
      positions.set([x, y, f(x, y)], k * 3);
    }
  const t: number[] = [];
  for (let j = 0; j < n; j++)
    for (let i = 0; i < n; i++) {
      const a = j * (n + 1) + i;
      t.push(a, a + 1, a + n + 2, a, a + n + 2, a + n + 1);
    }
  return { positions, triangles: Uint32Array.from(t) };
}

/** A closed ball of another library's making. */
export function ball(r: number, at: number[], n = 48): Mesh {
  const g = new THREE.SphereGeometry(r, n, n / 2);
  const positions = Float64Array.from(g.getAttribute('position').array as Float32Array, (v, i) => v + at[i % 3]);
  // Points by place, so that it is closed.
  const seen = new Map<string, number>();
  const to: number[] = [];
  const p: number[] = [];
  for (let i = 0; i < positions.length; i += 3) {
    const key = [0, 1, 2].map((k) => positions[i + k].toFixed(6)).join();
    if (!seen.has(key)) {
      seen.set(key, p.length / 3);
      p.push(positions[i], positions[i + 1], positions[i + 2]);
    }
    to.push(seen.get(key)!);
  }
  const t: number[] = [];
  const index = g.getIndex()!.array;
  for (let i = 0; i < index.length; i += 3) {
    const [a, b, c] = [to[index[i]], to[index[i + 1]], to[index[i + 2]]];
    if (a !== b && b !== c && a !== c) t.push(a, b, c);
  }
  return { positions: Float64Array.from(p), triangles: Uint32Array.from(t) };
}

export const asField = (f: (x: number, y: number) => number, size: number, step: number): HeightField => {
  const grid = gridOver([0, 0], [size, size], step);
  const heights = new Float64Array(grid.columns * grid.rows);
  for (let r = 0, k = 0; r < grid.rows; r++) for (let c = 0; c < grid.columns; c++, k++) heights[k] = f(c * grid.step[0], r * grid.step[1]);
  return { ...grid, heights };
};

export const hills = (x: number, y: number) => 4 + 2 * Math.sin(x / 7) * Math.cos(y / 9) + 0.3 * Math.sin(x * 1.3 + y);
