import { crossOfTriangle, middleOfTriangle, noAreaShare, Triangle } from '../../geometry/triangle.ts';
import { add, distance, lengthOf, scaled, vecAt } from '../../geometry/vector.ts';
import { buildBvh, type Bvh } from '../../geometry/bvh/build.ts';
import { windingAt } from '../../geometry/bvh/ray.ts';
import { diagonalOf } from '../../geometry/box.ts';
import { collapsed, edgesOf, lastCorner, manyEdge, nextCorner, openLoops, type Edges } from '../../geometry/edges.ts';
import { measureMesh, type Mesh, type MeshMeasures } from '../../geometry/mesh.ts';
import { nestingOf } from '../../geometry/nesting.ts';
import { shellsOf, type Shells } from '../../geometry/shells.ts';
import { soundnessOf, type MeshSoundness } from './check-mesh.ts';
import { crossingsOf, type Crossings } from './crossings.ts';
import { doubledTriangles, nearVertices } from './doubles.ts';

/** A hole: its edges' length, the largest distance between two of its vertices, its vertices' places. Lengths in mm. */
export interface HoleInfo {
  edges: number;
  length: number;
  size: number;
  closed: boolean;
  at: [number, number, number];
}

/** An island is a solid of its own in a void; a shell inside faces out where there is solid already. */
export type ShellRole = 'outer' | 'void' | 'island' | 'inside' | 'inside-out' | 'open' | 'crumb';

export interface ShellInfo {
  triangles: number;
  role: ShellRole;
  /** Signed, mm3; of an open shell it means little. */
  volume: number;
  /** Diagonal of its box, mm. */
  size: number;
  at: [number, number, number];
}

/** All that a check of a mesh finds. Counts unless said otherwise. */
export interface FullSoundness extends MeshSoundness {
  holes: HoleInfo[];
  needles: number;
  doubledTriangles: number;
  nearVertices: number;
  nonManifoldVertices: number;
  strayEdges: number;
  selfIntersections: number;
  /** Pairs of triangles that lie on each other in one plane. */
  lyingOn: number;
  cutShort: boolean;
  roles: ShellInfo[];
  /** Triangles with solid on both sides. */
  inside: number;
  measures: MeshMeasures;
  /** Where each kind is, as triangle numbers or places, to be drawn. */
  where: SoundnessPlaces;
}

export interface SoundnessPlaces {
  /** xyz of segment ends. */
  openEdges: Float32Array;
  nonManifoldEdges: Float32Array;
  flippedEdges: Float32Array;
  /** Triangle numbers. */
  crossing: Uint32Array;
  lying: Uint32Array;
  doubled: Uint32Array;
  needles: Uint32Array;
  inside: Uint32Array;
  crumbs: Uint32Array;
  /** xyz. */
  nonManifoldVertices: Float32Array;
}

/** A triangle whose height is below this share of its longest side is a needle. */
export const needleShare = 1e-3;
/** Vertices nearer than this share of the diagonal should have been one. */
export const nearShare = 1e-6;
/** A shell smaller than this share of the whole (diagonal) is a stray crumb. */
export const crumbShare = 0.02;
/** So many places of each kind are given to be drawn. */
const mostDrawn = 30_000;

export interface CheckChoice {
  /** Look for self-intersections too: the slowest part. */
  crossings: boolean;
  /** Called with 0..1; returns true to give up. */
  progress?: (share: number, what: string) => boolean | void;
}

/**
 * The whole check of a mesh but wall thickness.
 * @returns null when `progress` asked to give up
 * @example fullCheck(mesh)?.needles
 */
