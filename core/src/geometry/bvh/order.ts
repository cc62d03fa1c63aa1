import type { Mesh } from '../mesh.ts';

/**
 * Triangle numbers in an order in which each node of the packed tree is one cell of a k-d tree: ranges are halved at the
 * middle of their longest side, always at a multiple of what a node of the level below holds.
 * @param width how many boxes a node holds
 * Source: Lee and Lee, OMT: overlap minimizing top-down bulk loading, 2003.
 * @example packedOrder(mesh, 4) // every four after each other lie near each other
 */
export function packedOrder(mesh: Mesh, width: number): Uint32Array {
  const keys = new Keys(mesh);
  const ranges = [0, keys.order.length];
  while (ranges.length > 0) {
    const high = ranges.pop()!;
    const low = ranges.pop()!;
    if (high - low <= width) continue;
    let unit = width;
    while (unit * width < high - low) unit *= width;
    const middle = low + Math.ceil((high - low) / unit / 2) * unit;
    if (middle >= high) continue;
    keys.axis = keys.longest(low, high);
    keys.select(middle, low, high - 1);
    ranges.push(low, middle, middle, high);
  }
  return keys.order;
}

/** Ranges longer than this are narrowed by a sample first. Source: Floyd and Rivest, Algorithm 489: SELECT, 1975. */
const sampled = 600;

/** The triangles' middles (times three) with their numbers, put in order along one axis at a time. */
class Keys {
  readonly order: Uint32Array;
  axis = 0;
  private readonly keys: Float32Array;

  constructor({ positions: p, triangles: t }: Mesh) {
    const count = t.length / 3;
    this.order = new Uint32Array(count);
    this.keys = new Float32Array(count * 3);
    for (let i = 0; i < count; i++) {
      this.order[i] = i;
      const a = t[i * 3] * 3;
      const b = t[i * 3 + 1] * 3;
      const c = t[i * 3 + 2] * 3;
      for (let k = 0; k < 3; k++) this.keys[i * 3 + k] = p[a + k] + p[b + k] + p[c + k];
    }
  }

  /** The axis along which the keys from `low` to before `high` are spread the most. */
  longest(low: number, high: number): number {
    let axis = 0;
    let most = -1;
    for (let k = 0; k < 3; k++) {
      const spread = this.spread(k, low, high);
      if (spread > most) {
        most = spread;
        axis = k;
      }
    }
    return axis;
  }

  private spread(k: number, low: number, high: number): number {
    const { keys } = this;
    let least = Infinity;
    let most = -Infinity;
    for (let i = low * 3 + k; i < high * 3; i += 3) {
      const v = keys[i];
      if (v < least) least = v;
      if (v > most) most = v;
    }
    return most - least;
  }

  /** Puts the key that belongs at `k` there, none larger before it from `left`, none smaller after it to `right`. Source: as `sampled`. */
  select(k: number, left: number, right: number): void {
    while (right > left) {
      if (right - left > sampled) this.narrow(k, left, right);
      const j = this.partition(k, left, right);
      if (j <= k) left = j + 1;
      if (k <= j) right = j - 1;
    }
  }

  private narrow(k: number, left: number, right: number): void {
    const n = right - left + 1;
    const m = k - left + 1;
    const z = Math.log(n);
    const s = 0.5 * Math.exp((2 * z) / 3);
    const sd = 0.5 * Math.sqrt((z * s * (n - s)) / n) * (m - n / 2 < 0 ? -1 : 1);
    this.select(k, Math.max(left, Math.floor(k - (m * s) / n + sd)), Math.min(right, Math.floor(k + ((n - m) * s) / n + sd)));
  }

  /** Parts the range about the key at `k`. @returns where that key came to stand */
  private partition(k: number, left: number, right: number): number {
    const { keys, axis } = this;
    const pivot = keys[k * 3 + axis];
    let i = left;
    let j = right;
    this.swap(left, k);
    if (keys[right * 3 + axis] > pivot) this.swap(left, right);
    while (i < j) {
      this.swap(i, j);
      i++;
      j--;
      while (keys[i * 3 + axis] < pivot) i++;
      while (keys[j * 3 + axis] > pivot) j--;
    }
    if (keys[left * 3 + axis] === pivot) this.swap(left, j);
    else {
      j++;
      this.swap(j, right);
    }
    return j;
  }

  private swap(i: number, j: number): void {
    const { keys, order } = this;
    const o = order[i];
    order[i] = order[j];
    order[j] = o;
    for (let a = i * 3, b = j * 3; a < i * 3 + 3; a++, b++) {
      const v = keys[a];
      keys[a] = keys[b];
      keys[b] = v;
    }
  }
}
