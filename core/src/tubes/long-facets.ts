import type { Edges } from '../geometry/edges.ts';
import { crossOfTriangle, vertexOf } from '../geometry/triangle.ts';
import type { Mesh } from '../geometry/mesh.ts';
import { solve } from '../geometry/solve.ts';
import { add, cross, distance, dot, lengthOf, scaled, sub, unit, type Vec3 } from '../geometry/vector.ts';
import type { Sweep } from './sweep.ts';

/** A facet of a round straight leans against its axis by less than this, rad: it goes from one ring to the other. */
const mostLean = 0.08;
/** Facets of one straight are as long as each other within this share. */
const asLong = 0.01;
/** Rings have at least so many corners. */
const leastCorners = 6;

/**
 * Round straights of a mesh whose two rings stand turned against each other, as many programs write them: their facets are triangles from ring to
 * ring that are not flat strips, but the corners of both rings lie on circles, and the axis goes from centre to centre.
 * @param faceOf number of the face of each triangle
 * @param near how exactly corners are known, mm
 */
export function longStraights({ mesh, edges, faceOf, near }: { mesh: Mesh; edges: Edges; faceOf: Int32Array; near: number }): Omit<Sweep, 'body'>[] {
  const count = mesh.triangles.length / 3;
  const longest = new Float64Array(count);
  for (let t = 0; t < count; t++) longest[t] = Math.max(...[0, 1, 2].map((k) => lengthOf(sideOf(mesh, t, k))));
  const order = Array.from({ length: count }, (_, t) => t).sort((a, b) => longest[b] - longest[a]);
  const used = new Uint8Array(count);
  const out: Omit<Sweep, 'body'>[] = [];
  for (const seed of order) {
    if (used[seed]) continue;
    used[seed] = 1;
    const along = axisNear(mesh, edges, seed, longest[seed]);
    if (!along) continue;
    const region = grown({ mesh, edges }, seed, along, used);
    if (region.length < leastCorners) continue;
    const sweep = sweepOfRegion(mesh, region, along, near);
    if (!sweep) continue;
    for (const t of region) used[t] = 1;
    out.push({ ...sweep, faces: [...new Set(region.map((t) => faceOf[t]))] });
  }
  return out;
}

const corner = (mesh: Mesh, t: number, k: number): Vec3 => vertexOf(mesh, mesh.triangles[t * 3 + (k % 3)]);
const sideOf = (mesh: Mesh, t: number, k: number): Vec3 => sub(corner(mesh, t, k + 1), corner(mesh, t, k));

/** The direction that a long triangle and its neighbour over the longest side have in common; null when it is not long along it. */
function axisNear(mesh: Mesh, edges: Edges, t: number, longest: number): Vec3 | null {
  const k = [0, 1, 2].find((i) => lengthOf(sideOf(mesh, t, i)) >= longest)!;
  const side = scaled(sideOf(mesh, t, k), 1 / longest);
  const other = edges.across[t * 3 + k];
  if (other < 0) return null;
  const n = cross(unit(crossOfTriangle(mesh, t)), unit(crossOfTriangle(mesh, Math.floor(other / 3))));
  const s = lengthOf(n);
  const along = s > 1e-3 ? scaled(n, 1 / s) : side;
  return Math.abs(dot(along, side)) > 0.9 ? along : null;
}

const spanOf = (mesh: Mesh, t: number, along: Vec3): [number, number] => {
  const at = [0, 1, 2].map((k) => dot(corner(mesh, t, k), along));
  return [Math.min(...at), Math.max(...at)];
};

function grown({ mesh, edges }: { mesh: Mesh; edges: Edges }, seed: number, along: Vec3, used: Uint8Array): number[] {
  const [low, high] = spanOf(mesh, seed, along);
  const slack = Math.max((high - low) * (asLong + mostLean * 0.1), 1e-6);
  const region = [seed];
  const seen = new Set(region);
  for (let i = 0; i < region.length; i++) {
    for (let k = 0; k < 3; k++) {
      const other = edges.across[region[i] * 3 + k];
      if (other < 0) continue;
      const u = Math.floor(other / 3);
      if (used[u] || seen.has(u)) continue;
      const n = crossOfTriangle(mesh, u);
      const size = lengthOf(n);
      if (!(size > 0) || Math.abs(dot(n, along)) > mostLean * size) continue;
      const [a, b] = spanOf(mesh, u, along);
      if (Math.abs(a - low) > slack || Math.abs(b - high) > slack) continue;
      seen.add(u);
      region.push(u);
    }
  }
  return region;
}