export function fullCheck(mesh: Mesh, choice: CheckChoice = { crossings: true }): FullSoundness | null {
  const stop = (share: number, what: string) => choice.progress?.(share, what) === true;
  const { positions: p, triangles: t } = mesh;
  const vertices = p.length / 3;
  if (stop(0, 'edges')) return null;
  const edges = edgesOf(t, vertices);
  const measures = measureMesh(mesh);
  const diagonal = diagonalOf(measures.box);
  if (stop(0.15, 'holes')) return null;
  const loops = edges.open > 0 ? openLoops(t, edges) : [];
  if (stop(0.2, 'doubles')) return null;
  const doubles = doubledTriangles(t, vertices);
  const near = diagonal > 0 ? nearVertices(p, diagonal * nearShare).count : 0;
  if (stop(0.35, 'shells')) return null;
  const shells = shellsOf(t, vertices, edges);
  const topology: Topology = { mesh, edges, shells, bvh: choice.crossings || shells.count > 1 || edges.nonManifold > 0 ? buildBvh(mesh) : null };
  const roles = rolesOf(topology, diagonal);
  if (stop(0.5, 'inner faces')) return null;
  const inside = insideTriangles(topology, roles);
  const needles = needlesOf(mesh);
  const touching = nonManifoldVertices(t, edges, vertices);
  if (choice.crossings && stop(0.55, 'self-intersections')) return null;
  const cross = choice.crossings ? crossingsOf(topology.bvh!, mostDrawn) : noCrossings;
  const sound = soundnessOf(mesh, edges, shells.count, mostDrawn);
  return {
    ...sound,
    holes: loops.map((loop) => holeInfo(p, loop.vertices, loop.closed)).sort((a, b) => b.length - a.length),
    needles: needles.count,
    doubledTriangles: doubles.same + doubles.opposite,
    nearVertices: near,
    nonManifoldVertices: touching.length,
    strayEdges: strayEdges(t),
    selfIntersections: cross.crossingPairs,
    lyingOn: cross.lyingPairs,
    cutShort: cross.cutShort,
    roles,
    inside: inside.length,
    measures,
    where: {
      openEdges: segments(p, sound.openEdgeVertices),
      ...wrongEdges(mesh, edges),
      crossing: cross.crossing,
      lying: cross.lying,
      doubled: listOf(doubles.first.length, (i) => doubles.first[i] >= 0),
      needles: needles.list,
      inside: inside.slice(0, mostDrawn),
      crumbs: listOf(shells.of.length, (i) => shells.of[i] >= 0 && roles[shells.of[i]].role === 'crumb'),
      nonManifoldVertices: Float32Array.from(touching.slice(0, mostDrawn).flatMap((v) => vecAt(p, v * 3))),
    },
  };
}

/** A mesh with what is known of how its triangles hang together; the tree where one was needed. */
interface Topology {
  mesh: Mesh;
  edges: Edges;
  shells: Shells;
  bvh: Bvh | null;
}

const noCrossings: Crossings = { crossing: new Uint32Array(0), crossingPairs: 0, lying: new Uint32Array(0), lyingPairs: 0, cutShort: false };

function segments(p: Float64Array, pairs: ArrayLike<number>): Float32Array {
  const out = new Float32Array(pairs.length * 3);
  for (let i = 0; i < pairs.length; i++) for (let k = 0; k < 3; k++) out[i * 3 + k] = p[pairs[i] * 3 + k];
  return out;
}

function listOf(count: number, take: (i: number) => boolean): Uint32Array {
  const out: number[] = [];
  for (let i = 0; i < count && out.length < mostDrawn; i++) if (take(i)) out.push(i);
  return Uint32Array.from(out);
}

/** Edges with more than two triangles, and those whose triangles do not agree, as ends of segments to be drawn. */
function wrongEdges(mesh: Mesh, edges: Edges): Pick<SoundnessPlaces, 'nonManifoldEdges' | 'flippedEdges'> {
  const { positions: p, triangles: t } = mesh;
  const many: number[] = [];
  const flipped: number[] = [];
  for (let c = 0; edges.nonManifold + edges.flipped > 0 && c < t.length; c++) {
    const [v, w] = [t[c], t[nextCorner(c)]];
    const other = edges.across[c];
    if (other === manyEdge && many.length < mostDrawn * 2) many.push(v, w);
    else if (other > c && t[other] === v && flipped.length < mostDrawn * 2) flipped.push(v, w);
  }
  return { nonManifoldEdges: segments(p, many), flippedEdges: segments(p, flipped) };
}

