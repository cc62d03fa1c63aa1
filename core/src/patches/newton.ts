import type { Mesh } from '../geometry/mesh.ts';
import { matrixOf, type Flat, type Rest } from './rest.ts';
import { MeshSystem } from './system.ts';

/** Edges whose length on the flat is to be that on the surface: 2 vertices each, and the length, mm. */
export interface HeldEdges {
  pairs: Uint32Array;
  lengths: Float64Array;
}

export const noEdges: HeldEdges = { pairs: new Uint32Array(0), lengths: new Float64Array(0) };

/** A step of the line search takes no triangle nearer to nothing than this share of the way. */
const beforeFlip = 0.9;
/** A step must take this share of what its slope promises. Source: Armijo 1966. */
const armijo = 1e-4;

/**
 * Lays a flat without flips so that stretch and squeeze are least: the mean over the surface of s^p + s^-p of both principal stretches s. With
 * p = 2 that is the symmetric Dirichlet energy; the larger p, the more only the worst counts. Newton's method with each triangle's matrix made
 * positive by its own eigenvalues; steps end before any triangle is turned over.
 * Sources: Rabinovich, Poranne, Panozzo and Sorkine-Hornung, Scalable locally injective mappings, 2017 (energies); Smith, de Goes and Kim,
 * Analytic eigensystems for isotropic distortion energies, 2019; Smith and Schaefer, Bijective parameterization with free boundaries, 2015 (step before a flip);
 * held edges by augmented Lagrangian: Nocedal and Wright, Numerical Optimization, 2006, 17.3.
 */
export class Spreading {
  private readonly mesh: Mesh;
  private readonly rest: Rest;
  private readonly system: MeshSystem;
  private readonly edges: HeldEdges;
  private readonly edgeSlots: Int32Array;
  /** Multipliers and weight of the held edges. */
  private readonly pull: Float64Array;
  private hold = 1e3;
  private readonly edgeLength: number;
  private readonly step: Float64Array;
  private readonly f = new Float64Array(4);
  private readonly q = new Float64Array(24);
  flat: Float64Array;

  /** @param flat without flips, 2 numbers a vertex */
  constructor(mesh: Mesh, rest: Rest, flat: Float64Array, edges: HeldEdges = noEdges) {
    this.mesh = mesh;
    this.rest = rest;
    this.flat = flat.slice();
    this.edges = edges;
    this.system = new MeshSystem(mesh.triangles, mesh.positions, 2, new Set([mesh.triangles[0]]));
    this.edgeSlots = this.system.slotsOf(edges.pairs, 2);
    this.pull = new Float64Array(edges.lengths.length);
    this.edgeLength = edges.lengths.reduce((a, b) => a + b, 0);
    this.step = new Float64Array(flat.length);
  }

  /** The largest share by which a held edge is longer or shorter than it should be. */
  edgeError(flat = this.flat): number {
    const { pairs, lengths } = this.edges;
    let most = 0;
    for (let e = 0; e < lengths.length; e++) most = Math.max(most, Math.abs(lengthOn(flat, pairs, e) / lengths[e] - 1));
    return most;
  }

  /** The largest of the absolute logarithms of all principal stretches. */
  worst(): number {
    const { areas } = this.rest;
    let most = 0;
    const on = this.on(this.flat);
    for (let k = 0; k < areas.length; k++) {
      const [s1, s2] = this.values(on, k);
      most = Math.max(most, Math.abs(Math.log(s1)), Math.abs(Math.log(s2)));
    }
    return most;
  }

  private on(flat: Float64Array): Flat {
    return { rest: this.rest, triangles: this.mesh.triangles, flat };
  }

  private values(on: Flat, k: number): [number, number] {
    const { f } = this;
    matrixOf(on, k, f);
    const high = (Math.hypot(f[0] + f[3], f[2] - f[1]) + Math.hypot(f[0] - f[3], f[2] + f[1])) / 2;
    return [high, (f[0] * f[3] - f[1] * f[2]) / high];
  }

