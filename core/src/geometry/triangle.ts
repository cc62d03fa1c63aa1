import type { Mesh } from './mesh.ts';
import { cross, placeAt, sub, type Vec3 } from './vector.ts';

/**
 * A triangle with area below this share of its longest edge squared (both doubled and squared: `|n|2 <= share * reach4`) counts as without
 * area: its normal is rounding. One definition for every check.
 */
export const noAreaShare = 1e-14;

/** Where a vertex of a mesh stands. @example vertexOf(mesh, mesh.triangles[0]) */
export const vertexOf = (mesh: Mesh, v: number): Vec3 => placeAt(mesh.positions, v);

/** Cross product of two sides of a triangle: its normal, as long as twice its area. @example unit(crossOfTriangle(mesh, 0)) */
export function crossOfTriangle(mesh: Mesh, tri: number): Vec3 {
  const [a, b, c] = [0, 1, 2].map((k) => vertexOf(mesh, mesh.triangles[tri * 3 + k]));
  return cross(sub(b, a), sub(c, a));
}

/** Centre of a triangle, in the mesh's own unit. @example middleOfTriangle(mesh, 0) */
export function middleOfTriangle({ positions: p, triangles: t }: Mesh, tri: number): Vec3 {
  const [a, b, c] = [t[tri * 3] * 3, t[tri * 3 + 1] * 3, t[tri * 3 + 2] * 3];
  return [(p[a] + p[b] + p[c]) / 3, (p[a + 1] + p[b + 1] + p[c + 1]) / 3, (p[a + 2] + p[b + 2] + p[c + 2]) / 3];
}

/** The angle at a point between the ways to two others, all by where they begin among the coordinates, rad; 0 where two fall together. @example angleAt([0, 0, 0, 1, 0, 0, 0, 1, 0], 0, 3, 6) // a right angle */
export function angleAt(p: ArrayLike<number>, at: number, a: number, b: number): number {
  const ux = p[a] - p[at];
  const uy = p[a + 1] - p[at + 1];
  const uz = p[a + 2] - p[at + 2];
  const vx = p[b] - p[at];
  const vy = p[b + 1] - p[at + 1];
  const vz = p[b + 2] - p[at + 2];
  const long = Math.sqrt((ux * ux + uy * uy + uz * uz) * (vx * vx + vy * vy + vz * vz));
  return long === 0 ? 0 : Math.acos(Math.max(-1, Math.min(1, (ux * vx + uy * vy + uz * vz) / long)));
}

/**
 * One triangle of a mesh at a time, for loops that make nothing: where its corners are, its two edges from the first corner, and their cross
 * product n, which is as long as twice the area and looks outside. Lengths in the mesh's own unit.
 * @example const tri = new Triangle(mesh); for (let i = 0; i < tri.count; i++) area += tri.at(i).twice() / 2;
 */
export class Triangle {
  /** Places of the corners among the positions. */
  a = 0;
  b = 0;
  c = 0;
  ux = 0;
  uy = 0;
  uz = 0;
  vx = 0;
  vy = 0;
  vz = 0;
  nx = 0;
  ny = 0;
  nz = 0;
  /** How many there are. */
  readonly count: number;
  private readonly p: Float64Array;
  private readonly t: Uint32Array;

  constructor({ positions, triangles }: Mesh) {
    this.p = positions;
    this.t = triangles;
    this.count = triangles.length / 3;
  }

  /** Goes to the triangle of this number, from 0. */
  at(index: number): this {
    const { t } = this;
    return this.over(t[index * 3] * 3, t[index * 3 + 1] * 3, t[index * 3 + 2] * 3);
  }

  /** Goes to the triangle over three places among the positions. */
  over(a: number, b: number, c: number): this {
    const { p } = this;
    const [ux, uy, uz] = [p[b] - p[a], p[b + 1] - p[a + 1], p[b + 2] - p[a + 2]];
    const [vx, vy, vz] = [p[c] - p[a], p[c + 1] - p[a + 1], p[c + 2] - p[a + 2]];
    this.a = a;
    this.b = b;
    this.c = c;
    this.ux = ux;
    this.uy = uy;
    this.uz = uz;
    this.vx = vx;
    this.vy = vy;
    this.vz = vz;
    this.nx = uy * vz - uz * vy;
    this.ny = uz * vx - ux * vz;
    this.nz = ux * vy - uy * vx;
    return this;
  }

  /** Twice its area. */
  twice(): number {
    return Math.sqrt(this.nx * this.nx + this.ny * this.ny + this.nz * this.nz);
  }

  /** A point on it: the share e along the first edge and f along the second. */
  x(e: number, f: number): number {
    return this.p[this.a] + e * this.ux + f * this.vx;
  }
  y(e: number, f: number): number {
    return this.p[this.a + 1] + e * this.uy + f * this.vy;
  }
  z(e: number, f: number): number {
    return this.p[this.a + 2] + e * this.uz + f * this.vz;
  }

  /** The longer of the two edges, squared. */
  reach(): number {
    return Math.max(this.ux * this.ux + this.uy * this.uy + this.uz * this.uz, this.vx * this.vx + this.vy * this.vy + this.vz * this.vz);
  }
}

/** The normal of a closed loop of vertices, twice its area long, however it is bent. Source: Newell's method (Sutherland, Sproull and Schumacker 1974, from memory). @example loopNormal(square, [0, 1, 2, 3]) // [0, 0, 2] for a side of 1 mm */
export function loopNormal(p: ArrayLike<number>, loop: ArrayLike<number>): Vec3 {
  const n: Vec3 = [0, 0, 0];
  for (let i = 0; i < loop.length; i++) {
    const a = loop[i] * 3;
    const b = loop[i + 1 < loop.length ? i + 1 : 0] * 3;
    n[0] += (p[a + 1] - p[b + 1]) * (p[a + 2] + p[b + 2]);
    n[1] += (p[a + 2] - p[b + 2]) * (p[a] + p[b]);
    n[2] += (p[a] - p[b]) * (p[a + 1] + p[b + 1]);
  }
  return n;
}
