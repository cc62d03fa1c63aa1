/** Where a symmetric matrix has entries: its lower half by columns, the diagonal included. `rows[starts[j]]` ... are the rows of column j, in any order. */
export interface LowerPattern {
  n: number;
  starts: Int32Array;
  rows: Int32Array;
}

/** Columns that are eliminated together, with the rows below them. */
interface Block {
  first: number;
  /** One past the last column. */
  end: number;
  /** Rows below, in order. */
  below: Int32Array;
  parent: number;
  /** Where its columns stand in the factor: (width + below) numbers a column. */
  at: number;
}

/** Two blocks become one when that adds at most this share of zeros, or when the two are this narrow. Both by trial. */
const mostZeros = 0.1;
const narrow = 8;

/**
 * Factor of a sparse symmetric positive definite matrix, A = L L', by fronts: each block of columns is eliminated in a dense matrix that
 * holds what its children in the elimination tree left to it. Plain typed arrays.
 * Sources: Duff and Reid, The multifrontal solution of indefinite sparse symmetric linear equations, 1983; Liu, The role of elimination trees
 * in sparse factorization, 1990; joining of blocks as in Ashcraft and Grimes, The influence of relaxed supernode partitions, 1989.
 *
 * @example
 * const factor = new Cholesky(pattern, dissected(neighbours, places, 3));
 * if (factor.factor(values)) factor.solve(right, 2);
 */
export class Cholesky {
  readonly n: number;
  private readonly order: Int32Array;
  private readonly blocks: Block[];
  /** For each entry of the pattern: where it is added in the front of its block: column and row in the order of elimination. */
  private readonly entryAt: Int32Array;
  private readonly entryColumn: Int32Array;
  private readonly entryRow: Int32Array;
  private readonly values: Float64Array;
  private readonly front: Float64Array;
  private readonly stack: Float64Array;
  private work = new Float64Array(0);

  /**
   * Finds the shape of the factor.
   * @param order the column that is eliminated k-th, for each k: each of 0 to n - 1 once
   * @throws RangeError when the order is not one of n columns
   */
  constructor({ n, starts, rows }: LowerPattern, order: Int32Array) {
    const inverse = new Int32Array(n).fill(-1);
    order.forEach((v, k) => (inverse[v] = k));
    if (order.length !== n || inverse.includes(-1)) throw new RangeError('the order must name each column once');
    this.n = n;
    const found = treeOf({ n, starts, rows }, inverse);
    const post = postorder(found.parent);
    // The order is made one in which each block is a run; the tree and the lengths of columns stay what they are.
    this.order = Int32Array.from(post, (k) => order[k]);
    this.order.forEach((v, k) => (inverse[v] = k));
    this.blocks = blocksOf(n, renamed(found, post));
    const entries = rows.length;
    this.entryColumn = new Int32Array(entries);
    this.entryRow = new Int32Array(entries);
    const count = new Int32Array(n + 1);
    for (let j = 0; j < n; j++)
      for (let k = starts[j]; k < starts[j + 1]; k++) {
        const [a, b] = [inverse[rows[k]], inverse[j]];
        this.entryColumn[k] = Math.min(a, b);
        this.entryRow[k] = Math.max(a, b);
        count[this.entryColumn[k] + 1]++;
      }
    for (let j = 0; j < n; j++) count[j + 1] += count[j];
    // Entries by the column that they are added to.
    this.entryAt = new Int32Array(entries);
    this.columnAt = count.slice();
    for (let k = 0; k < entries; k++) this.entryAt[count[this.entryColumn[k]]++] = k;
    const { size, widest, stack } = layOut(this.blocks, this.structure());
    this.values = new Float64Array(size);
    this.front = new Float64Array(Math.max(widest * widest, 2 * widest));
    this.stack = new Float64Array(stack);
  }

  private readonly columnAt: Int32Array;

  /** Numbers in the factor, zeros of joined blocks included. */
  get size(): number {
    return this.values.length;
  }

