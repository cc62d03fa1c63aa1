import type { Mesh } from '../geometry/mesh.ts';
import type { SoundnessPlaces } from '../mesh/soundness/full-check.ts';
import type { PlaceKind } from '../mesh/soundness/full-findings.ts';

/** Kinds that are drawn as lines; the others are triangles, `touching` points. */
const kinds: PlaceKind[] = ['open', 'nonManifold', 'flipped', 'crossing', 'lying', 'doubled', 'needles', 'inside', 'crumbs', 'touching', 'thin'];
const asLines = new Set<PlaceKind>(['open', 'nonManifold', 'flipped']);

export interface Place {
  shape: 'lines' | 'triangles' | 'points';
  /** xyz of segment ends, of triangle corners, or of points. */
  points: Float32Array;
}

/** Where findings are, as one block to be drawn: eleven lengths (u32), then the coordinates (f32). */
export function packPlaces(mesh: Mesh, where: SoundnessPlaces, thin: Uint32Array): Uint8Array {
  const corners = (list: Uint32Array): Float32Array => {
    const out = new Float32Array(list.length * 9);
    list.forEach((tri, i) => {
      for (let c = 0; c < 3; c++) for (let k = 0; k < 3; k++) out[i * 9 + c * 3 + k] = mesh.positions[mesh.triangles[tri * 3 + c] * 3 + k];
    });
    return out;
  };
  const most = (list: Uint32Array) => corners(list.length > 60_000 ? list.slice(0, 60_000) : list);
  const parts: Float32Array[] = [
    where.openEdges,
    where.nonManifoldEdges,
    where.flippedEdges,
    most(where.crossing),
    most(where.lying),
    most(where.doubled),
    most(where.needles),
    most(where.inside),
    most(where.crumbs),
    where.nonManifoldVertices,
    most(thin),
  ];
  const bytes = new Uint8Array(44 + parts.reduce((n, p) => n + p.length * 4, 0));
  new Uint32Array(bytes.buffer, 0, 11).set(parts.map((p) => p.length));
  let at = 44;
  for (const part of parts) {
    new Float32Array(bytes.buffer, at, part.length).set(part);
    at += part.length * 4;
  }
  return bytes;
}

/** The places in a block made by `packPlaces`. */
export function unpackPlaces(buffer: ArrayBuffer): Record<PlaceKind, Place> {
  const lengths = new Uint32Array(buffer, 0, 11);
  let at = 44;
  const out = {} as Record<PlaceKind, Place>;
  kinds.forEach((kind, i) => {
    out[kind] = { shape: asLines.has(kind) ? 'lines' : kind === 'touching' ? 'points' : 'triangles', points: new Float32Array(buffer, at, lengths[i]) };
    at += lengths[i] * 4;
  });
  return out;
}
