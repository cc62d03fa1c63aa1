import type { Manifold, ManifoldToplevel } from 'manifold-3d';
import { boxOf, diagonalOf } from '../geometry/box.ts';
import type { Mesh } from '../geometry/mesh.ts';
import { Unusable } from '../base/finding.ts';

/** The library for booleans of meshes and contours (manifold-3d, Apache-2.0); handed in, since a browser fetches it as a file. */
export type Engine = ManifoldToplevel;

/** How coordinates are brought near to 1 before they become float32: a shift and a power of two, both taken back exactly. */
export interface Frame {
  shift: [number, number, number];
  scale: number;
}

/**
 * A frame for meshes that are worked on together. Nothing is shifted while the float32 of the part's own place loses nothing,
 * so that corners which stay where they are come back bit by bit.
 */
export function frameFor(meshes: readonly Mesh[]): Frame {
  const boxes = meshes.filter((m) => m.positions.length > 0).map((m) => boxOf(m.positions));
  if (boxes.length === 0) return { shift: [0, 0, 0], scale: 1 };
  const low = [0, 1, 2].map((k) => Math.min(...boxes.map((b) => b.min[k])));
  const high = [0, 1, 2].map((k) => Math.max(...boxes.map((b) => b.max[k])));
  const diagonal = Math.hypot(...low.map((l, k) => high[k] - l)) || 1;
  const far = Math.max(...low.map(Math.abs), ...high.map(Math.abs));
  const shift =
    far > farTimes * diagonal ? (low.map((l, k) => Math.round((l + high[k]) / 2)) as [number, number, number]) : ([0, 0, 0] as [number, number, number]);
  // "Too small to compute": parts of a few micrometres are worked on in a copy scaled up by a power of two.
  const scale = diagonal < 1 || diagonal > 1e5 ? 2 ** Math.round(Math.log2(256 / diagonal)) : 1;
  return { shift, scale };
}

/** So many times its size from zero, single precision begins to cost a part its shape. */
const farTimes = 8;

/**
 * Where the middle of a flat box is, when that is so far from zero that its solid should be computed at zero and put back; else zero.
 * @param box left, bottom, right, top @example awayFromZero([1e5, 0, 1e5 + 10, 10]) // [100005, 5]
 */
export function awayFromZero([l, b, r, t]: readonly [number, number, number, number]): [number, number] {
  return Math.max(Math.abs(l), Math.abs(b), Math.abs(r), Math.abs(t)) > farTimes * Math.max(r - l, t - b) ? [(l + r) / 2, (b + t) / 2] : [0, 0];
}

/** A closed, oriented mesh as the library's solid. @throws Unusable when it is not closed. The caller deletes it. */
export function toManifold(engine: Engine, mesh: Mesh, frame: Frame): Manifold {
  const vertProperties = new Float32Array(mesh.positions.length);
  const { shift, scale } = frame;
  const plain = scale === 1 && shift[0] === 0 && shift[1] === 0 && shift[2] === 0;
  if (plain) vertProperties.set(mesh.positions);
  else for (let i = 0; i < vertProperties.length; i++) vertProperties[i] = (mesh.positions[i] - shift[i % 3]) * scale;
  try {
    return engine.Manifold.ofMesh(new engine.Mesh({ numProp: 3, vertProperties, triVerts: mesh.triangles }));
  } catch (thrown) {
    throw new Unusable(
      'not-closed',
      `A part is not one closed solid (${plainWords((thrown as Error).message)}), so nothing can be joined to it or taken from it.`,
      'Mend it on the Soundness step first.',
    );
  }
}

const words: Record<string, string> = {
  'Not manifold': 'its edges do not close',
  NotManifold: 'its edges do not close',
  NonFiniteVertex: 'a coordinate is no number',
};

function plainWords(message: string): string {
  return words[message] ?? message.replace(/([a-z])([A-Z])/g, '$1 $2').toLowerCase();
}

/** The library's solid as a mesh in mm. */
export function fromManifold(solid: Manifold, frame: Frame): Mesh {
  const mesh = solid.getMesh();
  const n = mesh.vertProperties.length / mesh.numProp;
  const positions = new Float64Array(n * 3);
  const { shift, scale } = frame;
  for (let v = 0; v < n; v++) for (let k = 0; k < 3; k++) positions[v * 3 + k] = mesh.vertProperties[v * mesh.numProp + k] / scale + shift[k];
  return { positions, triangles: new Uint32Array(mesh.triVerts) };
}

/** Keeps what has to be freed at the end, and gives it back. */
export type Keep = <S extends { delete(): void }>(solid: S) => S;

/** Runs work on library objects and gives back all that `keep` was told of. */
export function withSolids<T>(work: (keep: Keep) => T): T {
  const kept: { delete(): void }[] = [];
  try {
    return work((solid) => {
      kept.push(solid);
      return solid;
    });
  } finally {
    for (const solid of kept) solid.delete();
  }
}

/** Size that floats of the library can tell apart at this reach, mm. */
export function engineResolution(mesh: Mesh): number {
  return diagonalOf(boxOf(mesh.positions)) * 2 ** -20;
}
