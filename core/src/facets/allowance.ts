import { edgesOf } from '../geometry/edges.ts';
import type { Mesh } from '../geometry/mesh.ts';

/** What facets may differ from the surfaces they stand for: volume in mm3, area in mm2. */
export interface FacetAllowance {
  volume: number;
  area: number;
}

/**
 * How much of the largest distance between a facet and its surface there is on average, at most. Over a triangle whose corners lie on it a quadratic that is a, b, c
 * high at the middles of the edges is (a + b + c) / 3 high on average, and at most 3/4 of its largest height, where a = b = c (by integration); the rest is for
 * what bends more unevenly.
 */
const meanShare = 0.8;

/** Between a chord and its arc there is two thirds of the arc's height on average (Archimedes, Quadrature of the Parabola), on both faces that meet there. */
const bothStrips = 4 / 3;

/**
 * What the facets of a solid can lose, from what was measured on them and not from what was asked for. Volume: a layer over each face, four fifths as thick as its
 * largest deviation (none over planes). Area: what such a layer adds, which is its thickness times the turn over each edge times the edge's length; and along an edge
 * between two faces what lies between the chord and its arc, on either of them. Sources: first-order change of volume under an offset; Steiner's
 * formula for polyhedra (1840).
 * @param starts first triangle of each face, and the number of triangles at the end.
 * @param perFace largest deviation of each face, mm.
 */
export function facetAllowance(mesh: Mesh, starts: Uint32Array, perFace: ArrayLike<number>): FacetAllowance {
  const { positions: p, triangles: t } = mesh;
  const count = t.length / 3;
  const faceOf = new Int32Array(count);
  for (let f = 0; f + 1 < starts.length; f++) faceOf.fill(f, starts[f], starts[f + 1]);
  const normals = new Float64Array(t.length);
  let volume = 0;
  for (let i = 0; i < count; i++) {
    const [a, b, c] = [t[i * 3] * 3, t[i * 3 + 1] * 3, t[i * 3 + 2] * 3];
    const [ux, uy, uz, vx, vy, vz] = [p[b] - p[a], p[b + 1] - p[a + 1], p[b + 2] - p[a + 2], p[c] - p[a], p[c + 1] - p[a + 1], p[c + 2] - p[a + 2]];
    const n = [uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx];
    const twice = Math.hypot(n[0], n[1], n[2]);
    volume += (twice / 2) * perFace[faceOf[i]] * meanShare;
    for (let k = 0; k < 3; k++) normals[i * 3 + k] = twice > 0 ? n[k] / twice : 0;
  }
  let area = 0;
  const { across } = edgesOf(t, p.length / 3);
  for (let c = 0; c < t.length; c++) {
    const other = across[c];
    if (other <= c) continue;
    const [i, j] = [Math.floor(c / 3), Math.floor(other / 3)];
    const [f, g] = [faceOf[i], faceOf[j]];
    const [v, w] = [t[c] * 3, t[c % 3 === 2 ? c - 2 : c + 1] * 3];
    const length = Math.hypot(p[v] - p[w], p[v + 1] - p[w + 1], p[v + 2] - p[w + 2]);
    if (f !== g) {
      area += length * Math.max(perFace[f], perFace[g]) * bothStrips;
      continue;
    }
    const dot = normals[i * 3] * normals[j * 3] + normals[i * 3 + 1] * normals[j * 3 + 1] + normals[i * 3 + 2] * normals[j * 3 + 2];
    area += length * Math.acos(Math.max(-1, Math.min(1, dot))) * perFace[f] * meanShare;
  }
  return { volume, area };
}
