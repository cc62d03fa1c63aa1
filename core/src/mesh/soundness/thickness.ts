import { Triangle } from '../../geometry/triangle.ts';
import { buildBvh, type Bvh } from '../../geometry/bvh/build.ts';
import { nearestOnMesh, nowhere } from '../../geometry/bvh/nearest.ts';
import { alongRay } from '../../geometry/bvh/ray.ts';
import { boxOf, diagonalOf } from '../../geometry/box.ts';
import type { Mesh } from '../../geometry/mesh.ts';

/** How thick a part is, measured from every triangle. Lengths in mm, areas in mm2. */
export interface WallThickness {
  /** Thickness under each triangle (the least of its samples); Infinity where nothing lies behind it. */
  of: Float32Array;
  least: number;
  at: [number, number, number];
  /** Area under which the wall is thinner than the limit. */
  thinArea: number;
  samples: number;
}

/** No triangle gets more samples than this. */
const mostSamples = 100;
/** Walls whose far side leans by more than this (degrees) are wedges, not walls. */
const leaning = 60;

/** Beads that a wall takes: whole ones, a twentieth of a bead short still counts. Common practice, no source. */
export function beadsOf(thickness: number, bead: number): number {
  return Math.max(0, Math.floor(thickness / bead + 0.05));
}

/**
 * Wall thickness by rays: from points on every triangle straight in, to the far side, where that faces back.
 * Large triangles are sampled in several places, so that a box of twelve triangles is measured too.
 *
 * @param limit mm; what is thinner is summed up.
 * @param progress called with 0..1; true gives up, and null is returned.
 */
export function wallThickness(mesh: Mesh, limit: number, progress: (share: number) => boolean | void = () => {}): WallThickness | null {
  const bvh = buildBvh(mesh);
  const diagonal = diagonalOf(boxOf(mesh.positions)) || 1;
  const [corner, other] = [new Triangle(mesh), new Triangle(mesh)];
  const { count } = corner;
  const of = new Float32Array(count).fill(Infinity);
  const step = diagonal / 60;
  const start = diagonal * 1e-6;
  const cosine = Math.cos((leaning * Math.PI) / 180);
  let least = Infinity;
  let at: [number, number, number] = [0, 0, 0];
  let thinArea = 0;
  let samples = 0;
  const hit = { t: 0, triangle: -1 };
  for (let i = 0; i < count; i++) {
    if (i % 4096 === 0 && progress(i / count) === true) return null;
    let { nx, ny, nz } = corner.at(i);
    const twice = corner.twice();
    if (!(twice > 1e-14 * diagonal * diagonal)) continue;
    nx /= twice;
    ny /= twice;
    nz /= twice;
    const longest = Math.sqrt(corner.reach());
    const rows = Math.max(1, Math.min(Math.floor(Math.sqrt(mostSamples)), Math.ceil(longest / step)));
    let here = 0;
    let thin = 0;
    for (let r = 0; r < rows; r++) {
      for (let s = 0; s < rows; s++) {
        // Middles of a grid on the triangle; the half beyond its long side is folded back.
        let e = (r + 0.5) / rows;
        let f = (s + 0.5) / rows;
        if (rows === 1) e = f = 1 / 3;
        else if (e + f > 1) continue;
        const [x, y, z] = [corner.x(e, f), corner.y(e, f), corner.z(e, f)];
        hit.t = Infinity;
        hit.triangle = -1;
        alongRay(bvh, { from: [x - nx * start, y - ny * start, z - nz * start], along: [-nx, -ny, -nz] }, (at2, tri, facing) => {
          if (facing < 0 || tri === i) return hit.t;
          hit.t = at2;
          hit.triangle = tri;
          return at2;
        });
        samples++;
        here++;
        if (hit.triangle < 0) continue;
        if (-dotWith(other, hit.triangle, nx, ny, nz) < cosine) continue;
        const thickness = hit.t + start;
        if (thickness < of[i]) of[i] = thickness;
        if (thickness < limit) thin++;
        if (thickness < least) {
          least = thickness;
          at = [x, y, z];
        }
      }
    }
    thinArea += here > 0 ? (twice / 2) * (thin / here) : 0;
  }
  return { of, least, at, thinArea, samples };
}

function dotWith(other: Triangle, tri: number, x: number, y: number, z: number): number {
  const { nx, ny, nz } = other.at(tri);
  return (nx * x + ny * y + nz * z) / (other.twice() || 1);
}

/** The gap between two parts that stand apart or touch. Lengths in mm, area in mm2. */
export interface Gap {
  least: number;
  at: [number, number, number];
  /** Area of the first part that is nearer to the second than the clearance. */
  tightArea: number;
}

/** How near one part comes to another, from corners and middles of its triangles. */
export function gapBetween(a: Mesh, b: Mesh, clearance: number, tree: Bvh = buildBvh(b)): Gap {
  const { positions: p, triangles: t } = a;
  const out = nowhere();
  let least = Infinity;
  let at: [number, number, number] = [0, 0, 0];
  let tightArea = 0;
  for (let i = 0; i < t.length; i += 3) {
    const [u, v, w] = [t[i] * 3, t[i + 1] * 3, t[i + 2] * 3];
    const places = [
      [p[u], p[u + 1], p[u + 2]],
      [p[v], p[v + 1], p[v + 2]],
      [p[w], p[w + 1], p[w + 2]],
      [(p[u] + p[v] + p[w]) / 3, (p[u + 1] + p[v + 1] + p[w + 1]) / 3, (p[u + 2] + p[v + 2] + p[w + 2]) / 3],
    ];
    let tight = 0;
    for (const [x, y, z] of places) {
      const d = Math.sqrt(nearestOnMesh(tree, [x, y, z], out).squared);
      if (d < clearance) tight++;
      if (d < least) {
        least = d;
        at = [x, y, z];
      }
    }
    if (tight === 4) {
      const e = [p[v] - p[u], p[v + 1] - p[u + 1], p[v + 2] - p[u + 2]];
      const f = [p[w] - p[u], p[w + 1] - p[u + 1], p[w + 2] - p[u + 2]];
      tightArea += Math.hypot(e[1] * f[2] - e[2] * f[1], e[2] * f[0] - e[0] * f[2], e[0] * f[1] - e[1] * f[0]) / 2;
    }
  }
  return { least, at, tightArea };
}
