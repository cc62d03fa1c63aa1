import { cross } from '../geometry/vector.ts';
import type { Geometry } from '../model/design.ts';
import { diagonalOf } from '../geometry/box.ts';
import { noTurn, rowsOf } from '../geometry/placement.ts';
import type { Mesh } from '../geometry/mesh.ts';
import { FacetSource } from '../kernel/facet-source.ts';
import type { Kernel } from '../kernel/kernel.ts';
import { checkMesh } from '../mesh/soundness/check-mesh.ts';

/** What a screen needs to draw a part: triangles, which face each belongs to, and lines. Coordinates as the part has them. */
export interface View {
  positions: Float32Array;
  triangles: Uint32Array;
  /** First triangle of each face, and the number of triangles at the end; empty for a mesh. */
  starts: Uint32Array;
  /** xyz of segment ends: edges of faces, or sharp edges of a mesh. */
  edges: Float32Array;
  /** xyz of segment ends of open edges. */
  open: Float32Array;
}

/** Sharper than this (degrees) an edge between two triangles of a mesh is drawn. */
const sharp = 25;

/** Facets for a screen: distance from the surface as a share of the part's size, turn along an edge in rad. Sections of them are within 0.3 % of round areas. */
const screen = { deviation: 1 / 2000, angle: 0.12 };

/** A part as a block of bytes to be drawn: fine enough for a screen, not the facets of any file. */
export async function viewOf(geometry: Geometry, kernel: () => Promise<Kernel>): Promise<Uint8Array> {
  if (geometry.kind === 'mesh') return packView(meshView(geometry.mesh));
  if (geometry.kind === 'drawing') throw new RangeError('a drawing is its own view');
  const solid = new FacetSource(geometry.brep, kernel);
  try {
    const box = await solid.box({ rows: rowsOf(noTurn), shift: [0, 0, 0] }, 1);
    const deviation = Math.max(1e-4, diagonalOf(box) * screen.deviation);
    const facets = await solid.facets(deviation, screen.angle);
    const edges = await solid.edges(deviation, screen.angle);
    return packView({
      positions: new Float32Array(facets.positions),
      triangles: facets.triangles,
      starts: facets.starts,
      edges: edges.points,
      open: new Float32Array(0),
    });
  } finally {
    solid.close();
  }
}

/** The view of a mesh: its own triangles, its sharp edges and its open ones. */
export function meshView(mesh: Mesh): View {
  const sound = checkMesh(mesh, 50_000);
  return {
    positions: new Float32Array(mesh.positions),
    triangles: mesh.triangles,
    starts: new Uint32Array(0),
    edges: sharpEdges(mesh),
    open: segments(mesh, sound.openEdgeVertices),
  };
}

function segments(mesh: Mesh, pairs: ArrayLike<number>): Float32Array {
  const out = new Float32Array(pairs.length * 3);
  for (let i = 0; i < pairs.length; i++) for (let k = 0; k < 3; k++) out[i * 3 + k] = mesh.positions[pairs[i] * 3 + k];
  return out;
}

function sharpEdges(mesh: Mesh): Float32Array {
  const { positions: p, triangles: t } = mesh;
  if (t.length > 1_500_000) return new Float32Array(0);
  const limit = Math.cos((sharp * Math.PI) / 180);
  const vertices = p.length / 3;
  const normals = new Float32Array(t.length);
  const first = new Map<number, number>();
  const pairs: number[] = [];
  for (let i = 0; i < t.length; i += 3) {
    const [a, b, c] = [t[i] * 3, t[i + 1] * 3, t[i + 2] * 3];
    const u = [p[b] - p[a], p[b + 1] - p[a + 1], p[b + 2] - p[a + 2]];
    const v = [p[c] - p[a], p[c + 1] - p[a + 1], p[c + 2] - p[a + 2]];
    const n = cross(u, v);
    const length = Math.hypot(n[0], n[1], n[2]) || 1;
    for (let k = 0; k < 3; k++) normals[i + k] = n[k] / length;
    for (let k = 0; k < 3; k++) {
      const from = t[i + k];
      const to = t[i + ((k + 1) % 3)];
      const key = from < to ? from * vertices + to : to * vertices + from;
      const other = first.get(key);
      if (other === undefined) first.set(key, i);
      else if (normals[other] * normals[i] + normals[other + 1] * normals[i + 1] + normals[other + 2] * normals[i + 2] < limit) pairs.push(from, to);
    }
  }
  return segments(mesh, pairs);
}

/** A view as one block: "TKV1", five lengths (u32), then the five arrays. All little endian. */
export function packView(view: View): Uint8Array {
  const parts = [view.positions, view.triangles, view.starts, view.edges, view.open];
  const bytes = new Uint8Array(24 + parts.reduce((sum, part) => sum + part.length * 4, 0));
  const head = new Uint32Array(bytes.buffer, 0, 6);
  head.set([0x31564b54, ...parts.map((part) => part.length)]);
  let at = 24;
  for (const part of parts) {
    bytes.set(new Uint8Array(part.buffer, part.byteOffset, part.byteLength), at);
    at += part.byteLength;
  }
  return bytes;
}

/** The view in a block made by `packView`. @throws RangeError when it is not one. */
export function unpackView(buffer: ArrayBuffer): View {
  const head = new Uint32Array(buffer, 0, 6);
  if (head[0] !== 0x31564b54) throw new RangeError('not a packed view');
  let at = 24;
  const next = <T>(Type: new (buffer: ArrayBuffer, at: number, length: number) => T, length: number): T => {
    const part = new Type(buffer, at, length);
    at += length * 4;
    return part;
  };
  return {
    positions: next(Float32Array, head[1]),
    triangles: next(Uint32Array, head[2]),
    starts: next(Uint32Array, head[3]),
    edges: next(Float32Array, head[4]),
    open: next(Float32Array, head[5]),
  };
}
