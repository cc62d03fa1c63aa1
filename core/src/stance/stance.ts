import { Triangle } from '../geometry/triangle.ts';
import { cross } from '../geometry/vector.ts';
import { farLoss, lossAt } from '../geometry/far.ts';
import { boxOf } from '../geometry/box.ts';
import { measureMesh, type Mesh } from '../geometry/mesh.ts';
import { placed, rowsOf, turnBetween, afterTurn, turned, type Placement, type Turn } from '../geometry/placement.ts';

/** How a part stands: a turn of its own coordinates, and whether it is dropped so that its lowest point is z = 0. */
export interface Stance {
  turn: Turn;
  drop: boolean;
  /** In words: "as modelled", "set down on a face", "turned". */
  how: string;
  /** Whether a place far from zero is kept; without it such a part is written at its zero (see `placementOf`). */
  keepPlace?: boolean;
}

/** A part counts as far away only when it is more than so many diagonals away. */
const farDiagonals = 4;

export const asModelled: Stance = { turn: [0, 0, 0, 1], drop: false, how: 'as modelled' };

/** As modelled and where it was modelled, however far away: for parts that are put together with others. */
export const inPlace: Stance = { ...asModelled, keepPlace: true };

/**
 * The placement of a part: scaled, turned, and dropped to the bed when the stance says so. A part that lies so far from zero that a file would
 * lose digits is brought to its zero (middle at x = y = 0, standing on z = 0), unless the stance keeps its place.
 */
export function placementOf(stance: Stance, scale: number, positions: ArrayLike<number>): Placement {
  const rows = rowsOf(stance.turn).map((v) => v * scale);
  const box = placedBox(rows, positions);
  if (!box) return { rows, shift: [0, 0, 0] };
  const { min, max } = box;
  const far = Math.max(...min.map(Math.abs), ...max.map(Math.abs));
  const diagonal = Math.hypot(max[0] - min[0], max[1] - min[1], max[2] - min[2]);
  const away = !stance.keepPlace && lossAt(far) > farLoss && far > farDiagonals * diagonal;
  if (away) return { rows, shift: [-(min[0] + max[0]) / 2, -(min[1] + max[1]) / 2, -min[2]] };
  return { rows, shift: [0, 0, stance.drop ? -min[2] : 0] };
}

function placedBox([a, b, c, d, e, f, g, h, k]: Iterable<number>, p: ArrayLike<number>): { min: number[]; max: number[] } | null {
  let [x0, y0, z0, x1, y1, z1] = [Infinity, Infinity, Infinity, -Infinity, -Infinity, -Infinity];
  for (let i = 0; i < p.length; i += 3) {
    const x = a * p[i] + b * p[i + 1] + c * p[i + 2];
    const y = d * p[i] + e * p[i + 1] + f * p[i + 2];
    const z = g * p[i] + h * p[i + 1] + k * p[i + 2];
    if (x < x0) x0 = x;
    if (x > x1) x1 = x;
    if (y < y0) y0 = y;
    if (y > y1) y1 = y;
    if (z < z0) z0 = z;
    if (z > z1) z1 = z;
  }
  return [x0, y0, z0, x1, y1, z1].every(Number.isFinite) ? { min: [x0, y0, z0], max: [x1, y1, z1] } : null;
}

/** The stance that sets down a face with this outward normal (in the part's own coordinates), from the present turn. */
export function setDown(normal: readonly [number, number, number], present: Turn): Stance {
  const now = turned(present, normal);
  return { turn: afterTurn(turnBetween(now, [0, 0, -1]), present), drop: true, how: 'set down on a face' };
}

/** Normal of the plane through three points, pointing away from `inside`. Null when they lie on a line. */
export function normalOfThree(a: number[], b: number[], c: number[], inside: readonly number[]): [number, number, number] | null {
  const u = [b[0] - a[0], b[1] - a[1], b[2] - a[2]];
  const v = [c[0] - a[0], c[1] - a[1], c[2] - a[2]];
  const n: [number, number, number] = cross(u, v);
  const length = Math.hypot(...n);
  if (length < 1e-9 * Math.max(1, Math.hypot(...u) * Math.hypot(...v))) return null;
  const away = n[0] * (a[0] - inside[0]) + n[1] * (a[1] - inside[1]) + n[2] * (a[2] - inside[2]);
  const sign = away < 0 ? -1 : 1;
  return [(sign * n[0]) / length, (sign * n[1]) / length, (sign * n[2]) / length];
}

/** Figures of how a mesh stands (after its placement). Areas in mm2, heights in mm. */
export interface Standing {
  /** Area that lies on the lowest plane. */
  contact: number;
  /** Area that faces down more than the limit allows, the contact left out. */
  overhang: number;
  /** Steepest overhang met, degrees from the vertical. */
  steepest: number;
  height: number;
  lowest: number;
  /** Centre of volume, measured from the low corner of the box. */
  centre: [number, number, number];
}

/**
 * Contact and overhang of a standing mesh. An overhang of 0 degrees is a vertical wall, 90 a ceiling.
 * @param limit degrees from the vertical that print without support; about 45 is common practice.
 */
export function standingOf(mesh: Mesh, limit = 45): Standing {
  const { positions: p } = mesh;
  const box = boxOf(p);
  const lowest = box.min[2];
  const near = Math.max(1e-4, 1e-5 * (box.max[2] - lowest));
  const steep = Math.sin((limit * Math.PI) / 180);
  let contact = 0;
  let overhang = 0;
  let worst = 0;
  const tri = new Triangle(mesh);
  for (let i = 0; i < tri.count; i++) {
    const { a, b, c, nz } = tri.at(i);
    if (nz >= 0) continue;
    const twice = tri.twice();
    if (twice === 0) continue;
    if (p[a + 2] - lowest < near && p[b + 2] - lowest < near && p[c + 2] - lowest < near) {
      contact += twice / 2;
      continue;
    }
    const down = -nz / twice;
    if (down > steep + 1e-9) {
      overhang += twice / 2;
      worst = Math.max(worst, (Math.asin(Math.min(1, down)) * 180) / Math.PI);
    }
  }
  const centre = measureMesh(mesh).centre;
  return {
    contact,
    overhang,
    steepest: worst,
    height: box.max[2] - box.min[2],
    lowest,
    centre: [centre[0] - box.min[0], centre[1] - box.min[1], centre[2] - box.min[2]],
  };
}

/** Which side of the part, as modelled, is down: the axis nearest to down, or "tilted". */
export function sideDown(turn: Turn): string {
  const m = rowsOf(turn);
  // The direction of the model that ends up pointing down is minus the third row.
  const down = [-m[6], -m[7], -m[8]];
  const k = down.findIndex((v) => Math.abs(v) > 0.9998);
  if (k < 0) return 'tilted';
  return `${down[k] > 0 ? '+' : '\u2212'}${'XYZ'[k]} side`;
}

/** A mesh after a placement. */
export function stand(mesh: Mesh, placement: Placement): Mesh {
  return { positions: placed(mesh.positions, placement), triangles: mesh.triangles };
}
