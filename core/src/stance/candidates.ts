import { cross } from '../geometry/vector.ts';
import { diagonalOf } from '../geometry/box.ts';
import { hull2 } from '../geometry/hull.ts';
import { measureMesh, type Mesh } from '../geometry/mesh.ts';
import { placed, rowsOf, turnBetween, turned, type Turn } from '../geometry/placement.ts';
import { collapsedTo } from '../mesh/lighter/lighter.ts';
import type { Engine } from '../engine/engine.ts';
import { supportVolume } from './overhang.ts';
import { placementOf, sideDown, stand, standingOf } from './stance.ts';

/** A way to stand, with what it costs. Areas in mm2, volumes in mm3, height in mm. */
export interface StanceCandidate {
  turn: Turn;
  /** Which side is down, in words. */
  side: string;
  contact: number;
  overhang: number;
  support: number;
  height: number;
  /** How far the middle of the weight lies inside the base, as a share of the part's size; small ones tip. */
  steady: number;
  /** Lower is better; the sum that ranks. */
  cost: number;
  /** A front view of 40 by 40: an SVG path of the outline. */
  picture: string;
}

/** Faces of the hull whose normals differ by less than this are one, degrees. */
const oneFace = 0.6;
/** A mesh heavier than this is judged by a lighter copy; the figures of those shown come from the mesh itself. */
const judged = 30_000;
const mostJudged = 40;

/**
 * Stances on the faces of the convex hull on which the part can stand (the middle of its weight above the face), ranked by
 * support volume, overhang, height and contact. The cost that ranks them is
 * 10 support / box volume + overhang / area + 0.3 height / diagonal - 0.5 contact / largest contact.
 *
 * @param limit overhang that prints without support, degrees from the vertical.
 * @param progress called with 0..1; true gives up, and null is returned.
 */
export async function stanceCandidates(
  mesh: Mesh,
  limit: number,
  engine: Engine,
  { most = 8, progress = () => {} }: { most?: number; progress?: (share: number) => boolean | void } = {},
): Promise<StanceCandidate[] | null> {
  const light = mesh.triangles.length / 3 > judged ? await collapsedTo(mesh, judged) : mesh;
  const measures = measureMesh(mesh);
  const diagonal = diagonalOf(measures.box) || 1;
  const faces = restingFaces(light, measures.centre, engine).slice(0, mostJudged);
  const costs: { turn: Turn; steady: number; figures: ReturnType<typeof figuresOf> }[] = [];
  for (const [i, face] of faces.entries()) {
    if (progress(i / faces.length) === true) return null;
    const turn = turnBetween(face.normal, [0, 0, -1]);
    costs.push({ turn, steady: face.steady / diagonal, figures: figuresOf(light, turn, limit) });
  }
  const size = measures.box.max.map((v, k) => v - measures.box.min[k]);
  const boxVolume = Math.max(1e-12, size[0] * size[1] * size[2]);
  const bestContact = Math.max(1e-12, ...costs.map((c) => c.figures.contact));
  const ranked = costs
    .map((c) => {
      const { support, overhang, height, contact } = c.figures;
      const cost = (10 * support) / boxVolume + overhang / Math.max(1e-12, measures.area) + (0.3 * height) / diagonal - (0.5 * contact) / bestContact;
      return { ...c, cost };
    })
    .sort((a, b) => a.cost - b.cost);
  const shown: StanceCandidate[] = [];
  for (const c of ranked.slice(0, most)) {
    // A candidate that only turns a shown one about the vertical is the same stance.
    const figures = light === mesh ? c.figures : { ...figuresOf(mesh, c.turn, limit, false), support: c.figures.support };
    shown.push({ turn: c.turn, side: sideDown(c.turn), ...figures, steady: c.steady, cost: c.cost, picture: picture(light, c.turn) });
  }
  return shown;
}

function figuresOf(mesh: Mesh, turn: Turn, limit: number, support = true) {
  const standing = stand(mesh, placementOf({ turn, drop: true, how: '' }, 1, mesh.positions));
  const { contact, overhang, height } = standingOf(standing, limit);
  return { contact, overhang, height, support: support ? supportVolume(standing, limit) : 0 };
}

