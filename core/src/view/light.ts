import { boxOf } from '../geometry/box.ts';

/** A surface to be looked at. */
interface Drawn {
  positions: Float32Array;
  triangles: Uint32Array;
}

/** Surfaces of more triangles than this are heavy to draw. */
export const heavyAbove = 500_000;

/** Cells along the longest side of the box: a surface has then some 100,000 to 300,000 triangles left, whatever it had. */
export const lightCells = 180;

/**
 * A light picture of a heavy surface: all vertices in a cell of a grid become one, in their middle, and triangles that have no three cells go.
 * To be drawn while the camera moves; nothing is measured on it. Every vertex is off by at most a cell's diagonal.
 * Source: Rossignac and Borrel, Multi-resolution 3D approximations for rendering complex scenes, 1993.
 * @example lightOf(view).triangles.length / 3 // about 200,000 of 4,000,000
 */
export function lightOf({ positions: p, triangles: t }: Drawn, cells = lightCells): Drawn {
  if (!(cells >= 1 && cells <= 250)) throw new RangeError('between 1 and 250 cells along a side');
  const { min, max } = boxOf(p);
  const size = Math.max(max[0] - min[0], max[1] - min[1], max[2] - min[2]);
  if (!(size > 0)) return { positions: new Float32Array(0), triangles: new Uint32Array(0) };
  const perMm = cells / size;
  const across = (axis: number) => Math.floor((max[axis] - min[axis]) * perMm) + 1;
  const [nx, ny] = [across(0), across(1)];
  // Which of the new vertices a cell has, from 1 on.
  const held = new Uint32Array(nx * ny * across(2));
  const cellOf = new Uint32Array(p.length / 3);
  let count = 0;
  for (let i = 0, v = 0; v < cellOf.length; i += 3, v++) {
    const x = Math.floor((p[i] - min[0]) * perMm);
    const y = Math.floor((p[i + 1] - min[1]) * perMm);
    const z = Math.floor((p[i + 2] - min[2]) * perMm);
    const cell = (z * ny + y) * nx + x;
    cellOf[v] = (held[cell] ||= ++count) - 1;
  }
  const sums = new Float64Array(count * 3);
  const members = new Uint32Array(count);
  for (let v = 0; v < cellOf.length; v++) {
    const c = cellOf[v];
    members[c]++;
    for (let k = 0; k < 3; k++) sums[c * 3 + k] += p[v * 3 + k];
  }
  return { positions: Float32Array.from(sums, (sum, i) => sum / members[Math.floor(i / 3)]), triangles: threeCells(t, cellOf) };
}

/** Triangles whose corners lie in three cells. */
function threeCells(t: Uint32Array, cellOf: Uint32Array): Uint32Array {
  const out = new Uint32Array(t.length);
  let n = 0;
  for (let i = 0; i < t.length; i += 3) {
    const a = cellOf[t[i]];
    const b = cellOf[t[i + 1]];
    const c = cellOf[t[i + 2]];
    if (a === b || b === c || c === a) continue;
    out[n] = a;
    out[n + 1] = b;
    out[n + 2] = c;
    n += 3;
  }
  return out.slice(0, n);
}