  /** The rows below each block: those of its own entries and those that its children leave. */
  private structure(): Int32Array[] {
    const mark = new Int32Array(this.n).fill(-1);
    const lists: number[][] = this.blocks.map(() => []);
    const out: Int32Array[] = [];
    this.blocks.forEach((block, b) => {
      const list = lists[b];
      const add = (row: number) => {
        if (row < block.end || mark[row] === b) return;
        mark[row] = b;
        list.push(row);
      };
      const given = list.splice(0);
      for (const row of given) add(row);
      for (let k = this.columnAt[block.first]; k < this.columnAt[block.end]; k++) add(this.entryRow[this.entryAt[k]]);
      const below = Int32Array.from(list).sort();
      block.below = below;
      if (block.parent >= 0) for (const row of below) if (row >= this.blocks[block.parent].end) lists[block.parent].push(row);
      lists[b] = [];
      out.push(below);
    });
    return out;
  }

  /**
   * Factors the matrix with these entries, in the order of the pattern.
   * @returns whether it is positive definite; else there is no factor
   */
  factor(entries: Float64Array): boolean {
    const { blocks, front, stack, values } = this;
    const local = new Int32Array(this.n);
    /** Blocks whose updates lie on the stack, the last on top. */
    const waiting: number[] = [];
    let top = 0;
    for (let b = 0; b < blocks.length; b++) {
      const { first, end, below, at } = blocks[b];
      const width = end - first;
      const size = width + below.length;
      front.fill(0, 0, size * size);
      for (let i = 0; i < below.length; i++) local[below[i]] = width + i;
      for (let j = first; j < end; j++) {
        local[j] = j - first;
      }
      for (let j = first; j < end; j++)
        for (let k = this.columnAt[j]; k < this.columnAt[j + 1]; k++) {
          const e = this.entryAt[k];
          front[(j - first) * size + local[this.entryRow[e]]] += entries[e];
        }
      while (waiting.length > 0 && blocks[waiting[waiting.length - 1]].parent === b) {
        const { below: rows } = blocks[waiting.pop()!];
        const m = rows.length;
        top -= m * m;
        for (let j = 0; j < m; j++) {
          const column = local[rows[j]] * size;
          const from = top + j * m;
          for (let i = j; i < m; i++) front[column + local[rows[i]]] += stack[from + i];
        }
      }
      if (!eliminate(front, size, width)) return false;
      values.set(front.subarray(0, width * size), at);
      const m = below.length;
      for (let j = 0; j < m; j++) {
        const column = (width + j) * size + width;
        stack.set(front.subarray(column + j, column + m), top + j * m + j);
      }
      if (m > 0) {
        top += m * m;
        waiting.push(b);
      }
    }
    return true;
  }

  /**
   * Solves A x = b in place, for several right sides at once: those of unknown i stand at `x[i * sides]` and after.
   * @example factor.solve(right, 2)
   */
  solve(x: Float64Array, sides = 1): void {
    const { n, order, blocks, values } = this;
    if (x.length !== n * sides) throw new RangeError(`${n} unknowns and ${sides} right sides need ${n * sides} numbers, not ${x.length}`);
    if (this.work.length !== x.length) this.work = new Float64Array(x.length);
    const { work } = this;
    for (let k = 0; k < n; k++) for (let c = 0; c < sides; c++) work[k * sides + c] = x[order[k] * sides + c];
    const on: Solving = { values, x: work, t: this.front, sides };
    for (const block of blocks) forward(on, block);
    for (let b = blocks.length - 1; b >= 0; b--) backward(on, blocks[b]);
    for (let k = 0; k < n; k++) for (let c = 0; c < sides; c++) x[order[k] * sides + c] = work[k * sides + c];
  }
}

/** The factor, the unknowns with so many right sides, and room for the rows of a block. */
interface Solving {
  values: Float64Array;
  x: Float64Array;
  t: Float64Array;
  sides: number;
}

