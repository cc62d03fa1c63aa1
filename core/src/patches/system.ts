import { Cholesky, type LowerPattern } from '../sparse/cholesky.ts';
import { dissected, type Neighbours } from '../sparse/order.ts';

/**
 * The symmetric matrix of an energy that is a sum over triangles, with its factor: `width` unknowns a vertex. Vertices that are held stay
 * where they are: their unknowns are left out.
 */
export class MeshSystem {
  readonly vertices: number;
  readonly width: 1 | 2;
  /** Entries of the matrix, in the order of its pattern. Zero them, add to them by `slots`, then factor. */
  readonly values: Float64Array;
  /** Slots of each triangle (see `slotsOf`): 6 for one unknown a vertex, 21 for two. */
  readonly slots: Int32Array;
  private readonly pattern: LowerPattern;
  private readonly factorOf: Cholesky;
  /** Place of a vertex among those that are free; -1 when it is held. */
  private readonly free: Int32Array;
  private readonly right: Float64Array;

  /**
   * @param places 3 numbers a vertex, for the order of elimination
   * @param held vertices that stay
   */
  constructor(triangles: Uint32Array, places: Float64Array, width: 1 | 2, held: ReadonlySet<number>) {
    const vertices = places.length / 3;
    this.vertices = vertices;
    this.width = width;
    this.free = new Int32Array(vertices);
    let n = 0;
    for (let v = 0; v < vertices; v++) this.free[v] = held.has(v) ? -1 : n++;
    const around = neighboursOf(triangles, vertices);
    const own = new Float64Array(n * 3);
    for (let v = 0; v < vertices; v++) if (this.free[v] >= 0) own.set(places.subarray(v * 3, v * 3 + 3), this.free[v] * 3);
    const graph = freeGraph(around, this.free, n);
    const order = dissected(graph, own, 3);
    const pattern = lowerOf(graph, n, width);
    this.factorOf = new Cholesky(pattern, width === 1 ? order : doubled(order));
    this.values = new Float64Array(pattern.rows.length);
    this.pattern = pattern;
    this.slots = this.slotsOf(triangles, 3);
    this.right = new Float64Array(n * 2);
  }

  /**
   * Where the lower half of the small matrix of each cell is added: row by row, the unknowns of a corner together; -1 where a corner is held.
   * @param cells `corners` vertices each, all neighbours of one another
   */
  slotsOf(cells: Uint32Array, corners: number): Int32Array {
    const { width, free, pattern } = this;
    const size = corners * width;
    const slots = new Int32Array((cells.length / corners) * ((size * (size + 1)) / 2));
    let at = 0;
    for (let t = 0; t < cells.length; t += corners)
      for (let a = 0; a < size; a++)
        for (let b = 0; b <= a; b++) {
          const p = free[cells[t + ((a / width) | 0)]];
          const q = free[cells[t + ((b / width) | 0)]];
          if (p < 0 || q < 0) {
            slots[at++] = -1;
            continue;
          }
          const x = p * width + (a % width);
          const y = q * width + (b % width);
          const row = x > y ? x : y;
          const column = x > y ? y : x;
          let k = pattern.starts[column];
          while (pattern.rows[k] !== row) if (++k >= pattern.starts[column + 1]) throw new RangeError('a cell outside the pattern');
          slots[at++] = k;
        }
    return slots;
  }

  /** Factors `values`. @returns whether the matrix is positive definite */
  factor(): boolean {
    return this.factorOf.factor(this.values);
  }

  /** Solves for a step of two numbers a vertex, in place; held vertices get 0. With one unknown a vertex both numbers share the matrix. */
  solve(step: Float64Array): void {
    const { free, right } = this;
    for (let v = 0; v < this.vertices; v++) {
      const k = free[v];
      if (k < 0) continue;
      right[2 * k] = step[2 * v];
      right[2 * k + 1] = step[2 * v + 1];
    }
    this.factorOf.solve(right, this.width === 1 ? 2 : 1);
    for (let v = 0; v < this.vertices; v++) {
      const k = free[v];
      step[2 * v] = k < 0 ? 0 : right[2 * k];
      step[2 * v + 1] = k < 0 ? 0 : right[2 * k + 1];
    }
  }
}

/** Neighbours of each vertex over the edges of triangles, each once. */
export function neighboursOf(triangles: Uint32Array, vertices: number): Neighbours {
  const count = new Int32Array(vertices + 1);
  for (const v of triangles) count[v + 1] += 2;
  for (let v = 0; v < vertices; v++) count[v + 1] += count[v];
  const next = count.slice();
  const all = new Int32Array(triangles.length * 2);
  for (let t = 0; t < triangles.length; t += 3)
    for (let c = 0; c < 3; c++) {
      const v = triangles[t + c];
      all[next[v]++] = triangles[t + ((c + 1) % 3)];
      all[next[v]++] = triangles[t + ((c + 2) % 3)];
    }
  const starts = new Int32Array(vertices + 1);
  let at = 0;
  for (let v = 0; v < vertices; v++) {
    const run = all.subarray(count[v], count[v + 1]).sort();
    let last = -1;
    for (const w of run)
      if (w !== last) {
        all[at++] = w;
        last = w;
      }
    starts[v + 1] = at;
  }
  return { starts, others: all.slice(0, at) };
}

/** The graph of the vertices that are free. */
function freeGraph({ starts, others }: Neighbours, free: Int32Array, n: number): Neighbours {
  const out = { starts: new Int32Array(n + 1), others: new Int32Array(others.length) };
  let at = 0;
  for (let v = 0; v < free.length; v++) {
    if (free[v] < 0) continue;
    for (let k = starts[v]; k < starts[v + 1]; k++) if (free[others[k]] >= 0) out.others[at++] = free[others[k]];
    out.starts[free[v] + 1] = at;
  }
  out.others = out.others.slice(0, at);
  return out;
}

/** The lower half of a matrix that has entries where vertices are neighbours, each with `width` unknowns. */
function lowerOf({ starts, others }: Neighbours, n: number, width: 1 | 2): LowerPattern {
  const rows: number[] = [];
  const at = new Int32Array(n * width + 1);
  for (let v = 0; v < n; v++)
    for (let c = 0; c < width; c++) {
      for (let r = c; r < width; r++) rows.push(v * width + r);
      for (let k = starts[v]; k < starts[v + 1]; k++) if (others[k] > v) for (let r = 0; r < width; r++) rows.push(others[k] * width + r);
      at[v * width + c + 1] = rows.length;
    }
  return { n: n * width, starts: at, rows: Int32Array.from(rows) };
}

const doubled = (order: Int32Array): Int32Array => Int32Array.from({ length: order.length * 2 }, (_, k) => 2 * order[k >> 1] + (k & 1));
