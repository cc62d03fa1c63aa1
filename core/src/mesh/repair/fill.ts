import { lastCorner, nextCorner } from '../../geometry/edges.ts';
import type { Mesh } from '../../geometry/mesh.ts';
import { angleAt } from '../../geometry/triangle.ts';
import { leastArea, type FillLimits } from './holes.ts';

/** How a hole is closed: with the least area (flat where it can be), or bent to go on as the surface around it does. */
export type HoleFill = 'flat' | 'surface';

/**
 * New vertices and triangles for a loop of the mesh, and their corners as numbers into the loop; none when the limits leave no way. `surface` refines the least-area fill to the edge lengths around it
 * and then moves its inner vertices until it is as smooth as the ring around it.
 * Source: Liepa, Filling holes in meshes, 2003 (refinement, umbrella fairing).
 */
export function fillHole(
  mesh: Mesh,
  loop: readonly number[],
  { how, ring = [], limits = null }: { how: HoleFill; ring?: readonly number[][]; limits?: FillLimits | null },
): { positions: number[]; triangles: number[]; corners: number[] } {
  const points = new Float64Array(loop.length * 3);
  loop.forEach((v, i) => points.set(mesh.positions.subarray(v * 3, v * 3 + 3), i * 3));
  const flat = leastArea(points, limits);
  if (flat.length === 0) return { positions: [], triangles: [], corners: [] };
  const base = mesh.positions.length / 3;
  if (how === 'flat' || loop.length < 5) return { positions: [], triangles: flat.map((i) => loop[i]), corners: flat };
  const refined = refine(points, flat);
  fair(refined, points.length / 3, mesh, ring);
  const n = loop.length;
  return {
    positions: refined.points.slice(n * 3),
    triangles: refined.triangles.map((i) => (i < n ? loop[i] : base + i - n)),
    corners: refined.triangles,
  };
}

interface Patch {
  points: number[];
  triangles: number[];
}

/** Splits triangles at their middle while they are larger than the edges around asks for, and turns edges that get long. */
function refine(loop: Float64Array, flat: number[]): Patch {
  const n = loop.length / 3;
  const points = Array.from(loop);
  const size: number[] = [];
  const far = (i: number, j: number) => Math.hypot(points[i * 3] - points[j * 3], points[i * 3 + 1] - points[j * 3 + 1], points[i * 3 + 2] - points[j * 3 + 2]);
  for (let i = 0; i < n; i++) size.push((far(i, (i + 1) % n) + far(i, (i + n - 1) % n)) / 2);
  let triangles = [...flat];
  const reach = Math.SQRT2;
  for (let round = 0; round < 12 && triangles.length < 60_000; round++) {
    const out: number[] = [];
    let split = false;
    for (let i = 0; i < triangles.length; i += 3) {
      const [a, b, c] = [triangles[i], triangles[i + 1], triangles[i + 2]];
      const middle = [0, 1, 2].map((k) => (points[a * 3 + k] + points[b * 3 + k] + points[c * 3 + k]) / 3);
      const s = (size[a] + size[b] + size[c]) / 3;
      const apart = [a, b, c].every((v) => {
        const d = reach * Math.hypot(points[v * 3] - middle[0], points[v * 3 + 1] - middle[1], points[v * 3 + 2] - middle[2]);
        return d > s && d > size[v];
      });
      if (!apart) {
        out.push(a, b, c);
        continue;
      }
      const m = points.length / 3;
      points.push(...middle);
      size.push(s);
      out.push(a, b, m, b, c, m, c, a, m);
      split = true;
    }
    triangles = out;
    relax(points, triangles, n);
    if (!split) break;
  }
  return { points, triangles };
}