function holeInfo(p: Float64Array, loop: number[], closed: boolean): HoleInfo {
  let length = 0;
  const low = [Infinity, Infinity, Infinity];
  const high = [-Infinity, -Infinity, -Infinity];
  const n = loop.length;
  for (let i = 0; i < n; i++) {
    const a = loop[i] * 3;
    for (let k = 0; k < 3; k++) {
      low[k] = Math.min(low[k], p[a + k]);
      high[k] = Math.max(high[k], p[a + k]);
    }
    if (i + 1 === n && !closed) continue;
    const b = loop[(i + 1) % n] * 3;
    length += Math.hypot(p[a] - p[b], p[a + 1] - p[b + 1], p[a + 2] - p[b + 2]);
  }
  // The widest distance between two vertices: over all pairs while there are few, else the box.
  let size = 0;
  if (n <= 400) {
    for (let i = 0; i < n; i++)
      for (let j = i + 1; j < n; j++) {
        const a = loop[i] * 3;
        const b = loop[j] * 3;
        size = Math.max(size, Math.hypot(p[a] - p[b], p[a + 1] - p[b + 1], p[a + 2] - p[b + 2]));
      }
  } else size = Math.hypot(high[0] - low[0], high[1] - low[1], high[2] - low[2]);
  return { edges: closed ? n : n - 1, length, size, closed, at: [0, 1, 2].map((k) => (low[k] + high[k]) / 2) as [number, number, number] };
}

/** Outer skin, void, or a shell inside the solid: by how often the other shells wrap it. */
function rolesOf({ mesh, edges, shells, bvh }: Topology, diagonal: number): ShellInfo[] {
  const { volume, triangles, unclosed, boxes, depth } = nestingOf(mesh, edges, shells, bvh);
  return Array.from({ length: shells.count }, (_, s) => {
    const [low, high] = [vecAt(boxes, s * 6), vecAt(boxes, s * 6 + 3)];
    const size = distance(low, high);
    const role = unclosed[s] ? 'open' : roleOf(depth[s], volume[s]);
    const crumb = shells.count > 1 && size < crumbShare * diagonal && role !== 'void';
    return { triangles: triangles[s], role: crumb ? 'crumb' : role, volume: volume[s], size, at: scaled(add(low, high), 0.5) };
  });
}

/** What a closed shell is, by how many others wrap it and which way it faces. */
function roleOf(depth: number, volume: number): ShellRole {
  if (depth % 2 === 1) return volume < 0 ? 'void' : 'inside';
  if (volume < 0) return 'inside-out';
  return depth > 0 ? 'island' : 'outer';
}

/** Sheets that hang on edges with more than two triangles are asked about up to so many. */
const mostSheets = 5000;

/**
 * Triangles with solid on both sides: whole shells that lie inside another and face the same way, and sheets hung on
 * edges with more than two triangles (by the winding on both sides of one triangle of the sheet).
 */
function insideTriangles({ mesh, edges, shells, bvh }: Topology, roles: readonly ShellInfo[]): Uint32Array {
  const whole = (tri: number) => shells.of[tri] >= 0 && roles[shells.of[tri]].role === 'inside';
  const out: number[] = [];
  if (roles.some(({ role }) => role === 'inside')) for (let i = 0; i < mesh.triangles.length / 3; i++) if (whole(i)) out.push(i);
  if (edges.nonManifold === 0 || !bvh) return Uint32Array.from(out);
  let sheets = 0;
  for (const sheet of sheetsOf(mesh.triangles, edges)) {
    if (sheets++ >= mostSheets) break;
    const hangs = sheet.some((tri) => [0, 1, 2].some((k) => edges.across[tri * 3 + k] === manyEdge));
    if (!hangs || !solidBothSides(bvh, largest(mesh, sheet))) continue;
    for (const tri of sheet) if (!whole(tri)) out.push(tri);
  }
  return Uint32Array.from(out);
}

