import { cross, type Vec3, vecAt } from '../../geometry/vector.ts';
import { MeshoptSimplifier } from 'meshoptimizer';
import { buildBvh, type Bvh } from '../../geometry/bvh/build.ts';
import { nearestOnMesh, nowhere } from '../../geometry/bvh/nearest.ts';
import { boxOf } from '../../geometry/box.ts';
import { edgesOf } from '../../geometry/edges.ts';
import type { Mesh } from '../../geometry/mesh.ts';
import { keepTriangles } from '../../geometry/shells.ts';
import { parted, withoutDoubles } from '../repair/steps.ts';
import { Unusable } from '../../base/finding.ts';
import { twoSidedDistance, type TwoWay } from './distance.ts';

/** How light: a number of triangles, or the finest mesh that keeps a deviation (mm). One of them. */
export interface LighterChoice {
  triangles: number | null;
  deviation: number | null;
}

export interface Lighter {
  mesh: Mesh;
  before: number;
  after: number;
  /** Two-sided distance to the mesh before, measured, mm. */
  measured: TwoWay;
  /** Closed before and after. */
  closedBefore: boolean;
  closedAfter: boolean;
}

type Progress = (share: number, what: string) => boolean | void;

/**
 * A mesh with fewer triangles by collapsing edges onto their ends: no vertex moves, sharp edges cost most and go last, open
 * edges stay where they are. Closedness is checked after; a collapse that would have closed a crack or opened a surface is
 * taken back: sheets folded onto one edge are parted.
 * Collapsing: meshoptimizer (quadrics: Garland and Heckbert, Surface simplification using quadric error metrics, 1997). Its own
 * error is a guess, so the distance is measured.
 *
 * @param progress called with 0..1; true gives up, and null is returned.
 */
export async function makeLighter(mesh: Mesh, choice: LighterChoice, progress: Progress = () => {}): Promise<Lighter | null> {
  await MeshoptSimplifier.ready;
  if (progress(0, 'collapsing edges') === true) return null;
  const run = collapser(mesh, isClosed(mesh));
  if (choice.triangles !== null) {
    if (!(choice.triangles >= 4)) throw new Unusable('too-few-triangles', 'A solid needs four triangles at least.', 'Ask for more.');
    const made = run(choice.triangles, Infinity).mesh;
    return progress(0.4, 'measuring') === true ? null : finished(mesh, made, progress);
  }
  const promise = choice.deviation ?? 0;
  if (!(promise > 0)) throw new Unusable('no-deviation', 'The deviation must be above 0 mm.', 'Type one, for instance 0.05.');
  return withinPromise(mesh, run, promise, progress);
}

/** As few triangles as keep a promise, mm. */
function withinPromise(mesh: Mesh, run: Collapser, promise: number, progress: Progress): Lighter | null {
  const tree = buildBvh(mesh);
  const vertices = mesh.positions.length / 3;
  // The library's error is a guess. It is asked for less and less until the promise holds but for a few places ...
  let share = 1;
  for (let step = 0; step < 9; step++, share *= 0.7) {
    if (progress(step / 30, 'collapsing edges') === true) return null;
    if (lockFar(tree, run(0, promise * share).indices, promise, new Uint8Array(vertices)) <= 0.002 * vertices) break;
  }
  // ... where the vertices are locked, and it is asked again.
  for (let round = 0; round < 4; round++, share *= 0.7) {
    const lock = new Uint8Array(vertices);
    let made = { mesh, indices: mesh.triangles };
    for (let inner = 0; inner < 8; inner++) {
      if (progress(0.3 + (round * 8 + inner) / 50, 'collapsing edges') === true) return null;
      made = run(0, promise * share, inner === 0 ? null : lock);
      if (lockFar(tree, made.indices, promise, lock) === 0) break;
    }
    if (progress(0.3 + (round * 8 + 8) / 50, 'measuring') === true) return null;
    const measured = twoSidedDistance(mesh, made.mesh, { limit: promise });
    if (Math.max(measured.largest, measured.unsure) <= promise) return lighterBy(mesh, made.mesh, measured);
  }
  // Even small steps were too coarse: the mesh stays as it is.
  return lighterBy(mesh, mesh, twoSidedDistance(mesh, mesh));
}

/**
 * Locks the vertices that lie farther than the promise from the lighter surface, those of lighter triangles that lie farther
 * from the mesh (fins that a collapse folded up), and their neighbours. Says how many places there were.
 */
function lockFar(meshTree: Bvh, indices: Uint32Array, promise: number, lock: Uint8Array): number {
  const { positions: p, triangles: t } = meshTree.mesh;
  const tree = buildBvh({ positions: p, triangles: indices });
  const out = nowhere();
  // A little is left for what lies between the places looked at.
  const limit = (0.85 * promise) ** 2;
  const far = new Uint8Array(lock.length);
  let count = 0;
  const beyond = (within: Bvh, at: Vec3) => nearestOnMesh(within, at, out, limit).triangle < 0;
  for (let v = 0; v < lock.length; v++) {
    if (!beyond(tree, vecAt(p, v * 3))) continue;
    far[v] = 1;
    count++;
  }
  // Weights of the corners: places spread over a lighter triangle.
  const weights = [[1 / 3, 1 / 3], [0.5, 0], [0, 0.5], [0.5, 0.5], [0.25, 0], [0.75, 0], [0, 0.25], [0, 0.75], [0.25, 0.75], [0.75, 0.25], [0.2, 0.2], [0.6, 0.2], [0.2, 0.6]]; // prettier-ignore
  for (let i = 0; i < indices.length; i += 3) {
    const [a, b, c] = [indices[i] * 3, indices[i + 1] * 3, indices[i + 2] * 3];
    for (const [u, v] of weights) {
      const at = (k: number) => p[a + k] + u * (p[b + k] - p[a + k]) + v * (p[c + k] - p[a + k]);
      if (!beyond(meshTree, [at(0), at(1), at(2)])) continue;
      far[indices[i]] = far[indices[i + 1]] = far[indices[i + 2]] = 1;
      count++;
      break;
    }
  }
  if (count === 0) return 0;
  for (let i = 0; i < t.length; i += 3) if (far[t[i]] || far[t[i + 1]] || far[t[i + 2]]) lock[t[i]] = lock[t[i + 1]] = lock[t[i + 2]] = 1;
  return count;
}

