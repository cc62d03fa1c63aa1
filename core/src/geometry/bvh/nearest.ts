import type { Mesh } from '../mesh.ts';
import type { Vec3 } from '../vector.ts';
import { childrenEnd, type Bvh } from './build.ts';

/** The nearest point of a mesh: squared distance (mm2), the triangle it is on (-1 for none), its place (mm). */
export interface Nearest {
  squared: number;
  triangle: number;
  x: number;
  y: number;
  z: number;
}

/** A place to write the nearest point into: one is enough for any number of questions. */
export const nowhere = (): Nearest => ({ squared: Infinity, triangle: -1, x: 0, y: 0, z: 0 });

/** Nodes still to be looked at with their squared distances. No question is asked within a question, so one stack does. */
const nodes = new Int32Array(256);
const distances = new Float64Array(256);

/**
 * The nearest point of the mesh to a place (mm), written into `out`. Nothing as far as `within` (squared, mm2) is looked
 * for: `out.triangle` stays -1 then.
 * @example nearestOnMesh(buildBvh(box), [5, 5, 12], nowhere()).squared // 4, over a box 10 mm high
 */
export function nearestOnMesh(bvh: Bvh, at: Readonly<Vec3>, out: Nearest, within = Infinity): Nearest {
  out.squared = within;
  out.triangle = -1;
  const { boxes, index, ends } = bvh;
  const leaves = ends[0];
  if (leaves === 0) return out;
  let top = 1;
  nodes[0] = ends[ends.length - 1] - 1;
  distances[0] = 0;
  while (top > 0) {
    const node = nodes[--top];
    if (distances[top] >= out.squared) continue;
    if (node < leaves) {
      nearestOnTriangle(bvh.mesh, index[node], at, out);
      continue;
    }
    // Children nearest last, so that they are taken first.
    const base = top;
    const last = childrenEnd(bvh, node);
    for (let child = index[node]; child < last; child++) {
      const d = boxDistance(boxes, child * 6, at);
      if (d >= out.squared) continue;
      let place = top++;
      while (place > base && distances[place - 1] < d) {
        nodes[place] = nodes[place - 1];
        distances[place] = distances[place - 1];
        place--;
      }
      nodes[place] = child;
      distances[place] = d;
    }
  }
  return out;
}

/** Squared distance of a place from the box at `o`. */
function boxDistance(b: Float32Array, o: number, at: Readonly<Vec3>): number {
  const x = at[0];
  const y = at[1];
  const z = at[2];
  const dx = x < b[o] ? b[o] - x : x > b[o + 3] ? x - b[o + 3] : 0;
  const dy = y < b[o + 1] ? b[o + 1] - y : y > b[o + 4] ? y - b[o + 4] : 0;
  const dz = z < b[o + 2] ? b[o + 2] - z : z > b[o + 5] ? z - b[o + 5] : 0;
  return dx * dx + dy * dy + dz * dz;
}

/**
 * The nearest point of a mesh by asking every triangle: for one question, for which no tree is worth being built.
 * @example nearestByAsking(box, [5, 5, 12]).squared // 4
 */
export function nearestByAsking(mesh: Mesh, at: Readonly<Vec3>): Nearest {
  const out: Nearest = { squared: Infinity, triangle: -1, x: at[0], y: at[1], z: at[2] };
  for (let t = 0; t < mesh.triangles.length / 3; t++) nearestOnTriangle(mesh, t, at, out);
  return out;
}

const alone = nowhere();

/** Squared distance of a place from one triangle of a mesh, mm2. @example squaredFromTriangle(box, 0, [5, 5, -2]) // 4, when triangle 0 is of the floor */
export function squaredFromTriangle(mesh: Mesh, tri: number, at: Readonly<Vec3>): number {
  alone.squared = Infinity;
  nearestOnTriangle(mesh, tri, at, alone);
  return alone.squared;
}

/** The products of one triangle and one place: ab.ap, ac.ap, ab.ab, ac.ac, ab.ac; then the foot's parts of ab and ac. */
const m = new Float64Array(7);

/** Nearest point of one triangle, kept in `out` when nearer. */
function nearestOnTriangle(mesh: Mesh, tri: number, at: Readonly<Vec3>, out: Nearest): void {
  const { positions: p, triangles: t } = mesh;
  const a = t[tri * 3] * 3;
  const b = t[tri * 3 + 1] * 3;
  const c = t[tri * 3 + 2] * 3;
  const ax = p[a];
  const ay = p[a + 1];
  const az = p[a + 2];
  const abx = p[b] - ax;
  const aby = p[b + 1] - ay;
  const abz = p[b + 2] - az;
  const acx = p[c] - ax;
  const acy = p[c + 1] - ay;
  const acz = p[c + 2] - az;
  const apx = at[0] - ax;
  const apy = at[1] - ay;
  const apz = at[2] - az;
  m[0] = abx * apx + aby * apy + abz * apz;
  m[1] = acx * apx + acy * apy + acz * apz;
  m[5] = 0;
  m[6] = 0;
  if (m[0] > 0 || m[1] > 0) {
    m[2] = abx * abx + aby * aby + abz * abz;
    m[3] = acx * acx + acy * acy + acz * acz;
    m[4] = abx * acx + aby * acy + abz * acz;
    findFoot();
  }
  const qx = ax + abx * m[5] + acx * m[6];
  const qy = ay + aby * m[5] + acy * m[6];
  const qz = az + abz * m[5] + acz * m[6];
  const squared = (at[0] - qx) ** 2 + (at[1] - qy) ** 2 + (at[2] - qz) ** 2;
  if (squared < out.squared) {
    out.squared = squared;
    out.triangle = tri;
    out.x = qx;
    out.y = qy;
    out.z = qz;
  }
}

const part = (of: number, whole: number) => (whole > 0 ? of / whole : 0);

/** The foot of a place that isn't nearest to corner a. Source: Ericson, Real-Time Collision Detection, 5.1.5. */
function findFoot(): void {
  const d1 = m[0];
  const d2 = m[1];
  const d3 = d1 - m[2];
  const d4 = d2 - m[4];
  const d5 = d1 - m[4];
  const d6 = d2 - m[3];
  const vc = d1 * d4 - d3 * d2;
  const vb = d5 * d2 - d1 * d6;
  const va = d3 * d6 - d5 * d4;
  if (d3 >= 0 && d4 <= d3) m[5] = 1;
  else if (d6 >= 0 && d5 <= d6) m[6] = 1;
  else if (vc <= 0 && d1 >= 0 && d3 <= 0) m[5] = part(d1, m[2]);
  else if (vb <= 0 && d2 >= 0 && d6 <= 0) m[6] = part(d2, m[3]);
  else if (va <= 0 && d4 >= d3 && d5 >= d6) {
    m[6] = part(d4 - d3, d4 - d3 + (d5 - d6));
    m[5] = 1 - m[6];
  } else {
    m[5] = part(vb, va + vb + vc);
    m[6] = part(vc, va + vb + vc);
  }
}
