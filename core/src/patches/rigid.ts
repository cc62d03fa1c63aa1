import type { Mesh } from '../geometry/mesh.ts';
import { matrixOf, type Flat, type Rest } from './rest.ts';
import { MeshSystem } from './system.ts';

/**
 * A conformal flat by least squares: angles kept as far as can be, the borders free. Two vertices far apart are held at their distance.
 * Source: Levy, Petitjean, Ray and Maillot, Least squares conformal maps for automatic texture atlas generation, 2002, section 2.
 * @returns 2 numbers a vertex, mm
 */
export function leastSquaresFlat(mesh: Mesh, rest: Rest): Float64Array {
  const { positions, triangles } = mesh;
  const [a, b, apart] = farPair(positions);
  const system = new MeshSystem(triangles, positions, 2, new Set([a, b]));
  const flat = new Float64Array((positions.length / 3) * 2);
  flat[2 * b] = apart;
  const step = new Float64Array(flat.length);
  const { gradients: g, areas } = rest;
  const rows = new Float64Array(12);
  for (let k = 0; k < areas.length; k++) {
    // F11 - F22 and F12 + F21 are to vanish: two rows over the six unknowns of the triangle.
    for (let i = 0; i < 3; i++) {
      const x = g[k * 6 + 2 * i];
      const y = g[k * 6 + 2 * i + 1];
      rows[2 * i] = x;
      rows[2 * i + 1] = -y;
      rows[6 + 2 * i] = y;
      rows[6 + 2 * i + 1] = x;
    }
    let one = 0;
    let two = 0;
    for (let i = 0; i < 6; i++) {
      const u = flat[triangles[k * 3 + (i >> 1)] * 2 + (i & 1)];
      one += rows[i] * u;
      two += rows[6 + i] * u;
    }
    let at = k * 21;
    for (let i = 0; i < 6; i++) {
      step[triangles[k * 3 + (i >> 1)] * 2 + (i & 1)] -= areas[k] * (rows[i] * one + rows[6 + i] * two);
      for (let j = 0; j <= i; j++) {
        const slot = system.slots[at++];
        if (slot >= 0) system.values[slot] += areas[k] * (rows[i] * rows[j] + rows[6 + i] * rows[6 + j]);
      }
    }
  }
  if (!system.factor()) return flat;
  system.solve(step);
  for (let i = 0; i < flat.length; i++) flat[i] += step[i];
  return toArea(flat, rest, triangles);
}

/** The flat made as large as the surface is. */
export function toArea(flat: Float64Array, rest: Rest, triangles: Uint32Array): Float64Array {
  const f = new Float64Array(4);
  const of: Flat = { rest, triangles, flat };
  let area = 0;
  for (let k = 0; k < rest.areas.length; k++) {
    matrixOf(of, k, f);
    area += (f[0] * f[3] - f[1] * f[2]) * rest.areas[k];
  }
  const scale = Math.sqrt(rest.area / Math.abs(area));
  return Number.isFinite(scale) ? flat.map((v) => v * scale) : flat;
}

/** Two vertices far apart, and how far: twice the farthest from the last one found. */
function farPair(p: Float64Array): [number, number, number] {
  let a = 0;
  let b = 0;
  let apart = 0;
  for (let round = 0; round < 2; round++) {
    a = b;
    apart = 0;
    for (let v = 0; v < p.length / 3; v++) {
      const d = Math.hypot(p[3 * v] - p[3 * a], p[3 * v + 1] - p[3 * a + 1], p[3 * v + 2] - p[3 * a + 2]);
      if (d > apart) {
        apart = d;
        b = v;
      }
    }
  }
  return [a, b, apart];
}

/** How as-rigid-as-possible goes on. */
export interface RigidChoice {
  /** Weight of staying rigid against similar; Infinity: rotations only. Source: Liu 2008, section 5. */
  lambda: number;
  /** Ends when a round takes less than this share of the energy away. */
  enough: number;
  most: number;
  /** Told before each round; true ends it. */
  progress?: (round: number) => boolean;
}

export const usualRigid: RigidChoice = { lambda: Infinity, enough: 1e-4, most: 60 };

/**
 * As rigid as possible: each triangle takes the turn that is nearest to what it is on the flat, then all vertices are laid so that they come
 * nearest to these turns; and again. One factor serves all rounds.
 * Source: Liu, Zhang, Xu, Gotsman and Gortler, A local/global approach to mesh parameterization, 2008, sections 3 to 5.
 * @param flat where it begins, 2 numbers a vertex; not changed
 * @returns the flat, and how many rounds it took
 */
