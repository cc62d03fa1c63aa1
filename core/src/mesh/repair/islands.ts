import { largestOf } from '../../base/rows.ts';
import type { Loop } from '../../geometry/edges.ts';
import type { Mesh } from '../../geometry/mesh.ts';
import { loopNormal } from '../../geometry/triangle.ts';
import type { Shells } from '../../geometry/shells.ts';
import { distance, dot, lengthOf, placeAt, sub, type Vec3 } from '../../geometry/vector.ts';

/** How far an island may stand off the middle plane of its hole, as a share of the hole's radius. */
const islandOff = 0.5;
/** More loops than this are not searched for islands. */
const mostLoops = 2000;

/** A loop seen as a whole: Newell's normal and its length, its middle, how far it reaches from there, and the shell it belongs to. */
interface Figure {
  vertices: readonly number[];
  normal: Vec3;
  area: number;
  middle: Vec3;
  radius: number;
  shell: number | undefined;
}

function figureOf(p: Float64Array, vertices: readonly number[], shell: number | undefined): Figure {
  const normal = loopNormal(p, vertices);
  const middle: Vec3 = [0, 0, 0];
  for (const v of vertices) for (let d = 0; d < 3; d++) middle[d] += p[v * 3 + d] / vertices.length;
  const radius = largestOf(vertices, (v) => distance(placeAt(p, v), middle));
  return { vertices, normal, area: lengthOf(normal), middle, radius, shell };
}

/**
 * A loose piece of surface in a hole runs round the other way than the hole does, lies within it seen along the hole's normal,
 * and near its plane. Hole and island become one loop by a bridge between near vertices, so that what is between is filled.
 */
export function withIslands(mesh: Mesh, loops: Loop[], shells: Shells): Loop[] {
  if (loops.length < 2 || loops.length > mostLoops) return loops;
  const { positions: p } = mesh;
  const shellOf = shellsOfVertices(mesh, shells);
  const figures = loops.map(({ vertices }) => figureOf(p, vertices, shellOf.get(vertices[0])));
  const inHole = islandsIn(p, figures);
  if (inHole.size === 0) return loops;
  const islands = new Set([...inHole.values()].flat());
  const out: Loop[] = [];
  loops.forEach((loop, h) => {
    if (islands.has(h)) return;
    const merged = (inHole.get(h) ?? []).reduce((whole, i) => bridged(p, whole, loops[i].vertices), loop.vertices);
    out.push({ vertices: merged, closed: true });
  });
  return out;
}

function shellsOfVertices({ triangles: t }: Mesh, shells: Shells): Map<number, number> {
  const shellOf = new Map<number, number>();
  for (let c = 0; c < t.length; c++) {
    const s = shells.of[Math.floor(c / 3)];
    if (s >= 0 && !shellOf.has(t[c])) shellOf.set(t[c], s);
  }
  return shellOf;
}

/** The islands of each hole. A shell with several rims is a tube between holes, no island. */
function islandsIn(p: Float64Array, figures: readonly Figure[]): Map<number, number[]> {
  const rims = new Map<number | undefined, number>();
  for (const { shell } of figures) rims.set(shell, (rims.get(shell) ?? 0) + 1);
  const inHole = new Map<number, number[]>();
  const islands = new Set<number>();
  figures.forEach((island, i) => {
    if (rims.get(island.shell)! > 1) return;
    const h = figures.findIndex((hole, h) => !islands.has(h) && liesIn(p, island, hole));
    if (h < 0) return;
    islands.add(i);
    inHole.set(h, [...(inHole.get(h) ?? []), i]);
  });
  return inHole;
}

function liesIn(p: Float64Array, island: Figure, hole: Figure): boolean {
  if (hole.shell === island.shell || !(hole.area > island.area)) return false;
  if (!(dot(island.normal, hole.normal) < -0.5 * island.area * hole.area)) return false;
  const apart = sub(island.middle, hole.middle);
  if (lengthOf(apart) > hole.radius || Math.abs(dot(apart, hole.normal) / hole.area) > islandOff * hole.radius) return false;
  return insideLoop(p, hole.vertices, hole.normal, island.vertices[0]);
}

/** Whether a vertex lies within a loop, seen along a normal. */
function insideLoop(p: Float64Array, loop: readonly number[], normal: readonly number[], vertex: number): boolean {
  const drop = normal.map(Math.abs).indexOf(Math.max(...normal.map(Math.abs)));
  const [u, v] = [(drop + 1) % 3, (drop + 2) % 3];
  const [x, y] = [p[vertex * 3 + u], p[vertex * 3 + v]];
  let inside = false;
  for (let i = 0, j = loop.length - 1; i < loop.length; j = i++) {
    const [ax, ay, bx, by] = [p[loop[i] * 3 + u], p[loop[i] * 3 + v], p[loop[j] * 3 + u], p[loop[j] * 3 + v]];
    if (ay > y !== by > y && x < ((bx - ax) * (y - ay)) / (by - ay) + ax) inside = !inside;
  }
  return inside;
}

/** Which of some vertices is nearest to a place, by its index. */
function nearestOf(p: Float64Array, vertices: readonly number[], [x, y, z]: Vec3): number {
  let [best, index] = [Infinity, 0];
  for (let i = 0; i < vertices.length; i++) {
    const v = vertices[i] * 3;
    const d = (p[v] - x) ** 2 + (p[v + 1] - y) ** 2 + (p[v + 2] - z) ** 2;
    if (d < best) [best, index] = [d, i];
  }
  return index;
}

/** As many pairs of vertices are compared at most; of larger rims only every so manieth vertex of the island begins. */
const mostPairs = 4e6;

function bridged(p: Float64Array, hole: readonly number[], island: readonly number[]): number[] {
  const step = Math.ceil((hole.length * island.length) / mostPairs);
  let best = Infinity;
  let [a, b] = [0, 0];
  for (let j = 0; j < island.length; j += step) {
    const i = nearestOf(p, hole, placeAt(p, island[j]));
    const d = distance(placeAt(p, hole[i]), placeAt(p, island[j]));
    if (d < best) [best, a, b] = [d, i, j];
  }
  if (step > 1) b = nearestOf(p, island, placeAt(p, hole[a]));
  return [...hole.slice(0, a + 1), ...island.slice(b), ...island.slice(0, b + 1), ...hole.slice(a)];
}