/** Collapses without the measuring, for the bench and for previews: at most so many triangles. */
export async function collapsedTo(mesh: Mesh, triangles: number): Promise<Mesh> {
  await MeshoptSimplifier.ready;
  return collapser(mesh, isClosed(mesh))(triangles, Infinity).mesh;
}

function isClosed(mesh: Mesh): boolean {
  const { open, nonManifold, flipped } = edgesOf(mesh.triangles, mesh.positions.length / 3);
  return mesh.triangles.length > 0 && open + nonManifold + flipped === 0;
}

/** Collapses to so many triangles or so large an error, the library's own; what is locked stays. */
type Collapser = (triangles: number, error: number, lock?: Uint8Array | null) => { mesh: Mesh; indices: Uint32Array };

function collapser(mesh: Mesh, mustClose: boolean): Collapser {
  const box = boxOf(mesh.positions);
  const vertices = new Float32Array(mesh.positions.length);
  const middle = [0, 1, 2].map((k) => (box.min[k] + box.max[k]) / 2);
  for (let i = 0; i < vertices.length; i++) vertices[i] = mesh.positions[i] - middle[i % 3];
  const reach = Math.max(...box.max.map((v, k) => v - box.min[k]), 1e-12);
  const none = new Float32Array(0);
  return (triangles, error, lock = null) => {
    const limit = Math.min(error, reach);
    const target = Math.min(mesh.triangles.length, Math.max(0, Math.floor(triangles)) * 3);
    for (const flags of [
      ['LockBorder', 'ErrorAbsolute'],
      ['LockBorder', 'ErrorAbsolute', 'Regularize'],
    ] as const) {
      const [indices] = lock
        ? MeshoptSimplifier.simplifyWithAttributes(mesh.triangles, vertices, 3, none, 0, [], lock, target, limit, [...flags])
        : MeshoptSimplifier.simplify(mesh.triangles, vertices, 3, target, limit, [...flags]);
      const made = keepTriangles({ positions: mesh.positions, triangles: indices }, () => true);
      if (!mustClose || isClosed(made)) return { mesh: made, indices };
      // A collapse can fold two sheets onto one edge: what lies doubled goes, and what only touches is parted by a hair.
      const single = withoutDoubles(made).mesh;
      const apart = parted(single, reach * 2 ** -18).mesh;
      if (isClosed(apart)) return { mesh: apart, indices };
    }
    return { mesh, indices: mesh.triangles };
  };
}

function finished(mesh: Mesh, made: Mesh, progress: Progress): Lighter | null {
  let gaveUp = false;
  const measured = twoSidedDistance(mesh, made, { progress: (s) => (gaveUp = progress(0.4 + 0.6 * s, 'measuring') === true) });
  if (gaveUp) return null;
  return lighterBy(mesh, made, measured);
}

const lighterBy = (mesh: Mesh, made: Mesh, measured: TwoWay): Lighter => ({
  mesh: made,
  before: mesh.triangles.length / 3,
  after: made.triangles.length / 3,
  measured,
  closedBefore: isClosed(mesh),
  closedAfter: isClosed(made),
});

/**
 * How many triangles a mesh has against what a deviation (mm) needs, from how its facets turn against each other: an edge of
 * length l whose facets turn by a stands about l a / 8 off the surface it stands for (sagitta), and the number of triangles
 * falls as the deviation grows. Edges sharper than 40 degrees are real and stand for nothing else.
 * @returns 1 when it is just right, 10 when a tenth would do.
 */
export function heavinessOf(mesh: Mesh, deviation: number): { times: number; sagitta: number } {
  const { positions: p, triangles: t } = mesh;
  const { across } = edgesOf(t, p.length / 3);
  const stride = Math.max(1, Math.floor(t.length / 300_000));
  let sum = 0;
  let count = 0;
  const normal = (tri: number) => {
    const [a, b, c] = [t[tri * 3] * 3, t[tri * 3 + 1] * 3, t[tri * 3 + 2] * 3];
    const u = [p[b] - p[a], p[b + 1] - p[a + 1], p[b + 2] - p[a + 2]];
    const v = [p[c] - p[a], p[c + 1] - p[a + 1], p[c + 2] - p[a + 2]];
    const n = cross(u, v);
    const l = Math.hypot(...n) || 1;
    return n.map((x) => x / l);
  };
  for (let c = 0; c < t.length; c += stride) {
    const other = across[c];
    if (other < 0) continue;
    const a = normal(Math.floor(c / 3));
    const b = normal(Math.floor(other / 3));
    const turn = Math.acos(Math.max(-1, Math.min(1, a[0] * b[0] + a[1] * b[1] + a[2] * b[2])));
    if (turn > 0.7) continue;
    const v = t[c] * 3;
    const w = t[c % 3 === 2 ? c - 2 : c + 1] * 3;
    sum += (Math.hypot(p[v] - p[w], p[v + 1] - p[w + 1], p[v + 2] - p[w + 2]) * turn) / 8;
    count++;
  }
  const sagitta = count > 0 ? sum / count : 0;
  return { times: sagitta > 0 ? deviation / sagitta : t.length > 3000 ? 100 : 1, sagitta };
}