export function rigidFlat(
  mesh: Mesh,
  rest: Rest,
  flat: Float64Array,
  choice: RigidChoice = usualRigid,
): { flat: Float64Array; rounds: number; energy: number } {
  const { triangles } = mesh;
  const { lambda } = choice;
  const system = cotangents(mesh, rest);
  const out = flat.slice();
  // Cotangents of blunt triangles can make the matrix of a bad mesh useless: then the start stays.
  if (!system.factor()) return { flat: out, rounds: 0, energy: Infinity };
  const step = new Float64Array(out.length);
  const f = new Float64Array(4);
  const of: Flat = { rest, triangles, flat: out };
  let energy = Infinity;
  for (let round = 1; round <= choice.most; round++) {
    if (choice.progress?.(round)) return { flat: out, rounds: round, energy };
    step.fill(0);
    const now = turned(of, lambda, step, f);
    if (energy - now <= choice.enough * energy && energy < Infinity) return { flat: out, rounds: round, energy: now };
    if (now <= 1e-24 * rest.area) return { flat: out, rounds: round, energy: now };
    energy = now;
    system.solve(step);
    for (let i = 0; i < out.length; i++) out[i] += step[i];
  }
  return { flat: out, rounds: choice.most, energy };
}

/** Each triangle takes its nearest turn: what that pulls at its corners is added to `step`. @returns the energy */
function turned({ rest, triangles, flat }: Flat, lambda: number, step: Float64Array, f: Float64Array): number {
  const { gradients: g, areas } = rest;
  const of: Flat = { rest, triangles, flat };
  const turn = new Float64Array(2);
  let energy = 0;
  for (let k = 0; k < areas.length; k++) {
    const area = areas[k];
    matrixOf(of, k, f);
    turnOf(f, area, lambda, turn);
    const da = turn[0] - f[0];
    const db = -turn[1] - f[1];
    const dc = turn[1] - f[2];
    const dd = turn[0] - f[3];
    energy += area * (da * da + db * db + dc * dc + dd * dd);
    if (lambda < Infinity) energy += (lambda / 2) * (turn[0] * turn[0] + turn[1] * turn[1] - 1) ** 2;
    for (let i = 0; i < 3; i++) {
      const v = triangles[k * 3 + i] * 2;
      const x = g[k * 6 + 2 * i] * area;
      const y = g[k * 6 + 2 * i + 1] * area;
      step[v] += da * x + db * y;
      step[v + 1] += dc * x + dd * y;
    }
  }
  return energy;
}

/** The Laplacian of a surface by the cotangents of its angles, one vertex held. Source: Pinkall and Polthier 1993. */
function cotangents({ positions, triangles }: Mesh, { gradients: g, areas }: Rest): MeshSystem {
  const system = new MeshSystem(triangles, positions, 1, new Set([triangles[0]]));
  for (let k = 0; k < areas.length; k++) {
    let at = k * 6;
    for (let i = 0; i < 3; i++)
      for (let j = 0; j <= i; j++) {
        const slot = system.slots[at++];
        if (slot >= 0) system.values[slot] += areas[k] * (g[k * 6 + 2 * i] * g[k * 6 + 2 * j] + g[k * 6 + 2 * i + 1] * g[k * 6 + 2 * j + 1]);
      }
  }
  return system;
}

/** The turn (cosine and sine, times its scale) that is nearest to a matrix, into `out`. */
function turnOf(f: Float64Array, area: number, lambda: number, out: Float64Array): void {
  const c = f[0] + f[3];
  const s = f[2] - f[1];
  const near = Math.sqrt(c * c + s * s);
  out[0] = 1;
  out[1] = 0;
  if (!(near > 0)) return;
  let scale = 1;
  if (lambda < Infinity) {
    // Least of 2 A |F - s R|^2 + lambda (s^2 - 1)^2: lambda s^3 + (2 A - lambda) s - A near = 0, by Newton's method.
    for (let i = 0; i < 20; i++) {
      const step = (lambda * scale ** 3 + (2 * area - lambda) * scale - area * near) / (3 * lambda * scale * scale + 2 * area - lambda);
      scale -= step;
      if (Math.abs(step) < 1e-14) break;
    }
  }
  out[0] = (c / near) * scale;
  out[1] = (s / near) * scale;
}

/** How many triangles are turned over, or have no area left. */
export function flippedOn(flat: Float64Array, triangles: Uint32Array): number {
  let count = 0;
  for (let t = 0; t < triangles.length; t += 3) {
    const [a, b, c] = [triangles[t] * 2, triangles[t + 1] * 2, triangles[t + 2] * 2];
    const twice = (flat[b] - flat[a]) * (flat[c + 1] - flat[a + 1]) - (flat[b + 1] - flat[a + 1]) * (flat[c] - flat[a]);
    if (!(twice > 0)) count++;
  }
  return count;
}