  /** Energy with exponent p over the scale exp(log); Infinity where a triangle is turned over. */
  private energy(flat: Float64Array, p: number, log: number): number {
    const { areas, area } = this.rest;
    let sum = 0;
    const on = this.on(flat);
    for (let k = 0; k < areas.length; k++) {
      const [s1, s2] = this.values(on, k);
      if (!(s2 > 0)) return Infinity;
      const [a, b] = [p * Math.log(s1), p * Math.log(s2)];
      sum += (areas[k] / area) * (Math.exp(a - log) + Math.exp(-a - log) + Math.exp(b - log) + Math.exp(-b - log));
    }
    const { pairs, lengths } = this.edges;
    for (let e = 0; e < lengths.length; e++) {
      const c = lengthOn(flat, pairs, e) / lengths[e] - 1;
      sum += (lengths[e] / this.edgeLength) * (this.pull[e] * c + (this.hold / 2) * c * c);
    }
    return sum;
  }

  /** One step of Newton's method. @returns by what share the energy fell; 0 when no step helps */
  private newton(p: number, log: number): number {
    const { system, step, flat } = this;
    const before = this.energy(flat, p, log);
    system.values.fill(0);
    step.fill(0);
    this.addTriangles(p, log);
    this.addEdges();
    const slope = step.slice();
    // Turning the whole flat costs nothing, so the matrix needs a little on its diagonal.
    const diagonal = this.diagonal();
    let solved = false;
    for (let little = 1e-9; little < 1 && !solved; little *= 100) {
      this.addDiagonal(diagonal * little);
      solved = system.factor();
    }
    if (!solved) return 0;
    system.solve(step);
    let along = 0;
    for (let i = 0; i < step.length; i++) along += step[i] * slope[i];
    if (!(along > 0)) return 0;
    let size = Math.min(1, beforeFlip * firstFlip(flat, step, this.mesh.triangles));
    const next = new Float64Array(flat.length);
    for (let tries = 0; tries < 40; tries++, size /= 2) {
      for (let i = 0; i < flat.length; i++) next[i] = flat[i] + size * step[i];
      const after = this.energy(next, p, log);
      if (after <= before - armijo * size * along) {
        this.flat = next;
        return (before - after) / Math.abs(before);
      }
    }
    return 0;
  }

  private addTriangles(p: number, log: number): void {
    const { rest, system, step, q, f } = this;
    const { triangles } = this.mesh;
    const { gradients: g, areas, area } = rest;
    const { values, slots } = system;
    const on = this.on(this.flat);
    for (let k = 0; k < areas.length; k++) {
      matrixOf(on, k, f);
      const e = (f[0] + f[3]) / 2;
      const d = (f[0] - f[3]) / 2;
      const m = (f[2] + f[1]) / 2;
      const h = (f[2] - f[1]) / 2;
      const s1 = Math.hypot(e, h) + Math.hypot(d, m);
      const s2 = (f[0] * f[3] - f[1] * f[2]) / s1;
      const a1 = Math.atan2(m, d);
      const a2 = Math.atan2(h, e);
      const cu = Math.cos((a2 + a1) / 2);
      const su = Math.sin((a2 + a1) / 2);
      const cv = Math.cos((a2 - a1) / 2);
      const sv = Math.sin((a2 - a1) / 2);
      const weight = areas[k] / area;
      const [l1, l2] = [Math.log(s1), Math.log(s2)];
      const [up1, down1] = [Math.exp(p * l1 - log), Math.exp(-p * l1 - log)];
      const [up2, down2] = [Math.exp(p * l2 - log), Math.exp(-p * l2 - log)];
      const d1 = (p * (up1 - down1)) / s1;
      const d2 = (p * (up2 - down2)) / s2;
      const h1 = (p * ((p - 1) * up1 + (p + 1) * down1)) / (s1 * s1);
      const h2 = (p * ((p - 1) * up2 + (p + 1) * down2)) / (s2 * s2);
      const twist = (d1 + d2) / (s1 + s2);
      const flip = s1 - s2 > 1e-7 * s1 ? (d1 - d2) / (s1 - s2) : h1;
      // Eigenvectors over the six unknowns: along both principal directions, twist and flip.
      for (let i = 0; i < 3; i++) {
        const x = g[k * 6 + 2 * i];
        const y = g[k * 6 + 2 * i + 1];
        const one = cv * x - sv * y;
        const two = sv * x + cv * y;
        q[2 * i] = cu * one;
        q[2 * i + 1] = su * one;
        q[6 + 2 * i] = -su * two;
        q[6 + 2 * i + 1] = cu * two;
        q[12 + 2 * i] = (-su * one - cu * two) * Math.SQRT1_2;
        q[12 + 2 * i + 1] = (cu * one - su * two) * Math.SQRT1_2;
        q[18 + 2 * i] = (-su * one + cu * two) * Math.SQRT1_2;
        q[18 + 2 * i + 1] = (cu * one + su * two) * Math.SQRT1_2;
      }
      const [w1, w2, w3, w4] = [weight * Math.max(0, h1), weight * Math.max(0, h2), weight * Math.max(0, twist), weight * Math.max(0, flip)];
      let at = k * 21;
      for (let i = 0; i < 6; i++) {
        step[triangles[k * 3 + (i >> 1)] * 2 + (i & 1)] -= weight * (d1 * q[i] + d2 * q[6 + i]);
        const [e1, e2, e3, e4] = [w1 * q[i], w2 * q[6 + i], w3 * q[12 + i], w4 * q[18 + i]];
        for (let j = 0; j <= i; j++) {
          const slot = slots[at++];
          if (slot >= 0) values[slot] += e1 * q[j] + e2 * q[6 + j] + e3 * q[12 + j] + e4 * q[18 + j];
        }
      }
    }
  }

