import type { Edges } from '../geometry/edges.ts';
import { crossOfTriangle, vertexOf } from '../geometry/triangle.ts';
import type { Mesh } from '../geometry/mesh.ts';
import { solve } from '../geometry/solve.ts';
import { add, cross, distance, dot, lengthOf, scaled, sub, unit, type Vec3 } from '../geometry/vector.ts';

/** A surface that some triangles of a mesh lie on. Lengths in the mesh's own unit, angles in rad. */
export type Fitted =
  | { kind: 'plane'; at: Vec3; normal: Vec3 }
  | { kind: 'cylinder'; at: Vec3; axis: Vec3; r: number }
  | { kind: 'cone'; apex: Vec3; axis: Vec3; half: number }
  | { kind: 'sphere'; centre: Vec3; r: number };

/** What belongs to one surface turns less than this from triangle to triangle, degrees; tried from the widest on. */
const turns = [25, 12, 6, 2, 0.5];
/** Corners lie this near to the surface that is fitted to them, as a share of its radius, or of the region's size where that is less. */
export const fitShare = 1e-3;
/** A plane's triangles turn less than this from its normal, degrees. */
const flatTurn = 0.5;
/** Fewer directions than this may as well be so many planes. */
export const leastDirections = 4;
/** Directions nearer to each other than this count once, degrees. */
const sameDirection = 0.5;
/** No more triangles are looked at for one face. */
const mostTriangles = 400_000;

const cosine = (degrees: number) => Math.cos((degrees * Math.PI) / 180);

/** Triangles around one, across edges that turn less than a limit; null when there are too many. */
function smoothAround({ across }: Edges, normals: (t: number) => Vec3, seed: number, degrees: number): number[] | null {
  const least = cosine(degrees);
  const seen = new Set([seed]);
  const list = [seed];
  for (let i = 0; i < list.length; i++) {
    const n = normals(list[i]);
    for (let k = 0; k < 3; k++) {
      const other = across[list[i] * 3 + k];
      if (other < 0) continue;
      const t = (other / 3) | 0;
      if (seen.has(t) || dot(normals(t), n) < least) continue;
      if (list.length >= mostTriangles) return null;
      seen.add(t);
      list.push(t);
    }
  }
  return list;
}

interface Region {
  /** Unit normals of the triangles, and their areas. */
  normals: Vec3[];
  areas: number[];
  /** One corner of each triangle, and all corners once. */
  corners: Vec3[];
  points: Vec3[];
  middle: Vec3;
  size: number;
}

function regionOf(mesh: Mesh, list: number[]): Region {
  const crosses = list.map((t) => crossOfTriangle(mesh, t));
  const points = [...new Set(list.flatMap((t) => [0, 1, 2].map((k) => mesh.triangles[t * 3 + k])))].map((v) => vertexOf(mesh, v));
  const middle = scaled(points.reduce(add, [0, 0, 0]), 1 / points.length);
  return {
    normals: crosses.map(unit),
    areas: crosses.map((c) => lengthOf(c) / 2),
    corners: list.map((t) => vertexOf(mesh, mesh.triangles[t * 3])),
    points,
    middle,
    size: points.reduce((most, p) => Math.max(most, distance(p, middle)), 0),
  };
}

/** The surface that the triangles around one lie on, and those triangles; a single plane where nothing round fits. @example meshFace(mesh, edges, 12).fitted.kind // 'cylinder' */
export function meshFace(mesh: Mesh, edges: Edges, seed: number): { fitted: Fitted; list: number[] } {
  const kept = new Map<number, Vec3>();
  const normals = (t: number): Vec3 => {
    let n = kept.get(t);
    if (!n) kept.set(t, (n = unit(crossOfTriangle(mesh, t))));
    return n;
  };
  for (const degrees of turns) {
    const list = smoothAround(edges, normals, seed, degrees);
    if (!list) continue;
    const region = regionOf(mesh, list);
    const fitted = planeFit(region) ?? roundFit(region);
    if (fitted) return { fitted, list };
  }
  return { fitted: { kind: 'plane', at: vertexOf(mesh, mesh.triangles[seed * 3]), normal: normals(seed) }, list: [seed] };
}

