import type { Bvh } from '../../geometry/bvh/build.ts';
import { overlappingPairs } from '../../geometry/bvh/overlap.ts';
import type { Mesh } from '../../geometry/mesh.ts';
import { cross, dot, lengthOf, sub, vecAt, type Vec3 } from '../../geometry/vector.ts';

/** Pairs of triangles that go through each other, and pairs that lie on each other in one plane. */
export interface Crossings {
  /** Two triangle numbers a pair, at most as many pairs as were asked for. */
  crossing: Uint32Array;
  crossingPairs: number;
  lying: Uint32Array;
  lyingPairs: number;
  /** Whether the search ended early because there are far too many. */
  cutShort: boolean;
}

/** Distances below this share of the mesh's reach count as touching, not as crossing. */
export const touchShare = 1e-9;

/**
 * Self-intersections of a mesh. Two triangles cross when an edge of one goes strictly through the plane of the other,
 * inside it; corners that only touch do not count. Triangles in one plane lie on each other when no line along one of
 * their edges parts them. Neighbours over an edge can only be folded onto each other.
 * Sources: Moeller, A fast triangle-triangle intersection test, 1997 (signed distances first); separating axes as in Ericson,
 * Real-Time Collision Detection, 5.2.
 *
 * @param keep how many pairs of each kind are returned.
 * @param most after so many pairs of a kind the search ends.
 * @example crossingsOf(buildBvh(mesh)).crossingPairs // 0 for a sound mesh
 */
export function crossingsOf(bvh: Bvh, keep = 50_000, most = 2_000_000): Crossings {
  const test = new PairTest(bvh.mesh);
  const crossing: number[] = [];
  const lying: number[] = [];
  let crossingPairs = 0;
  let lyingPairs = 0;
  overlappingPairs(bvh, (f, g) => {
    const how = test.meeting(f, g);
    if (how === apart) return;
    const list = how === through ? crossing : lying;
    if (list.length < keep * 2) list.push(f, g);
    return (how === through ? ++crossingPairs : ++lyingPairs) > most;
  });
  const cutShort = crossingPairs > most || lyingPairs > most;
  return { crossing: Uint32Array.from(crossing), crossingPairs, lying: Uint32Array.from(lying), lyingPairs, cutShort };
}

const apart = 0;
const through = 1;
const lies = 2;

/** How two triangles of a mesh meet. */
class PairTest {
  private readonly p: Float64Array;
  private readonly t: Uint32Array;
  private readonly eps: number;
  /** Distances of the corners of one triangle from the plane of the other (0 to 2: of f from g's, 3 to 5: of g from f's). */
  private readonly d = new Float64Array(6);
  /** Which corners of g are corners of f too. */
  private readonly shared = new Uint8Array(3);

  constructor({ positions, triangles }: Mesh) {
    this.p = positions;
    this.t = triangles;
    let reach = 0;
    for (let i = 0; i < positions.length; i++) if (Math.abs(positions[i]) > reach) reach = Math.abs(positions[i]);
    this.eps = reach * touchShare;
  }

  meeting(f: number, g: number): typeof apart | typeof through | typeof lies {
    const { d, eps } = this;
    const shared = this.countShared(f, g);
    if (shared === 3 || !this.planeSides(f, g, 3)) return apart;
    // How far the corners that aren't shared reach to both sides.
    let most = 0;
    let least = 0;
    for (let k = 0; k < 3; k++) {
      if (this.shared[k] === 1) continue;
      most = Math.max(most, d[3 + k]);
      least = Math.min(least, d[3 + k]);
    }
    const [above, below] = [most > eps, least < -eps];
    if (!above && !below) return (shared === 2 ? this.folded(f, g) : this.lieOn(f, g)) ? lies : apart;
    // Each must reach to both sides of the other's plane; less is a touch.
    if (shared === 2 || !(above && below) || !this.planeSides(g, f, 0)) return apart;
    return this.pierces(f, g, 0) || this.pierces(g, f, 3) ? through : apart;
  }

  private countShared(f: number, g: number): number {
    let count = 0;
    for (let k = 0; k < 3; k++) {
      const is = this.hasCorner(f, this.t[g * 3 + k]);
      this.shared[k] = is ? 1 : 0;
      if (is) count++;
    }
    return count;
  }

  private hasCorner(tri: number, v: number): boolean {
    const { t } = this;
    return t[tri * 3] === v || t[tri * 3 + 1] === v || t[tri * 3 + 2] === v;
  }

  /** Signed distances of the corners of a triangle from the plane of another into d[at..at+2]; false for a plane without area. */
  private planeSides(plane: number, of: number, at: number): boolean {
    const { p, t, d } = this;
    // Written out: as a Triangle it costs half as much again in the innermost loop of the whole check (measured).
    const a = t[plane * 3] * 3;
    const b = t[plane * 3 + 1] * 3;
    const c = t[plane * 3 + 2] * 3;
    const ux = p[b] - p[a];
    const uy = p[b + 1] - p[a + 1];
    const uz = p[b + 2] - p[a + 2];
    const vx = p[c] - p[a];
    const vy = p[c + 1] - p[a + 1];
    const vz = p[c + 2] - p[a + 2];
    const nx = uy * vz - uz * vy;
    const ny = uz * vx - ux * vz;
    const nz = ux * vy - uy * vx;
    const length = Math.sqrt(nx * nx + ny * ny + nz * nz);
    if (!(length > 0)) return false;
    for (let k = 0; k < 3; k++) {
      const o = t[of * 3 + k] * 3;
      d[at + k] = (nx * (p[o] - p[a]) + ny * (p[o + 1] - p[a + 1]) + nz * (p[o + 2] - p[a + 2])) / length;
    }
    return true;
  }

