import { collapsed } from '../../geometry/edges.ts';

/**
 * Triangles that stand on the same three vertices as one before them.
 * `same`: how many run the same way round, `opposite`: how many the other way. `first[i]` is the earlier triangle, or -1.
 */
export function doubledTriangles(t: Uint32Array, vertices: number): { same: number; opposite: number; first: Int32Array } {
  const count = t.length / 3;
  const first = new Int32Array(count).fill(-1);
  // Grouped by lowest vertex (counting sort), then compared within the group.
  const start = new Uint32Array(vertices + 1);
  const low = (i: number) => Math.min(t[i * 3], t[i * 3 + 1], t[i * 3 + 2]);
  for (let i = 0; i < count; i++) if (!collapsed(t, i)) start[low(i) + 1]++;
  for (let v = 0; v < vertices; v++) start[v + 1] += start[v];
  const group = new Uint32Array(start[vertices]);
  const fill = start.slice(0, vertices);
  for (let i = 0; i < count; i++) if (!collapsed(t, i)) group[fill[low(i)]++] = i;
  const found: Doubles = { same: 0, opposite: 0, first };
  for (let v = 0; v < vertices; v++) {
    const of = group.subarray(start[v], start[v + 1]);
    if (of.length > mostCompared) pairedByKey(t, of, v, found);
    else if (of.length > 1) compared(t, of, v, found);
  }
  return found;
}

/** Triangles with the same lowest vertex are compared each with each, up to so many. */
const mostCompared = 40;

interface Doubles {
  same: number;
  opposite: number;
  first: Int32Array;
}

function note(t: Uint32Array, found: Doubles, [i, j]: readonly [number, number], v: number): void {
  found.first[i] = j;
  if (after(t, i, v)[0] === after(t, j, v)[0]) found.same++;
  else found.opposite++;
}

/** Many triangles whose lowest vertex is v, by their other two. */
function pairedByKey(t: Uint32Array, of: Uint32Array, v: number, found: Doubles): void {
  const seen = new Map<number, number>();
  for (const i of of) {
    const [b, c] = after(t, i, v);
    const key = Math.min(b, c) * 2 ** 26 + Math.max(b, c);
    const j = seen.get(key);
    if (j === undefined) seen.set(key, i);
    else note(t, found, [i, j], v);
  }
}

/** A few triangles whose lowest vertex is v, each with those before it. */
function compared(t: Uint32Array, of: Uint32Array, v: number, found: Doubles): void {
  for (let x = 1; x < of.length; x++) {
    const [b, c] = after(t, of[x], v);
    for (let y = 0; y < x; y++) {
      const j = of[y];
      if (found.first[j] >= 0) continue;
      const k = j * 3;
      // Three different corners, one of them v: with the same sum, one that is b makes the other c.
      if (t[k] + t[k + 1] + t[k + 2] !== v + b + c || !(t[k] === b || t[k + 1] === b || t[k + 2] === b)) continue;
      note(t, found, [of[x], j], v);
      break;
    }
  }
}

/** The two corners that follow vertex v in triangle i. */
function after(t: Uint32Array, i: number, v: number): [number, number] {
  const k = i * 3;
  return t[k] === v ? [t[k + 1], t[k + 2]] : t[k + 1] === v ? [t[k + 2], t[k]] : [t[k], t[k + 1]];
}

/**
 * Vertices that lie within a tolerance of one before them, by a grid of cells much larger than the tolerance, so that
 * nearly every vertex has to look into one cell only.
 * @returns for each vertex the earliest vertex within the tolerance of it (itself when there is none), and how many moved.
 */
export function nearVertices(positions: Float64Array, tolerance: number): { to: Uint32Array; count: number } {
  const vertices = positions.length / 3;
  const to = new Uint32Array(vertices);
  let size = 64;
  while (size < vertices * 2) size *= 2;
  const head = new Int32Array(size).fill(-1);
  const next = new Int32Array(vertices).fill(-1);
  const inverse = 1 / (24 * tolerance);
  const reach = tolerance * inverse;
  const slot = (x: number, y: number, z: number) => {
    let h = Math.imul(x | 0, 0x9e3779b1) ^ Math.imul(y | 0, 0x85ebca77) ^ Math.imul(z | 0, 0xc2b2ae3d);
    h ^= h >>> 15;
    h = Math.imul(h, 0x2c1b3c6d);
    return (h ^ (h >>> 13)) & (size - 1);
  };
  let count = 0;
  for (let v = 0; v < vertices; v++) {
    const x = positions[v * 3];
    const y = positions[v * 3 + 1];
    const z = positions[v * 3 + 2];
    const gx = x * inverse;
    const gy = y * inverse;
    const gz = z * inverse;
    let best = -1;
    for (let cx = Math.floor(gx - reach); cx <= gx + reach; cx++)
      for (let cy = Math.floor(gy - reach); cy <= gy + reach; cy++)
        for (let cz = Math.floor(gz - reach); cz <= gz + reach; cz++) {
          for (let o = head[slot(cx, cy, cz)]; o >= 0; o = next[o]) {
            if (best >= 0 && o >= best) continue;
            const dx = positions[o * 3] - x;
            const dy = positions[o * 3 + 1] - y;
            const dz = positions[o * 3 + 2] - z;
            if (dx * dx + dy * dy + dz * dz <= tolerance * tolerance) best = o;
          }
        }
    if (best >= 0) {
      to[v] = best;
      count++;
      continue;
    }
    to[v] = v;
    const h = slot(Math.floor(gx), Math.floor(gy), Math.floor(gz));
    next[v] = head[h];
    head[h] = v;
  }
  return { to, count };
}