/** Sheets: triangles joined over edges with exactly two, one list after another. */
function* sheetsOf(t: Uint32Array, edges: Edges): Generator<number[]> {
  const seen = new Uint8Array(t.length / 3);
  for (let i = 0; i < seen.length; i++) {
    if (seen[i] === 1 || collapsed(t, i)) continue;
    const list = [i];
    seen[i] = 1;
    for (let at = 0; at < list.length; at++) {
      for (let c = list[at] * 3; c < list[at] * 3 + 3; c++) {
        const next = edges.across[c] >= 0 ? Math.floor(edges.across[c] / 3) : -1;
        if (next < 0 || seen[next] === 1) continue;
        seen[next] = 1;
        list.push(next);
      }
    }
    yield list;
  }
}

/** The largest of the first two hundred. */
function largest(mesh: Mesh, list: number[]): number {
  let best = list[0];
  let most = -1;
  for (const tri of list.slice(0, 200)) {
    const area = lengthOf(crossOfTriangle(mesh, tri));
    if (area > most) {
      most = area;
      best = tri;
    }
  }
  return best;
}

/** Whether the mesh wraps a point just before and just behind a triangle, that triangle itself left out. */
function solidBothSides(bvh: Bvh, tri: number): boolean {
  const n = crossOfTriangle(bvh.mesh, tri);
  const area = lengthOf(n);
  if (!(area > 0)) return false;
  const step = Math.sqrt(area) * 1e-4;
  const side = (sign: number) => windingAt(bvh, add(middleOfTriangle(bvh.mesh, tri), scaled(n, (sign * step) / area)), (other) => other === tri);
  return side(1) >= 1 && side(-1) >= 1;
}

function needlesOf(mesh: Mesh): { count: number; list: Uint32Array } {
  const list: number[] = [];
  let count = 0;
  const tri = new Triangle(mesh);
  for (let i = 0; i < tri.count; i++) {
    const { ux, uy, uz, vx, vy, vz, nx, ny, nz } = tri.at(i);
    const wx = vx - ux;
    const wy = vy - uy;
    const wz = vz - uz;
    const long = Math.max(tri.reach(), wx * wx + wy * wy + wz * wz);
    const twice = nx * nx + ny * ny + nz * nz;
    // Height = twice area / longest side. Without area it is degenerate, not a needle.
    if (twice < needleShare * needleShare * long * long && twice > noAreaShare * long * long) {
      count++;
      if (list.length < mostDrawn) list.push(i);
    }
  }
  return { count, list: Uint32Array.from(list) };
}

/** Vertices at which more than one fan of triangles meets. */
function nonManifoldVertices(t: Uint32Array, edges: Edges, vertices: number): number[] {
  const fans = new Uint8Array(vertices);
  const seen = new Uint8Array(t.length);
  const many = new Set<number>();
  const { across } = edges;
  for (let c = 0; c < t.length; c++) {
    if (seen[c] || collapsed(t, Math.floor(c / 3))) continue;
    const pivot = t[c];
    if (fans[pivot] < 2) fans[pivot]++;
    if (fans[pivot] === 2) many.add(pivot);
    // Both ways round the pivot. A corner c at the pivot has the edges c and c - 1 there.
    for (const way of [0, 1]) {
      let at = c;
      for (let guard = 0; guard < 1_000_000; guard++) {
        seen[at] = 1;
        const edge = way === 0 ? at : lastCorner(at);
        const other = across[edge];
        if (other < 0) break;
        const next = t[other] === pivot ? other : other % 3 === 2 ? other - 2 : other + 1;
        if (t[next] !== pivot || seen[next]) break;
        at = next;
      }
    }
  }
  return [...many];
}

/** Edges that belong to no triangle with area: collapsed triangles with two different corners. */
function strayEdges(t: Uint32Array): number {
  let count = 0;
  for (let i = 0; i < t.length; i += 3) {
    const [a, b, c] = [t[i], t[i + 1], t[i + 2]];
    if ((a === b || b === c || c === a) && !(a === b && b === c)) count++;
  }
  return count;
}