/** Turns inner edges whose opposite corners see them under more than half a turn together (Delaunay), a few rounds. */
function relax(points: number[], t: number[], fixed: number): void {
  const isRim = (a: number, b: number) => a < fixed && b < fixed && Math.abs(a - b) === 1;
  for (let round = 0; round < 8; round++) {
    /** The corner at which each edge begins, by its two ends; -1 for edges that this round made. */
    const edges = new Map<number, number>();
    for (let i = 0; i < t.length; i++) edges.set(t[i] * 2 ** 26 + t[nextCorner(i)], i);
    /** Triangles that were turned in this round. */
    const busy = new Uint8Array(t.length / 3);
    let turned = 0;
    for (let i = 0; i < t.length; i++) {
      const [a, b] = [t[i], t[nextCorner(i)]];
      const j = busy[Math.floor(i / 3)] || isRim(a, b) ? -1 : (edges.get(b * 2 ** 26 + a) ?? -1);
      const [f, g] = [Math.floor(i / 3), Math.floor(j / 3)];
      if (j < 0 || busy[g] || f === g) continue;
      const [c, d] = [t[lastCorner(i)], t[lastCorner(j)]];
      if (c === d || edges.has(c * 2 ** 26 + d) || edges.has(d * 2 ** 26 + c)) continue;
      if (angleAt(points, c * 3, a * 3, b * 3) + angleAt(points, d * 3, a * 3, b * 3) <= Math.PI + 1e-9) continue;
      [t[f * 3], t[f * 3 + 1], t[f * 3 + 2]] = [a, d, c];
      [t[g * 3], t[g * 3 + 1], t[g * 3 + 2]] = [d, b, c];
      busy[f] = busy[g] = 1;
      edges.set(c * 2 ** 26 + d, -1).set(d * 2 ** 26 + c, -1);
      turned++;
    }
    if (turned === 0) break;
  }
}

/** Moves inner points until the second umbrella vanishes, with the ring around the hole as the slope to meet. */
function fair(patch: Patch, fixed: number, mesh: Mesh, ring: readonly number[][]): void {
  const { points, triangles } = patch;
  const count = points.length / 3;
  if (count === fixed) return;
  const near: Set<number>[] = Array.from({ length: count }, () => new Set<number>());
  for (let i = 0; i < triangles.length; i += 3) {
    for (let k = 0; k < 3; k++) {
      near[triangles[i + k]].add(triangles[i + ((k + 1) % 3)]);
      near[triangles[i + k]].add(triangles[i + ((k + 2) % 3)]);
    }
  }
  // Ring vertices of the mesh stand behind the patch's own points, unmoved.
  const all = points.slice();
  ring.forEach((outside, i) => {
    for (const v of outside) {
      near[i].add(all.length / 3);
      all.push(mesh.positions[v * 3], mesh.positions[v * 3 + 1], mesh.positions[v * 3 + 2]);
    }
  });
  const lists = near.map((s) => [...s]);
  const umbrella = new Float64Array(count * 3);
  // Start from the membrane.
  for (let round = 0; round < 60; round++)
    for (let v = fixed; v < count; v++) {
      umbrellaAt(all, lists[v], v, umbrella);
      for (let k = 0; k < 3; k++) all[v * 3 + k] += umbrella[v * 3 + k];
    }
  thinPlate(all, { lists, umbrella, fixed });
  for (let i = fixed * 3; i < count * 3; i++) points[i] = all[i];
}

/** From a point to the middle of its neighbours. */
function umbrellaAt(all: readonly number[], list: readonly number[], v: number, out: Float64Array): void {
  for (let k = 0; k < 3; k++) {
    let sum = 0;
    for (const o of list) sum += all[o * 3 + k];
    out[v * 3 + k] = sum / list.length - all[v * 3 + k];
  }
}

/** A thin plate: the second umbrella is 0 at all points but the first `fixed`; relaxed with the usual weight 1 + 1 / valence. */
function thinPlate(all: number[], { lists, umbrella, fixed }: { lists: readonly number[][]; umbrella: Float64Array; fixed: number }): void {
  const count = lists.length;
  const weights = lists.map((list) => 1 + list.reduce((sum, o) => sum + (o < count ? 1 / (list.length * lists[o].length) : 0), 0));
  // The more vertices, the slower it settles; the bound keeps the time in hand.
  const rounds = Math.min(20_000, Math.max(600, Math.floor(6e6 / (count - fixed))));
  for (let round = 0; round < rounds; round++) {
    for (let v = 0; v < count; v++) umbrellaAt(all, lists[v], v, umbrella);
    let moved = 0;
    for (let v = fixed; v < count; v++) {
      const list = lists[v];
      for (let k = 0; k < 3; k++) {
        let second = 0;
        for (const o of list) second += o < count ? umbrella[o * 3 + k] : 0;
        const step = -(second / list.length - umbrella[v * 3 + k]) / weights[v];
        all[v * 3 + k] += step * 0.9;
        moved = Math.max(moved, Math.abs(step));
      }
    }
    if (moved < 1e-9) break;
  }
}