/** Takes what a block's unknowns are from those that come later: two right sides at once, since reading the factor is what takes time. */
function forward({ values, x, t, sides }: Solving, { first, end, below, at }: Block): void {
  const width = end - first;
  const size = width + below.length;
  for (let c = 0; c < sides; c += 2) {
    const two = c + 1 < sides;
    // Both right sides of a row beside each other; of one alone the second stays zero.
    for (let i = 0; i < width; i++) {
      t[2 * i] = x[(first + i) * sides + c];
      t[2 * i + 1] = two ? x[(first + i) * sides + c + 1] : 0;
    }
    t.fill(0, 2 * width, 2 * size);
    let j = 0;
    for (; j + 1 < width; j += 2) {
      const c0 = at + j * size;
      const c1 = c0 + size;
      const d0 = 1 / values[c0 + j];
      const l = values[c0 + j + 1];
      const d1 = 1 / values[c1 + j + 1];
      const u0 = (t[2 * j] *= d0);
      const v0 = (t[2 * j + 1] *= d0);
      const u1 = (t[2 * j + 2] = (t[2 * j + 2] - l * u0) * d1);
      const v1 = (t[2 * j + 3] = (t[2 * j + 3] - l * v0) * d1);
      for (let i = j + 2; i < size; i++) {
        const a = values[c0 + i];
        const b = values[c1 + i];
        t[2 * i] -= a * u0 + b * u1;
        t[2 * i + 1] -= a * v0 + b * v1;
      }
    }
    if (j < width) {
      const column = at + j * size;
      const d = 1 / values[column + j];
      const u = (t[2 * j] *= d);
      const v = (t[2 * j + 1] *= d);
      for (let i = j + 1; i < size; i++) {
        const a = values[column + i];
        t[2 * i] -= a * u;
        t[2 * i + 1] -= a * v;
      }
    }
    for (let i = 0; i < width; i++) {
      x[(first + i) * sides + c] = t[2 * i];
      if (two) x[(first + i) * sides + c + 1] = t[2 * i + 1];
    }
    for (let i = 0; i < below.length; i++) {
      const row = below[i] * sides + c;
      x[row] += t[2 * (width + i)];
      if (two) x[row + 1] += t[2 * (width + i) + 1];
    }
  }
}

/** A block's unknowns from those that come later. */
function backward({ values, x, t, sides }: Solving, { first, end, below, at }: Block): void {
  const width = end - first;
  const size = width + below.length;
  for (let c = 0; c < sides; c += 2) {
    const two = c + 1 < sides;
    for (let i = 0; i < width; i++) {
      t[2 * i] = x[(first + i) * sides + c];
      t[2 * i + 1] = two ? x[(first + i) * sides + c + 1] : 0;
    }
    for (let i = 0; i < below.length; i++) {
      const row = below[i] * sides + c;
      t[2 * (width + i)] = x[row];
      t[2 * (width + i) + 1] = two ? x[row + 1] : 0;
    }
    let j = width;
    if (width % 2 === 1) {
      j--;
      const column = at + j * size;
      let u = t[2 * j];
      let v = t[2 * j + 1];
      for (let i = j + 1; i < size; i++) {
        const a = values[column + i];
        u -= a * t[2 * i];
        v -= a * t[2 * i + 1];
      }
      t[2 * j] = u / values[column + j];
      t[2 * j + 1] = v / values[column + j];
    }
    for (; j > 0; j -= 2) {
      const k = j - 2;
      const c0 = at + k * size;
      const c1 = c0 + size;
      let u0 = t[2 * k];
      let v0 = t[2 * k + 1];
      let u1 = t[2 * k + 2];
      let v1 = t[2 * k + 3];
      for (let i = j; i < size; i++) {
        const a = values[c0 + i];
        const b = values[c1 + i];
        const p = t[2 * i];
        const q = t[2 * i + 1];
        u0 -= a * p;
        v0 -= a * q;
        u1 -= b * p;
        v1 -= b * q;
      }
      const d1 = 1 / values[c1 + k + 1];
      t[2 * k + 2] = u1 *= d1;
      t[2 * k + 3] = v1 *= d1;
      const l = values[c0 + k + 1];
      t[2 * k] = (u0 - l * u1) / values[c0 + k];
      t[2 * k + 1] = (v0 - l * v1) / values[c0 + k];
    }
    for (let i = 0; i < width; i++) {
      x[(first + i) * sides + c] = t[2 * i];
      if (two) x[(first + i) * sides + c + 1] = t[2 * i + 1];
    }
  }
}

interface Tree {
  parent: Int32Array;
  /** Rows of each column of the factor, the diagonal included. */
  counts: Int32Array;
}

