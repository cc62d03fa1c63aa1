import type { Mesh } from '../geometry/mesh.ts';
import type { Bit } from './bits.ts';

/** Triangles of a mesh by the squares of a grid that their shadows touch. */
export interface Shadows {
  mesh: Mesh;
  at: [number, number];
  cell: number;
  columns: number;
  rows: number;
  starts: Uint32Array;
  list: Uint32Array;
}

/** Sorts triangles into squares, about one triangle a square, in two goes. O(triangles + squares touched). */
export function shadowsOf(mesh: Mesh): Shadows {
  const { positions: p, triangles: t } = mesh;
  let [x0, y0, x1, y1] = [Infinity, Infinity, -Infinity, -Infinity];
  for (let i = 0; i < p.length; i += 3) {
    x0 = Math.min(x0, p[i]);
    x1 = Math.max(x1, p[i]);
    y0 = Math.min(y0, p[i + 1]);
    y1 = Math.max(y1, p[i + 1]);
  }
  const count = t.length / 3;
  const cell = Math.max(Math.sqrt((Math.max(x1 - x0, 1e-9) * Math.max(y1 - y0, 1e-9)) / Math.max(1, count)), Math.max(x1 - x0, y1 - y0) / 4000, 1e-9);
  const columns = Math.floor((x1 - x0) / cell) + 1;
  const rows = Math.floor((y1 - y0) / cell) + 1;
  const starts = new Uint32Array(columns * rows + 1);
  const each = (take: (square: number, triangle: number) => void) => {
    for (let i = 0; i < count; i++) {
      const [a, b, c] = [t[i * 3] * 3, t[i * 3 + 1] * 3, t[i * 3 + 2] * 3];
      const c0 = Math.floor((Math.min(p[a], p[b], p[c]) - x0) / cell);
      const c1 = Math.floor((Math.max(p[a], p[b], p[c]) - x0) / cell);
      const r0 = Math.floor((Math.min(p[a + 1], p[b + 1], p[c + 1]) - y0) / cell);
      const r1 = Math.floor((Math.max(p[a + 1], p[b + 1], p[c + 1]) - y0) / cell);
      for (let r = r0; r <= r1; r++) for (let k = c0; k <= c1; k++) take(r * columns + k, i);
    }
  };
  each((square) => starts[square + 1]++);
  for (let i = 0; i < columns * rows; i++) starts[i + 1] += starts[i];
  const next = starts.slice();
  const list = new Uint32Array(starts[columns * rows]);
  each((square, triangle) => (list[next[square]++] = triangle));
  return { mesh, at: [x0, y0], cell, columns, rows, starts, list };
}

/**
 * The lowest place of a bit's tip over a point at which it touches the mesh from above, mm; -Infinity where it meets nothing. Exact against corners, edges and
 * faces, so it holds what heights on a grid say of a bit to account. Flat bits are discs, balls are half spheres with a shaft above.
 * Source: the drop cutter, Chuang, Chen and Yau, A reverse engineering approach to generating interference-free tool paths, 2002; formulas by plane geometry.
 * @example dropOn(shadowsOf(mesh), 10, 12, { kind: 'ball', diameter: 6 })
 */
export function dropOn({ mesh: { positions: p, triangles: t }, at, cell, columns, rows, starts, list }: Shadows, x: number, y: number, bit: Bit): number {
  const r = bit.diameter / 2;
  const c0 = Math.max(0, Math.floor((x - r - at[0]) / cell));
  const c1 = Math.min(columns - 1, Math.floor((x + r - at[0]) / cell));
  const r0 = Math.max(0, Math.floor((y - r - at[1]) / cell));
  const r1 = Math.min(rows - 1, Math.floor((y + r - at[1]) / cell));
  const put: Put = { x, y, r, ball: bit.kind === 'ball' };
  let tip = -Infinity;
  for (let row = r0; row <= r1; row++)
    for (let c = c0; c <= c1; c++)
      for (let k = starts[row * columns + c]; k < starts[row * columns + c + 1]; k++) {
        const i = list[k] * 3;
        tip = Math.max(tip, onTriangle(p, [t[i] * 3, t[i + 1] * 3, t[i + 2] * 3], put));
      }
  return tip;
}

/** A bit over a place, its radius, mm. */
interface Put {
  x: number;
  y: number;
  r: number;
  ball: boolean;
}

type Three = readonly [number, number, number];

function onTriangle(p: Float64Array, corners: Three, put: Put): number {
  const [a, b, c] = corners;
  let tip = onFace(p, corners, put);
  for (const [s, e] of [
    [a, b],
    [b, c],
    [c, a],
  ]) {
    // prettier-ignore
    tip = Math.max(tip, onCorner(p, s, put), onEdge(p, s, e, put));
  }
  return tip;
}

function onCorner(p: Float64Array, a: number, { x, y, r, ball }: Put): number {
  const away = (p[a] - x) ** 2 + (p[a + 1] - y) ** 2;
  if (away > r * r) return -Infinity;
  return p[a + 2] - (ball ? r - Math.sqrt(r * r - away) : 0);
}

/** A ball's touching point lies a radius along the face's normal; a disc's on its rim, up the slope. */
function onFace(p: Float64Array, [a, b, c]: Three, { x, y, r, ball }: Put): number {
  const [ux, uy, uz] = [p[b] - p[a], p[b + 1] - p[a + 1], p[b + 2] - p[a + 2]];
  const [vx, vy, vz] = [p[c] - p[a], p[c + 1] - p[a + 1], p[c + 2] - p[a + 2]];
  let [nx, ny, nz] = [uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx];
  if (nz === 0) return -Infinity;
  if (nz < 0) [nx, ny, nz] = [-nx, -ny, -nz];
  const whole = Math.hypot(nx, ny, nz);
  const flat = Math.hypot(nx, ny);
  // A ball touches a radius down the normal from its middle; the rim of a disc touches where the slope is highest.
  const reach = ball ? r / whole : flat > 0 ? r / flat : 0;
  const [tx, ty] = [x - nx * reach, y - ny * reach];
  const det = ux * vy - uy * vx;
  const s = ((tx - p[a]) * vy - (ty - p[a + 1]) * vx) / det;
  const w = (ux * (ty - p[a + 1]) - uy * (tx - p[a])) / det;
  if (s < 0 || w < 0 || s + w > 1) return -Infinity;
  const z = p[a + 2] + s * uz + w * vz;
  return ball ? z + (nz / whole) * r - r : z;
}

/** The point of an edge at which a bit rests: a section of the bit by the upright plane through the edge. */
function onEdge(p: Float64Array, a: number, b: number, { x, y, r, ball }: Put): number {
  const [dx, dy, dz] = [p[b] - p[a], p[b + 1] - p[a + 1], p[b + 2] - p[a + 2]];
  const length = Math.hypot(dx, dy);
  if (length === 0) return -Infinity;
  const [ex, ey] = [dx / length, dy / length];
  const along = (x - p[a]) * ex + (y - p[a + 1]) * ey;
  const off = (x - p[a]) * ey - (y - p[a + 1]) * ex;
  const free = r * r - off * off;
  if (free < 0) return -Infinity;
  const half = Math.sqrt(free);
  const slope = dz / length;
  // A circle of radius `half` rests on a line where its own slope is the line's; a disc's rim at its higher end.
  const u = ball ? along + (half * slope) / Math.sqrt(1 + slope * slope) : along + Math.sign(slope) * half;
  if (u < 0 || u > length) return -Infinity;
  const z = p[a + 2] + slope * u;
  return ball ? z + half / Math.sqrt(1 + slope * slope) - r : z;
}