function planeFit({ normals, areas, points, middle, size }: Region): Fitted | null {
  const n = unit(normals.reduce<Vec3>((sum, v, i) => add(sum, scaled(v, areas[i])), [0, 0, 0]));
  const least = cosine(flatTurn);
  if (normals.some((v) => dot(v, n) < least)) return null;
  return points.some((p) => Math.abs(dot(sub(p, middle), n)) > fitShare * size) ? null : { kind: 'plane', at: middle, normal: n };
}

function roundFit(region: Region): Fitted | null {
  if (directions(region.normals) < leastDirections) return null;
  // A strip from rim to rim is inscribed in a ball as well as it is a cone: what its facets make is the cone.
  return cylinderFit(region) ?? coneFit(region) ?? sphereFit(region);
}

/** How many different ways triangles face, up to as many as matter. */
function directions(normals: Vec3[]): number {
  const least = cosine(sameDirection);
  const found: Vec3[] = [];
  for (const n of normals) {
    if (found.some((f) => dot(f, n) > least)) continue;
    found.push(n);
    if (found.length >= leastDirections) break;
  }
  return found.length;
}

/** The direction in which vectors differ least from their mean. Source: principal axes of a covariance, by Jacobi's rotations. */
function leastSpread(vectors: Vec3[], weights: number[], mean: Vec3): Vec3 {
  const m = [0, 0, 0, 0, 0, 0, 0, 0, 0];
  vectors.forEach((v, i) => {
    const d = sub(v, mean);
    for (let r = 0; r < 3; r++) for (let c = 0; c < 3; c++) m[r * 3 + c] += weights[i] * d[r] * d[c];
  });
  const axes = [1, 0, 0, 0, 1, 0, 0, 0, 1];
  for (let sweep = 0; sweep < 30; sweep++) {
    for (const [p, q] of [[0, 1], [0, 2], [1, 2]]) {
      const off = m[p * 3 + q];
      if (Math.abs(off) < 1e-300) continue;
      const theta = (m[q * 3 + q] - m[p * 3 + p]) / (2 * off);
      const t = (theta >= 0 ? 1 : -1) / (Math.abs(theta) + Math.sqrt(theta * theta + 1));
      const c = 1 / Math.sqrt(t * t + 1);
      rotated(m, axes, { p, q, c, s: t * c });
    }
  } // prettier-ignore
  const least = [0, 1, 2].reduce((best, k) => (m[k * 4] < m[best * 4] ? k : best), 0);
  return unit([axes[least], axes[3 + least], axes[6 + least]]);
}

/** One of Jacobi's rotations, of the matrix and of the axes found so far. */
function rotated(m: number[], axes: number[], { p, q, c, s }: { p: number; q: number; c: number; s: number }): void {
  for (let k = 0; k < 3; k++) [m[k * 3 + p], m[k * 3 + q]] = [c * m[k * 3 + p] - s * m[k * 3 + q], s * m[k * 3 + p] + c * m[k * 3 + q]];
  for (let k = 0; k < 3; k++) [m[p * 3 + k], m[q * 3 + k]] = [c * m[p * 3 + k] - s * m[q * 3 + k], s * m[p * 3 + k] + c * m[q * 3 + k]];
  for (let k = 0; k < 3; k++) [axes[k * 3 + p], axes[k * 3 + q]] = [c * axes[k * 3 + p] - s * axes[k * 3 + q], s * axes[k * 3 + p] + c * axes[k * 3 + q]];
}