  /** Whether an edge of triangle e goes strictly through the plane of g inside g; d[at..] holds e's distances from g's plane. */
  private pierces(e: number, g: number, at: number): boolean {
    const { p, t, d, eps } = this;
    for (let k = 0; k < 3; k++) {
      const l = k === 2 ? 0 : k + 1;
      const [dk, dl] = [d[at + k], d[at + l]];
      if (!((dk > eps && dl < -eps) || (dk < -eps && dl > eps))) continue;
      const [i, j] = [t[e * 3 + k], t[e * 3 + l]];
      if (this.hasCorner(g, i) || this.hasCorner(g, j)) continue;
      const s = dk / (dk - dl);
      const [from, to] = [i * 3, j * 3];
      if (this.inside(g, [p[from] + s * (p[to] - p[from]), p[from + 1] + s * (p[to + 1] - p[from + 1]), p[from + 2] + s * (p[to + 2] - p[from + 2])]))
        return true;
    }
    return false;
  }

  /** Whether a point in the plane of a triangle is in it, its edges counted in. */
  private inside(tri: number, point: Vec3): boolean {
    const [a, b, c] = this.cornersOf(tri);
    const [e, f, q] = [sub(b, a), sub(c, a), sub(point, a)];
    const [ee, ef, ff, qe, qf] = [dot(e, e), dot(e, f), dot(f, f), dot(q, e), dot(q, f)];
    const det = ee * ff - ef * ef;
    if (!(det > 0)) return false;
    const v = (ff * qe - ef * qf) / det;
    const w = (ee * qf - ef * qe) / det;
    const slack = this.eps / Math.sqrt(Math.max(ee, ff));
    return v >= -slack && w >= -slack && v + w <= 1 + slack;
  }

  private cornersOf(tri: number): [Vec3, Vec3, Vec3] {
    const { p, t } = this;
    return [vecAt(p, t[tri * 3] * 3), vecAt(p, t[tri * 3 + 1] * 3), vecAt(p, t[tri * 3 + 2] * 3)];
  }

  /** Two triangles in one plane that share an edge: folded when both third corners are on one side of it. */
  private folded(f: number, g: number): boolean {
    const { p, t } = this;
    const own = [0, 1, 2].map((k) => t[f * 3 + k]);
    const edge = own.filter((v) => this.hasCorner(g, v)).map((v) => vecAt(p, v * 3));
    const m = own.find((v) => !this.hasCorner(g, v));
    const n = [0, 1, 2].map((k) => t[g * 3 + k]).find((v) => !this.hasCorner(f, v));
    if (m === undefined || n === undefined || edge.length !== 2) return false;
    const along = sub(edge[1], edge[0]);
    const [a, b] = [m, n].map((v) => cross(along, sub(vecAt(p, v * 3), edge[0])));
    return dot(a, b) > 1e-6 * lengthOf(a) * lengthOf(b);
  }

  /** Whether two triangles in one plane share area: no line along an edge parts them. */
  private lieOn(f: number, g: number): boolean {
    return !this.parted(f, g) && !this.parted(g, f);
  }

  /** Whether a line along an edge of the first of two triangles in one plane parts them. Written out in numbers: every two facets of a fan come here. */
  private parted(f: number, g: number): boolean {
    const { p, t, eps } = this;
    for (let k = 0; k < 3; k++) {
      const a = t[f * 3 + k] * 3;
      const b = t[f * 3 + ((k + 1) % 3)] * 3;
      const c = t[f * 3 + ((k + 2) % 3)] * 3;
      const [ux, uy, uz] = [p[b] - p[a], p[b + 1] - p[a + 1], p[b + 2] - p[a + 2]];
      const [vx, vy, vz] = [p[c] - p[a], p[c + 1] - p[a + 1], p[c + 2] - p[a + 2]];
      const square = ux * ux + uy * uy + uz * uz;
      // In the plane, across the edge, towards the third corner: v less its part along the edge.
      const share = (vx * ux + vy * uy + vz * uz) / square;
      const [wx, wy, wz] = [vx - share * ux, vy - share * uy, vz - share * uz];
      const length = Math.sqrt(wx * wx + wy * wy + wz * wz);
      if (!(square > 0 && length > 0)) continue;
      let beyond = true;
      for (let l = 0; l < 3 && beyond; l++) {
        const o = t[g * 3 + l] * 3;
        beyond = wx * (p[o] - p[a]) + wy * (p[o + 1] - p[a + 1]) + wz * (p[o + 2] - p[a + 2]) <= 16 * eps * length;
      }
      if (beyond) return true;
    }
    return false;
  }
}
