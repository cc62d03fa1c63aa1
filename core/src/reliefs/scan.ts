import type { Mesh } from '../geometry/mesh.ts';
import type { Grid } from './field.ts';

/** What stands over each place of a grid, by straight lines down through a mesh. */
export interface Scan {
  /** The highest place of the mesh, NaN where there is none. */
  top: Float64Array;
  /** The highest face that was counted, by which each place belongs to one side of an upright wall only; -Infinity where there is none. */
  high: Float64Array;
  /** Faces met that face up, less those that face down. */
  net: Int32Array;
  /** Sum of the heights of the former, less those of the latter. */
  sum: Float64Array;
}

/** Places within this share of a step beside a triangle count as on it, so that a border on the grid is met whatever its last digit is. */
const beside = 1e-9;

/**
 * Heights of a mesh over a grid: each triangle is gone through row by row between its sides, and only once. Where the same side belongs to two triangles its
 * crossing with a row comes out as the same number, so no place is met twice or missed by the counts.
 * O(triangles + places met). Source: the scan line of Wylie, Romney, Evans and Erdahl, 1967; corners of shared sides by the half-open rule.
 * @example scan(mesh, gridOver([0, 0], [100, 100], 0.1)).top
 */
export function scan(mesh: Mesh, grid: Grid): Scan {
  const out = emptyScan(grid);
  scanInto(out, mesh, grid);
  return finished(out);
}

/** A scan in which nothing stands yet. */
export function emptyScan({ columns, rows }: Grid): Scan {
  const n = columns * rows;
  return { top: new Float64Array(n).fill(-Infinity), high: new Float64Array(n).fill(-Infinity), net: new Int32Array(n), sum: new Float64Array(n) };
}

/** One more mesh in a scan. */
export function scanInto(out: Scan, mesh: Mesh, grid: Grid): void {
  const { columns, rows } = grid;
  const { positions: p, triangles: t } = mesh;
  const n = p.length / 3;
  const u = new Float64Array(n);
  const v = new Float64Array(n);
  for (let i = 0; i < n; i++) {
    u[i] = (p[i * 3] - grid.at[0]) / grid.step[0];
    v[i] = (p[i * 3 + 1] - grid.at[1]) / grid.step[1];
  }
  const at = { u, v, heights: p, columns, rows };
  for (let i = 0; i < t.length; i += 3) triangleOver(at, t, i, out);
}

/** A scan after its last mesh: NaN where nothing stands. */
export function finished(out: Scan): Scan {
  for (let k = 0; k < out.top.length; k++) {
    if (out.top[k] === -Infinity) out.top[k] = NaN;
  }
  return out;
}

/** Corners of a mesh over a grid: places in its steps along both ways, and heights, every third number from the third. */
interface Corners {
  u: Float64Array;
  v: Float64Array;
  heights: Float64Array;
  columns: number;
  rows: number;
}

/** The part of a row that a triangle covers: one object, written anew for each, since this is the innermost loop. */
const span = { row: 0, columns: 0, left: 0, right: 0, z: 0, u: 0, du: 0, least: 0, most: 0, sign: 0, counted: false };

/** What the covered part of a row does to the scan. */
function covered({ top, high, net, sum }: Scan): void {
  const { row, columns, left, right, du, least, most, sign, counted } = span;
  const from = Math.max(0, Math.ceil(left - beside));
  const to = Math.min(columns - 1, Math.floor(right + beside));
  let z = span.z + (from - span.u) * du;
  for (let column = from, k = row * columns + from; column <= to; column++, k++, z += du) {
    // A steep triangle's plane runs far off beside it; a corner is never left.
    const h = z < least ? least : z > most ? most : z;
    if (h > top[k]) top[k] = h;
    if (counted && column >= left && column < right) {
      net[k] += sign;
      sum[k] += sign * h;
      if (h > high[k]) high[k] = h;
    }
  }
}