/** For each row the columns before it, in the order of elimination: those of row k are `columns[rowAt[k]]` and on. */
function columnsBefore(n: number, { starts, rows }: LowerPattern, inverse: Int32Array): { rowAt: Int32Array; columns: Int32Array } {
  const rowAt = new Int32Array(n + 1);
  for (let j = 0; j < n; j++) {
    const b = inverse[j];
    for (let k = starts[j]; k < starts[j + 1]; k++) {
      const a = inverse[rows[k]];
      if (a !== b) rowAt[Math.max(a, b) + 1]++;
    }
  }
  for (let k = 0; k < n; k++) rowAt[k + 1] += rowAt[k];
  const next = rowAt.slice();
  const columns = new Int32Array(rowAt[n]);
  for (let j = 0; j < n; j++) {
    const b = inverse[j];
    for (let k = starts[j]; k < starts[j + 1]; k++) {
      const a = inverse[rows[k]];
      if (a !== b) columns[next[Math.max(a, b)]++] = Math.min(a, b);
    }
  }
  return { rowAt, columns };
}

/** The elimination tree and how long each column of the factor is. Source: Liu 1990, sections 3 and 4. */
function treeOf(pattern: LowerPattern, inverse: Int32Array): Tree {
  const { n } = pattern;
  const { rowAt, columns } = columnsBefore(n, pattern, inverse);
  const parent = new Int32Array(n).fill(-1);
  const ancestor = new Int32Array(n).fill(-1);
  for (let k = 0; k < n; k++)
    for (let e = rowAt[k]; e < rowAt[k + 1]; e++) {
      let i = columns[e];
      while (i !== -1 && i < k) {
        const up = ancestor[i];
        ancestor[i] = k;
        if (up === -1) parent[i] = k;
        i = up;
      }
    }
  const counts = new Int32Array(n).fill(1);
  const mark = new Int32Array(n).fill(-1);
  for (let k = 0; k < n; k++) {
    mark[k] = k;
    for (let e = rowAt[k]; e < rowAt[k + 1]; e++)
      for (let i = columns[e]; mark[i] !== k; i = parent[i]) {
        mark[i] = k;
        counts[i]++;
      }
  }
  return { parent, counts };
}

/** The tree with its columns in another order. */
function renamed({ parent, counts }: Tree, post: Int32Array): Tree {
  const place = new Int32Array(post.length);
  for (let k = 0; k < post.length; k++) place[post[k]] = k;
  return { parent: post.map((k) => (parent[k] < 0 ? -1 : place[parent[k]])), counts: post.map((k) => counts[k]) };
}

/** Children before their parents, each tree in one run. */
function postorder(parent: Int32Array): Int32Array {
  const n = parent.length;
  const head = new Int32Array(n + 1).fill(-1);
  const next = new Int32Array(n).fill(-1);
  for (let k = n - 1; k >= 0; k--) {
    const p = parent[k] < 0 ? n : parent[k];
    next[k] = head[p];
    head[p] = k;
  }
  const out = new Int32Array(n);
  let at = 0;
  const stack: number[] = [];
  for (let root = head[n]; root !== -1; root = next[root]) {
    stack.push(root);
    while (stack.length > 0) {
      const k = stack[stack.length - 1];
      const child = head[k];
      if (child === -1) {
        out[at++] = k;
        stack.pop();
      } else {
        head[k] = next[child];
        stack.push(child);
      }
    }
  }
  return out;
}

/** Runs of columns with the same rows below, and those that are worth joining. */
function blocksOf(n: number, { parent, counts }: Tree): Block[] {
  const starts: number[] = [];
  for (let j = 0; j < n; j++) if (j === 0 || parent[j - 1] !== j || counts[j - 1] !== counts[j] + 1) starts.push(j);
  const runs = starts.map((first, i) => ({ first, end: starts[i + 1] ?? n, zeros: 0 }));
  const kept: typeof runs = [];
  for (const run of runs) {
    // What comes just before may be joined to it: a child whose rows are nearly its own.
    for (let last = kept[kept.length - 1]; last && parent[last.end - 1] >= run.first && parent[last.end - 1] < run.end; last = kept[kept.length - 1]) {
      const [wide, own] = [last.end - last.first, run.end - run.first];
      const size = wide + own + counts[run.end - 1] - 1;
      const whole = triangleOf(wide + own, size);
      const zeros = whole - triangleOf(wide, counts[last.end - 1] - 1 + wide) - triangleOf(own, counts[run.end - 1] - 1 + own) + last.zeros + run.zeros;
      if (wide + own > narrow && zeros > mostZeros * whole) break;
      kept.pop();
      run.first = last.first;
      run.zeros = zeros;
    }
    kept.push(run);
  }
  const blockOf = new Int32Array(n);
  kept.forEach(({ first, end }, b) => blockOf.fill(b, first, end));
  return kept.map(({ first, end }) => ({
    first,
    end,
    below: new Int32Array(0),
    parent: parent[end - 1] < 0 ? -1 : blockOf[parent[end - 1]],
    at: 0,
  }));
}