function sweepOfRegion(mesh: Mesh, region: readonly number[], along: Vec3, near: number): Omit<Sweep, 'faces' | 'body'> | null {
  const vertices = [...new Set(region.flatMap((t) => [0, 1, 2].map((k) => mesh.triangles[t * 3 + k])))];
  const at = vertices.map((v) => dot(vertexOf(mesh, v), along));
  const middle = (Math.min(...at) + Math.max(...at)) / 2;
  const [low, high] = [vertices.filter((_, i) => at[i] < middle), vertices.filter((_, i) => at[i] >= middle)].map((ring) =>
    circleOf(
      ring.map((v) => vertexOf(mesh, v)),
      along,
    ),
  );
  if (!low || !high) return null;
  const slack = Math.max(near * 4, low.r * 2e-4);
  if (low.off > slack || high.off > slack || Math.abs(low.r - high.r) > slack) return null;
  const axis = unit(sub(high.centre, low.centre));
  for (const ring of [low, high]) if (ring.points.some((p) => Math.abs(dot(sub(p, ring.centre), axis)) > slack)) return null;
  const r = (low.r + high.r) / 2;
  const x = unit(cross(axis, Math.abs(axis[0]) < 0.6 ? [1, 0, 0] : [0, 1, 0]));
  const y = cross(axis, x);
  const length = distance(low.centre, high.centre);
  // The corners go all the way round.
  const turns = low.points.map((p) => Math.atan2(dot(sub(p, low.centre), y), dot(sub(p, low.centre), x))).sort((a, b) => a - b);
  if (turns.some((a, i) => (i > 0 ? a - turns[i - 1] : a + 2 * Math.PI - turns[turns.length - 1]) > 1.1)) return null;
  const outwards = region.reduce((sum, t) => {
    const p = sub(corner(mesh, t, 0), low.centre);
    return sum + dot(crossOfTriangle(mesh, t), sub(p, scaled(axis, dot(p, axis))));
  }, 0);
  const ring = (t: number): Vec3[] => [0, 1, 2, 3].map((k): Vec3 => [r * Math.cos((k * Math.PI) / 2), r * Math.sin((k * Math.PI) / 2), t]);
  return {
    kind: 'straight',
    at: low.centre,
    along: axis,
    x,
    y,
    loop: [{ from: [r, 0], to: [r, 0], arc: { centre: [0, 0], r, middle: [-r, 0] } }],
    solid: outwards > 0,
    edges: [],
    bounds: [ring(0), ring(length)],
    corners: low.points.length,
  };
}

/** The circle of a ring of corners, seen along a direction: least squares (Kasa, A circle fitting procedure, 1976, from memory), in the ring's own plane. */
function circleOf(points: Vec3[], along: Vec3): { centre: Vec3; r: number; off: number; points: Vec3[] } | null {
  if (points.length < leastCorners) return null;
  const mean = scaled(
    points.reduce((a, b) => add(a, b), [0, 0, 0] as Vec3),
    1 / points.length,
  );
  // Normal of the ring by the areas of its corners taken in turn (Newell).
  const x0 = unit(cross(along, Math.abs(along[0]) < 0.6 ? [1, 0, 0] : [0, 1, 0]));
  const y0 = cross(along, x0);
  const turned = [...points].sort(
    (p, q) => Math.atan2(dot(sub(p, mean), y0), dot(sub(p, mean), x0)) - Math.atan2(dot(sub(q, mean), y0), dot(sub(q, mean), x0)),
  );
  const normal = unit(turned.reduce((n, p, i) => add(n, cross(sub(p, mean), sub(turned[(i + 1) % turned.length], mean))), [0, 0, 0] as Vec3));
  const x = unit(cross(normal, Math.abs(normal[0]) < 0.6 ? [1, 0, 0] : [0, 1, 0]));
  const y = cross(normal, x);
  const a = new Float64Array(9);
  const b = new Float64Array(3);
  for (const p of points) {
    const [u, v] = [dot(sub(p, mean), x), dot(sub(p, mean), y)];
    const row = [u, v, 1];
    const z = u * u + v * v;
    for (let i = 0; i < 3; i++) {
      b[i] += row[i] * z;
      for (let j = 0; j < 3; j++) a[i * 3 + j] += row[i] * row[j];
    }
  }
  const s = solve(a, b);
  if (!s) return null;
  const centre = add(mean, add(scaled(x, s[0] / 2), scaled(y, s[1] / 2)));
  const r = Math.sqrt(s[2] + (s[0] * s[0] + s[1] * s[1]) / 4);
  const off = points.reduce((worst, p) => Math.max(worst, Math.abs(distance(p, centre) - r), Math.abs(dot(sub(p, mean), normal))), 0);
  return { centre, r, off, points };
}