  private addEdges(): void {
    const { pairs, lengths } = this.edges;
    const { values } = this.system;
    const { flat, step } = this;
    for (let e = 0; e < lengths.length; e++) {
      const [a, b] = [pairs[2 * e] * 2, pairs[2 * e + 1] * 2];
      const [dx, dy] = [flat[b] - flat[a], flat[b + 1] - flat[a + 1]];
      const long = Math.hypot(dx, dy);
      const [nx, ny] = [dx / long, dy / long];
      const c = long / lengths[e] - 1;
      const weight = lengths[e] / this.edgeLength;
      const force = this.pull[e] + this.hold * c;
      const slope = (weight * force) / lengths[e];
      step[a] += slope * nx;
      step[a + 1] += slope * ny;
      step[b] -= slope * nx;
      step[b + 1] -= slope * ny;
      const along = (weight * this.hold) / lengths[e] ** 2;
      const across = Math.max(0, slope) / long;
      const [xx, xy, yy] = [along * nx * nx + across * ny * ny, (along - across) * nx * ny, along * ny * ny + across * nx * nx];
      // Rows ax, ay, bx, by of the lower half.
      const block = [xx, xy, yy, -xx, -xy, xx, -xy, -yy, xy, yy];
      for (let i = 0; i < 10; i++) {
        const slot = this.edgeSlots[e * 10 + i];
        if (slot >= 0) values[slot] += block[i];
      }
    }
  }

  /** The mean of what triangles put on the diagonal. */
  private diagonal(): number {
    const { slots, values } = this.system;
    let sum = 0;
    let count = 0;
    for (let k = 0; k < slots.length; k += 21) {
      const slot = slots[k];
      if (slot >= 0) {
        sum += values[slot];
        count++;
      }
    }
    return sum / Math.max(1, count);
  }

  private addDiagonal(little: number): void {
    const { slots, values } = this.system;
    const { triangles } = this.mesh;
    const done = new Uint8Array(this.flat.length / 2);
    for (let k = 0; k < slots.length / 21; k++)
      for (let i = 0; i < 6; i++) {
        const v = triangles[k * 3 + (i >> 1)];
        if (i % 2 === 0 && done[v]) {
          i++;
          continue;
        }
        done[v] = 1;
        const slot = slots[k * 21 + (i * (i + 1)) / 2 + i];
        if (slot >= 0) values[slot] += little;
      }
  }

  /**
   * Steps until the energy falls by less than `enough` (a share), or `most` were taken.
   * @returns steps taken
   */
  settle(p: number, enough: number, most: number, progress?: () => boolean): number {
    for (let i = 0; i < most; i++) {
      if (progress?.()) return i;
      const fell = this.newton(p, p * this.worst());
      if (fell < enough) return i + 1;
    }
    return most;
  }

