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
  let same = 0;
  let opposite = 0;
  for (let v = 0; v < vertices; v++) {
    const seen = start[v + 1] - start[v] > 40 ? new Map<number, number>() : null;
    for (let x = start[v]; x < start[v + 1]; x++) {
      const i = group[x];
      const [b, c] = after(t, i, v);
      if (seen) {
        const key = Math.min(b, c) * vertices + Math.max(b, c);
        const j = seen.get(key);
        if (j === undefined) seen.set(key, i);
        else note(i, j, b);
        continue;
      }
      for (let y = start[v]; y < x; y++) {
        const j = group[y];
        if (first[j] >= 0) continue;
        const k = j * 3;
        const sum = t[k] + t[k + 1] + t[k + 2];
        if (sum !== v + b + c) continue;
        if ((t[k] === b || t[k + 1] === b || t[k + 2] === b) && (t[k] === c || t[k + 1] === c || t[k + 2] === c)) {
          note(i, j, b);
          break;
        }
      }
    }
    function note(i: number, j: number, b: number): void {
      first[i] = j;
      if (after(t, j, v)[0] === b) same++;
      else opposite++;
    }
  }
  return { same, opposite, first };
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
