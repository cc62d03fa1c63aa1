import type { Mesh } from '../geometry/mesh.ts';

/**
 * What flattening needs of each triangle of a surface: with `u` the flat places of its corners, the map from the surface to the flat has the
 * matrix F with F[a][b] = sum over corners of u[corner][a] * g[corner][b].
 */
export interface Rest {
  /** Gradients of the three corners: x0 y0 x1 y1 x2 y2, in the triangle's own frame (x along its first side), 1 / mm. */
  gradients: Float64Array;
  /** mm2 on the surface. */
  areas: Float64Array;
  area: number;
}

/** A triangle this much lower than it is long has no frame: it can't be laid flat. A share. */
export const leastHeight = 1e-9;

/** Gradients and areas of all triangles. @returns null for the first triangle that has no area, with its number */
export function restOf({ positions: p, triangles: t }: Mesh): { rest: Rest } | { without: number } {
  const count = t.length / 3;
  const gradients = new Float64Array(count * 6);
  const areas = new Float64Array(count);
  let area = 0;
  for (let k = 0; k < count; k++) {
    const [a, b, c] = [t[k * 3] * 3, t[k * 3 + 1] * 3, t[k * 3 + 2] * 3];
    const [ux, uy, uz] = [p[b] - p[a], p[b + 1] - p[a + 1], p[b + 2] - p[a + 2]];
    const [vx, vy, vz] = [p[c] - p[a], p[c + 1] - p[a + 1], p[c + 2] - p[a + 2]];
    const l = Math.hypot(ux, uy, uz);
    const x = (ux * vx + uy * vy + uz * vz) / l;
    const y = Math.hypot(uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx) / l;
    if (!(y > leastHeight * Math.max(l, Math.abs(x)))) return { without: k };
    const gx = 1 / l;
    const gy1 = -x / (l * y);
    const gy2 = 1 / y;
    gradients.set([-gx, -gy1 - gy2, gx, gy1, 0, gy2], k * 6);
    areas[k] = (l * y) / 2;
    area += areas[k];
  }
  return { rest: { gradients, areas, area } };
}

/** A flat: its surface's rest, its triangles, and two numbers a vertex. */
export interface Flat {
  rest: Rest;
  triangles: Uint32Array;
  flat: Float64Array;
}

/** The matrix of triangle `k`: F11, F12, F21, F22 into `out`. */
export function matrixOf({ rest: { gradients: g }, triangles, flat }: Flat, k: number, out: Float64Array): void {
  let a = 0;
  let b = 0;
  let c = 0;
  let d = 0;
  for (let i = 0; i < 3; i++) {
    const v = triangles[k * 3 + i] * 2;
    const x = g[k * 6 + 2 * i];
    const y = g[k * 6 + 2 * i + 1];
    a += flat[v] * x;
    b += flat[v] * y;
    c += flat[v + 1] * x;
    d += flat[v + 1] * y;
  }
  out[0] = a;
  out[1] = b;
  out[2] = c;
  out[3] = d;
}

/** How a flat lies to its surface. Stretches are principal ones, flat over surface: above 1 the flat is longer. */
export interface Stretch {
  largest: number;
  least: number;
  /** Triangles where these two are. */
  largestAt: number;
  leastAt: number;
  /** Area of the flat over that of the surface, largest and least of a triangle. */
  areaLargest: number;
  areaLeast: number;
  /** Triangles that are turned over on the flat. */
  flipped: number;
  /** mm2. */
  flatArea: number;
}

/** Singular values of each triangle's matrix, larger first, 2 a triangle; the smaller is negative where it is turned over. */
export function stretchesOf(rest: Rest, triangles: Uint32Array, flat: Float64Array): Float64Array {
  const count = triangles.length / 3;
  const out = new Float64Array(count * 2);
  const f = new Float64Array(4);
  const of: Flat = { rest, triangles, flat };
  for (let k = 0; k < count; k++) {
    matrixOf(of, k, f);
    const q = Math.hypot(f[0] + f[3], f[2] - f[1]) / 2;
    const r = Math.hypot(f[0] - f[3], f[2] + f[1]) / 2;
    out[2 * k] = q + r;
    // The product is the determinant: so the smaller one loses no digits.
    out[2 * k + 1] = q + r > 0 ? (f[0] * f[3] - f[1] * f[2]) / (q + r) : 0;
  }
  return out;
}

/** Largest and least of all triangles. @example stretchOf(rest, mesh.triangles, flat).largest */
export function stretchOf(rest: Rest, triangles: Uint32Array, flat: Float64Array): Stretch {
  const values = stretchesOf(rest, triangles, flat);
  const out: Stretch = { largest: 0, least: Infinity, largestAt: 0, leastAt: 0, areaLargest: 0, areaLeast: Infinity, flipped: 0, flatArea: 0 };
  for (let k = 0; k < values.length / 2; k++) {
    const [high, low] = [values[2 * k], values[2 * k + 1]];
    if (high > out.largest) {
      out.largest = high;
      out.largestAt = k;
    }
    if (low < out.least) {
      out.least = low;
      out.leastAt = k;
    }
    if (!(low > 0)) out.flipped++;
    const grown = high * low;
    out.areaLargest = Math.max(out.areaLargest, grown);
    out.areaLeast = Math.min(out.areaLeast, grown);
    out.flatArea += grown * rest.areas[k];
  }
  return out;
}