  /**
   * Brings the held edges to their lengths by the smoothest move of all vertices: the one whose Dirichlet energy is least.
   * Source: Gauss-Newton steps with a penalty that outweighs the energy. @returns the largest share that is left
   */
  bringEdges(most = 8): number {
    const { system, step, edges } = this;
    const { gradients: g, areas } = this.rest;
    for (let round = 0; round < most; round++) {
      const left = this.edgeError();
      if (left < 1e-12) break;
      system.values.fill(0);
      step.fill(0);
      for (let k = 0; k < areas.length; k++) {
        const at = k * 21;
        for (let i = 0; i < 3; i++)
          for (let j = 0; j <= i; j++) {
            const w = areas[k] * (g[k * 6 + 2 * i] * g[k * 6 + 2 * j] + g[k * 6 + 2 * i + 1] * g[k * 6 + 2 * j + 1]);
            // X with X and Y with Y of the two corners.
            for (const d of [0, 1]) {
              const [row, column] = [2 * i + d, 2 * j + d];
              const slot = system.slots[at + (row * (row + 1)) / 2 + column];
              if (slot >= 0) system.values[slot] += w;
            }
          }
      }
      this.addDiagonal(this.diagonal() * 1e-9);
      for (let e = 0; e < edges.lengths.length; e++) this.addPull(e, 1e6 * edges.lengths[e]);
      if (!system.factor()) break;
      system.solve(step);
      const next = this.flat.map((v, i) => v + step[i]);
      if (!(this.edgeError(next) < left) || firstFlip(this.flat, step, this.mesh.triangles) <= 1) break;
      this.flat = next;
    }
    return this.edgeError();
  }

  /** The penalty of one edge's length with a weight: its square over the edge's length. */
  private addPull(e: number, weight: number): void {
    const { pairs, lengths } = this.edges;
    const [a, b] = [pairs[2 * e] * 2, pairs[2 * e + 1] * 2];
    const [dx, dy] = [this.flat[b] - this.flat[a], this.flat[b + 1] - this.flat[a + 1]];
    const long = Math.hypot(dx, dy);
    const [nx, ny] = [dx / long, dy / long];
    const stiff = weight / lengths[e] ** 2;
    const slope = stiff * (long - lengths[e]);
    this.step[a] += slope * nx;
    this.step[a + 1] += slope * ny;
    this.step[b] -= slope * nx;
    this.step[b + 1] -= slope * ny;
    const [xx, xy, yy] = [stiff * nx * nx, stiff * nx * ny, stiff * ny * ny];
    const block = [xx, xy, yy, -xx, -xy, xx, -xy, -yy, xy, yy];
    for (let i = 0; i < 10; i++) {
      const slot = this.edgeSlots[e * 10 + i];
      if (slot >= 0) this.system.values[slot] += block[i];
    }
  }

  /** Takes the held edges nearer to their lengths: multipliers and weight go up. */
  holdHarder(): void {
    const { pairs, lengths } = this.edges;
    for (let e = 0; e < lengths.length; e++) this.pull[e] += this.hold * (lengthOn(this.flat, pairs, e) / lengths[e] - 1);
    this.hold = Math.min(this.hold * 8, 1e7);
  }
}

const lengthOn = (flat: Float64Array, pairs: Uint32Array, e: number): number => {
  const [a, b] = [pairs[2 * e] * 2, pairs[2 * e + 1] * 2];
  return Math.hypot(flat[b] - flat[a], flat[b + 1] - flat[a + 1]);
};

/** The share of a step at which the first triangle has no area any more; Infinity when none has. */
export function firstFlip(flat: Float64Array, step: Float64Array, triangles: Uint32Array): number {
  let first = Infinity;
  for (let t = 0; t < triangles.length; t += 3) {
    const [a, b, c] = [triangles[t] * 2, triangles[t + 1] * 2, triangles[t + 2] * 2];
    const [ux, uy, vx, vy] = [flat[b] - flat[a], flat[b + 1] - flat[a + 1], flat[c] - flat[a], flat[c + 1] - flat[a + 1]];
    const [dx, dy, ex, ey] = [step[b] - step[a], step[b + 1] - step[a + 1], step[c] - step[a], step[c + 1] - step[a + 1]];
    // Twice the area after a share x of the step: A x^2 + B x + C, and C > 0.
    const A = dx * ey - dy * ex;
    const B = ux * ey - uy * ex + dx * vy - dy * vx;
    const C = ux * vy - uy * vx;
    const root = B * B - 4 * A * C;
    if (root < 0) continue;
    // The smallest positive root, without cancelling.
    const s = -(B + Math.sign(B || 1) * Math.sqrt(root)) / 2;
    const one = A !== 0 ? s / A : Infinity;
    const two = s !== 0 ? C / s : Infinity;
    if (one > 0 && one < first) first = one;
    if (two > 0 && two < first) first = two;
  }
  return first;
}