/** Faces of the convex hull on which a part can stand, the largest first, with how far inside the weight falls (mm). */
export function restingFaces(mesh: Mesh, centre: readonly number[], engine: Engine): { normal: [number, number, number]; area: number; steady: number }[] {
  const points: [number, number, number][] = [];
  const { positions: p } = mesh;
  for (let i = 0; i < p.length; i += 3) points.push([p[i], p[i + 1], p[i + 2]]);
  const hull = engine.Manifold.hull(points);
  const { vertProperties: v, triVerts: t, numProp } = hull.getMesh();
  hull.delete();
  const at = (i: number) => [v[i * numProp], v[i * numProp + 1], v[i * numProp + 2]];
  interface Face {
    normal: [number, number, number];
    area: number;
    sum: number[];
    corners: number[][];
  }
  const triangles: { n: number[]; area: number; q: number[][] }[] = [];
  for (let i = 0; i < t.length; i += 3) {
    const q = [at(t[i]), at(t[i + 1]), at(t[i + 2])];
    const e = q[1].map((x, k) => x - q[0][k]);
    const f = q[2].map((x, k) => x - q[0][k]);
    const n = cross(e, f);
    const twice = Math.hypot(...n);
    if (twice > 0) triangles.push({ n: n.map((x) => x / twice), area: twice / 2, q });
  }
  // The largest first, so that slivers at a rim join the flat face and not the other way round.
  triangles.sort((a, b) => b.area - a.area);
  const faces: Face[] = [];
  const cosine = Math.cos((oneFace * Math.PI) / 180);
  for (const tri of triangles) {
    const face = faces.find((f) => f.normal[0] * tri.n[0] + f.normal[1] * tri.n[1] + f.normal[2] * tri.n[2] > cosine);
    if (face) {
      face.area += tri.area;
      face.corners.push(...tri.q);
    } else if (faces.length < 2000) faces.push({ normal: tri.n as Face['normal'], area: tri.area, sum: [], corners: [...tri.q] });
  }
  return faces
    .map((f) => ({ normal: f.normal, area: f.area, steady: steadiness(f.corners, f.normal, centre) }))
    .filter((f) => f.steady > 0)
    .sort((a, b) => b.area - a.area);
}

/** Least distance from the foot of the weight to the rim of a convex face; below zero when it falls outside. */
function steadiness(corners: number[][], normal: readonly number[], centre: readonly number[]): number {
  const flat = rowsOf(turnBetween(normal, [0, 0, 1]));
  const project = (c: readonly number[]): [number, number] => [
    flat[0] * c[0] + flat[1] * c[1] + flat[2] * c[2],
    flat[3] * c[0] + flat[4] * c[1] + flat[5] * c[2],
  ];
  const ring = hull2(corners.map(project));
  const [x, y] = project(centre);
  let least = Infinity;
  for (let i = 0; i < ring.length; i++) {
    const [ax, ay] = ring[i];
    const [bx, by] = ring[(i + 1) % ring.length];
    const length = Math.hypot(bx - ax, by - ay);
    if (length > 0) least = Math.min(least, ((bx - ax) * (y - ay) - (by - ay) * (x - ax)) / length);
  }
  return ring.length < 3 ? -1 : least;
}

/** The outline of a standing part from the front as an SVG path in a box of 40 by 40: the hull of its silhouette. */
function picture(mesh: Mesh, turn: Turn): string {
  const q = placed(mesh.positions, { rows: rowsOf(turn), shift: [0, 0, 0] });
  // Seen from the front, a little from above and from the right.
  const points: [number, number][] = [];
  const stride = Math.max(3, 3 * Math.floor(q.length / 3 / 6000));
  for (let i = 0; i + 2 < q.length; i += stride) points.push([q[i] * 0.94 + q[i + 1] * 0.34, q[i + 2] * 0.9 - q[i] * 0.12 + q[i + 1] * 0.3]);
  const ring = hull2(points);
  const xs = ring.map((r) => r[0]);
  const ys = ring.map((r) => r[1]);
  const [x0, x1, y0, y1] = [Math.min(...xs), Math.max(...xs), Math.min(...ys), Math.max(...ys)];
  const scale = 36 / Math.max(x1 - x0, y1 - y0, 1e-12);
  const put = ([x, y]: [number, number]) => `${(20 + (x - (x0 + x1) / 2) * scale).toFixed(1)} ${(38 - (y - y0) * scale).toFixed(1)}`;
  return `M${ring.map(put).join('L')}Z`;
}

/** A direction of the model that ends up pointing down under a turn. */
export function downOf(turn: Turn): [number, number, number] {
  const [x, y, z, w] = turn;
  return turned([-x, -y, -z, w], [0, 0, -1]);
}
