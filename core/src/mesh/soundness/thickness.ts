import { crossOfTriangle, middleOfTriangle, Triangle } from '../../geometry/triangle.ts';
import { dot, lengthOf, scaled, sub, vecAt, type Vec3 } from '../../geometry/vector.ts';
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
  const probe = new Probe(mesh);
  const found: WallThickness = { of: new Float32Array(mesh.triangles.length / 3).fill(Infinity), least: Infinity, at: [0, 0, 0], thinArea: 0, samples: 0 };
  for (let i = 0; i < found.of.length; i++) {
    if (i % 4096 === 0 && progress(i / found.of.length) === true) return null;
    const area = probe.at(i);
    if (!(area > 0)) continue;
    let here = 0;
    let thin = 0;
    for (const [e, f] of probe.places()) {
      here++;
      const thickness = probe.thickness(e, f);
      if (thickness < found.of[i]) found.of[i] = thickness;
      if (thickness < limit) thin++;
      if (thickness < found.least) {
        found.least = thickness;
        found.at = probe.place;
      }
    }
    found.samples += here;
    if (here > 0) found.thinArea += area * (thin / here);
  }
  return found;
}

/** Looks from places of a triangle straight in. Lengths in mm. */
class Probe {
  /** The place that was asked for last. */
  place: Vec3 = [0, 0, 0];
  private readonly bvh: Bvh;
  private readonly diagonal: number;
  private readonly corner: Triangle;
  private readonly other: Triangle;
  private readonly cosine = Math.cos((leaning * Math.PI) / 180);
  private number = 0;
  private normal: Vec3 = [0, 0, 1];

  constructor(mesh: Mesh) {
    this.bvh = buildBvh(mesh);
    this.diagonal = diagonalOf(boxOf(mesh.positions)) || 1;
    this.corner = new Triangle(mesh);
    this.other = new Triangle(mesh);
  }

  /** Goes to a triangle. @returns its area, 0 when it has none */
  at(number: number): number {
    const { nx, ny, nz } = this.corner.at(number);
    const twice = this.corner.twice();
    if (!(twice > 1e-14 * this.diagonal * this.diagonal)) return 0;
    this.number = number;
    this.normal = [nx / twice, ny / twice, nz / twice];
    return twice / 2;
  }

  /** Places spread over the triangle, as shares of its two edges: middles of a grid, more where it is larger. */
  *places(): Generator<[number, number]> {
    const longest = Math.sqrt(this.corner.reach());
    const rows = Math.max(1, Math.min(Math.floor(Math.sqrt(mostSamples)), Math.ceil((longest * 60) / this.diagonal)));
    if (rows === 1) return yield [1 / 3, 1 / 3];
    for (let r = 0; r < rows; r++) {
      for (let s = 0; s < rows; s++) {
        const [e, f] = [(r + 0.5) / rows, (s + 0.5) / rows];
        if (e + f <= 1) yield [e, f];
      }
    }
  }

  /** How far it is from a place of the triangle to the far side; Infinity where nothing lies behind it, or it is no wall. */
  thickness(e: number, f: number): number {
    const { corner, normal, number } = this;
    this.place = [corner.x(e, f), corner.y(e, f), corner.z(e, f)];
    const start = this.diagonal * 1e-6;
    let far = Infinity;
    let triangle = -1;
    alongRay(this.bvh, { from: sub(this.place, scaled(normal, start)), along: scaled(normal, -1) }, (at, tri, facing) => {
      if (facing < 0 || tri === number) return far;
      far = at;
      triangle = tri;
      return at;
    });
    if (triangle < 0) return Infinity;
    const { nx, ny, nz } = this.other.at(triangle);
    const leans = -dot([nx, ny, nz], normal) / (this.other.twice() || 1) < this.cosine;
    return leans ? Infinity : far + start;
  }
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
    const corners = [vecAt(p, t[i] * 3), vecAt(p, t[i + 1] * 3), vecAt(p, t[i + 2] * 3)];
    let tight = 0;
    for (const place of [...corners, middleOfTriangle(a, i / 3)]) {
      const d = Math.sqrt(nearestOnMesh(tree, place, out).squared);
      if (d < clearance) tight++;
      if (d < least) {
        least = d;
        at = place;
      }
    }
    if (tight === 4) tightArea += lengthOf(crossOfTriangle(a, i / 3)) / 2;
  }
  return { least, at, tightArea };
}