/** Numbers on and below the diagonal in `width` columns, the first of which has `size` rows. */
const triangleOf = (width: number, size: number): number => width * size - (width * (width - 1)) / 2;

/** Where each block stands, the largest front, and the most that waits on the stack. */
function layOut(blocks: Block[], below: Int32Array[]): { size: number; widest: number; stack: number } {
  let size = 0;
  let widest = 1;
  let top = 0;
  let stack = 1;
  const waiting: number[] = [];
  blocks.forEach((block, b) => {
    const rows = below[b].length;
    const whole = block.end - block.first + rows;
    block.at = size;
    size += (block.end - block.first) * whole;
    widest = Math.max(widest, whole);
    while (waiting.length > 0 && blocks[waiting[waiting.length - 1]].parent === b) top -= below[waiting.pop()!].length ** 2;
    if (rows > 0) {
      top += rows ** 2;
      waiting.push(b);
    }
    stack = Math.max(stack, top);
  });
  return { size, widest, stack };
}

/**
 * Eliminates the first `width` columns of a dense symmetric matrix (lower half by columns, `size` rows each), four at a time.
 * @returns false when a pivot is not positive
 */
function eliminate(f: Float64Array, size: number, width: number): boolean {
  for (let k = 0; k < width; k += 4) {
    const to = Math.min(k + 4, width);
    for (let j = k; j < to; j++) {
      const column = j * size;
      for (let p = k; p < j; p++) {
        const from = p * size;
        const l = f[from + j];
        for (let i = j; i < size; i++) f[column + i] -= l * f[from + i];
      }
      const pivot = f[column + j];
      if (!(pivot > 0)) return false;
      const root = Math.sqrt(pivot);
      const d = 1 / root;
      f[column + j] = root;
      for (let i = j + 1; i < size; i++) f[column + i] *= d;
    }
    if (to - k === 4) updateByFour(f, size, k);
    else updateByFew(f, size, k, to);
  }
  return true;
}

function updateByFour(f: Float64Array, size: number, k: number): void {
  const [c0, c1, c2, c3] = [k * size, (k + 1) * size, (k + 2) * size, (k + 3) * size];
  let j = k + 4;
  for (; j + 1 < size; j += 2) {
    const [a0, a1, a2, a3] = [f[c0 + j], f[c1 + j], f[c2 + j], f[c3 + j]];
    const [b0, b1, b2, b3] = [f[c0 + j + 1], f[c1 + j + 1], f[c2 + j + 1], f[c3 + j + 1]];
    const one = j * size;
    const two = one + size;
    f[one + j] -= a0 * a0 + a1 * a1 + a2 * a2 + a3 * a3;
    for (let i = j + 1; i < size; i++) {
      const l0 = f[c0 + i];
      const l1 = f[c1 + i];
      const l2 = f[c2 + i];
      const l3 = f[c3 + i];
      f[one + i] -= l0 * a0 + l1 * a1 + l2 * a2 + l3 * a3;
      f[two + i] -= l0 * b0 + l1 * b1 + l2 * b2 + l3 * b3;
    }
  }
  if (j < size) f[j * size + j] -= f[c0 + j] ** 2 + f[c1 + j] ** 2 + f[c2 + j] ** 2 + f[c3 + j] ** 2;
}

function updateByFew(f: Float64Array, size: number, from: number, to: number): void {
  for (let k = from; k < to; k++) {
    const column = k * size;
    for (let j = to; j < size; j++) {
      const l = f[column + j];
      if (l === 0) continue;
      const own = j * size;
      for (let i = j; i < size; i++) f[own + i] -= l * f[column + i];
    }
  }
}