/** One triangle; numbers one by one. */
function triangleOver({ u, v, heights: p, columns, rows }: Corners, t: Uint32Array, i: number, out: Scan): void {
  // Corners by rows: a lowest, c highest. A side's crossing is always taken from its lower end.
  let [a, b, c] = [t[i], t[i + 1], t[i + 2]];
  const det = (u[b] - u[a]) * (v[c] - v[a]) - (v[b] - v[a]) * (u[c] - u[a]);
  if (det === 0 || det !== det) return;
  if (v[a] > v[b]) [a, b] = [b, a];
  if (v[b] > v[c]) [b, c] = [c, b];
  if (v[a] > v[b]) [a, b] = [b, a];
  const [ua, va, ub, vb, uc, vc] = [u[a], v[a], u[b], v[b], u[c], v[c]];
  const [za, zb, zc] = [p[a * 3 + 2], p[b * 3 + 2], p[c * 3 + 2]];
  const first = Math.max(0, Math.ceil(va - beside));
  const last = Math.min(rows - 1, Math.floor(vc + beside));
  if (first > last) return;
  const d = (ub - ua) * (vc - va) - (vb - va) * (uc - ua);
  const dv = ((ub - ua) * (zc - za) - (zb - za) * (uc - ua)) / d;
  span.du = ((zb - za) * (vc - va) - (vb - va) * (zc - za)) / d;
  span.least = Math.min(za, zb, zc);
  span.most = Math.max(za, zb, zc);
  span.sign = det > 0 ? 1 : -1;
  span.columns = columns;
  const slopeLong = (uc - ua) / (vc - va);
  const slopeLow = vb > va ? (ub - ua) / (vb - va) : 0;
  const slopeHigh = vc > vb ? (uc - ub) / (vc - vb) : 0;
  for (let row = first; row <= last; row++) {
    const at = Math.min(vc, Math.max(va, row));
    const long = ua + (at - va) * slopeLong;
    const short = at < vb || vc === vb ? (vb > va ? ua + (at - va) * slopeLow : ub) : ub + (at - vb) * slopeHigh;
    span.row = row;
    span.left = Math.min(long, short);
    span.right = Math.max(long, short);
    span.z = za + (row - va) * dv;
    span.u = ua;
    span.counted = row >= va && row < vc;
    covered(out);
  }
}

/** What lies under overhangs and is filled when a mesh becomes heights. */
export interface Undercuts {
  /** Air under overhangs, mm3. */
  volume: number;
  /** Where there is any: 1. */
  where: Uint8Array;
  places: number;
  /** Deepest air, mm. */
  deepest: number;
}

/** Air up to this share of the heights' range is rounding. */
const rounding = 1e-7;

/**
 * Where a mesh overhangs itself, so that heights lose it. Under an open surface that is the air below a roof: the highest face less the sum of the faces up less
 * the faces down. A closed mesh is filled down to its lowest place: the highest face less that less the material between.
 * @param lowest its lowest place, mm
 */
export function undercuts({ high, net, sum }: Scan, grid: Grid, lowest: number): Undercuts {
  let [up, down, most] = [0, 0, -Infinity];
  for (let k = 0; k < net.length; k++) {
    if (net[k] > 0) up++;
    else if (net[k] < 0) down++;
    if (high[k] > most) most = high[k];
  }
  const sign = down > up ? -1 : 1;
  const where = new Uint8Array(high.length);
  const small = rounding * Math.max(most - lowest, 1e-9);
  let [total, places, deepest] = [0, 0, 0];
  for (let k = 0; k < net.length; k++) {
    if (high[k] === -Infinity) continue;
    const turns = net[k] * sign;
    const air = turns === 0 ? high[k] - lowest - sign * sum[k] : turns === 1 ? high[k] - sign * sum[k] : 0;
    if (!(air > small)) continue;
    where[k] = 1;
    places++;
    total += air;
    if (air > deepest) deepest = air;
  }
  return { volume: total * grid.step[0] * grid.step[1], where, places, deepest };
}