/** The axis is what all normals are square to; corners then lie on a circle about it. Source: least squares of a circle after Kasa, 1976. */
function cylinderFit({ normals, areas, points, middle }: Region): Fitted | null {
  const axis = leastSpread(normals, areas, [0, 0, 0]);
  if (normals.some((n) => Math.abs(dot(n, axis)) > Math.sin((3 * Math.PI) / 180))) return null;
  const x = unit(cross(Math.abs(axis[0]) < 0.6 ? [1, 0, 0] : [0, 1, 0], axis));
  const y = cross(axis, x);
  const a = [0, 0, 0, 0, 0, 0, 0, 0, 0];
  const b = [0, 0, 0];
  const flat = points.map((p): [number, number] => [dot(sub(p, middle), x), dot(sub(p, middle), y)]);
  for (const [u, v] of flat) summed(a, b, [u, v, 1], u * u + v * v);
  const found = solve(a, b);
  if (!found) return null;
  const [cx, cy] = [found[0] / 2, found[1] / 2];
  const r = Math.sqrt(found[2] + cx * cx + cy * cy);
  if (!(r > 0) || flat.some(([u, v]) => Math.abs(Math.hypot(u - cx, v - cy) - r) > fitShare * r)) return null;
  return { kind: 'cylinder', at: add(middle, add(scaled(x, cx), scaled(y, cy))), axis, r };
}

/** One more equation of a least squares problem. */
function summed(a: number[], b: number[], row: number[], value: number): void {
  const n = row.length;
  for (let i = 0; i < n; i++) {
    b[i] += row[i] * value;
    for (let k = 0; k < n; k++) a[i * n + k] += row[i] * row[k];
  }
}

function sphereFit({ normals, corners, points, middle }: Region): Fitted | null {
  const a = Array.from({ length: 16 }, () => 0);
  const b = [0, 0, 0, 0];
  const local = points.map((p) => sub(p, middle));
  for (const p of local) summed(a, b, [...p, 1], dot(p, p));
  const found = solve(a, b);
  if (!found) return null;
  const centre: Vec3 = [found[0] / 2, found[1] / 2, found[2] / 2];
  const r = Math.sqrt(found[3] + dot(centre, centre));
  if (!(r > 0) || local.some((p) => Math.abs(distance(p, centre) - r) > fitShare * r)) return null;
  // Facets of a ball stand for little of it each: planes far within it are those of something else with its corners on a ball.
  const inner = r * cosine(turns[0]);
  if (normals.some((n, i) => Math.abs(dot(n, sub(sub(corners[i], middle), centre))) < inner)) return null;
  return { kind: 'sphere', centre: add(middle, centre), r };
}

/** Normals of a cone end on a circle about its axis; all its tangent planes go through the apex. */
function coneFit({ normals, areas, corners, points, middle, size }: Region): Fitted | null {
  const whole = areas.reduce((sum, v) => sum + v, 0);
  const mean = scaled(
    normals.reduce<Vec3>((sum, n, i) => add(sum, scaled(n, areas[i])), [0, 0, 0]),
    1 / whole,
  );
  const axis = leastSpread(normals, areas, mean);
  const a = [0, 0, 0, 0, 0, 0, 0, 0, 0];
  const b = [0, 0, 0];
  normals.forEach((n, i) => summed(a, b, n, dot(n, sub(corners[i], middle))));
  const found = solve(a, b);
  if (!found) return null;
  const apex = add(middle, found as Vec3);
  // Corners lie on the cone, facets within it: its slope is that of the corners.
  const seen = points.map((p) => {
    const d = sub(p, apex);
    const h = Math.abs(dot(d, axis));
    return { h, rho: Math.sqrt(Math.max(0, dot(d, d) - h * h)) };
  });
  const half = Math.atan2(
    seen.reduce((sum, { rho }) => sum + rho, 0),
    seen.reduce((sum, { h }) => sum + h, 0),
  );
  const off = ({ h, rho }: { h: number; rho: number }) => Math.abs(rho * Math.cos(half) - h * Math.sin(half));
  return seen.every((p) => off(p) <= fitShare * size) ? { kind: 'cone', apex, axis, half } : null;
}
