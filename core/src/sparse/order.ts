/** Neighbours of each vertex: those of v are `others[starts[v]]` to `others[starts[v + 1] - 1]`. */
export interface Neighbours {
  starts: Int32Array;
  others: Int32Array;
}

/** Parts of so few vertices are not parted further. */
const smallPart = 48;

/**
 * An order of elimination that fills in little: vertices are parted at the middle of their longest side, what parts the halves comes last,
 * and each half is parted again. Source: George, Nested dissection of a regular finite element mesh, 1973; by places as in Gilbert, Miller
 * and Teng, Geometric mesh partitioning, 1998, but along the axes.
 *
 * @param places `dimension` numbers a vertex
 * @returns the vertex that comes k-th, for each k
 * @example dissected({ starts, others }, mesh.positions, 3)
 */
export function dissected({ starts, others }: Neighbours, places: Float64Array, dimension: number): Int32Array {
  const n = starts.length - 1;
  if (places.length !== n * dimension) throw new RangeError(`${n} vertices need ${n * dimension} numbers of places, not ${places.length}`);
  const order = new Int32Array(n);
  /** In which part a vertex lies now; -1 once it has its place in the order. */
  const part = new Int32Array(n);
  const list = Int32Array.from({ length: n }, (_, i) => i);
  const keys = new Float64Array(n);
  let parts = 1;
  // Each job: a run of `list`, and where its vertices end in the order.
  const jobs: [number, number, number][] = [[0, n, n]];
  while (jobs.length > 0) {
    const [from, to, end] = jobs.pop()!;
    const count = to - from;
    const axis = count > smallPart ? longestAxis(list.subarray(from, to), places, dimension) : -1;
    if (axis < 0) {
      for (let i = 0; i < count; i++) order[end - count + i] = list[from + i];
      continue;
    }
    for (let i = from; i < to; i++) keys[list[i]] = places[list[i] * dimension + axis];
    const middle = (from + to) >> 1;
    parted({ list, keys }, from, to - 1, middle);
    const [left, right] = [parts, parts + 1];
    parts += 2;
    for (let i = from; i < middle; i++) part[list[i]] = left;
    for (let i = middle; i < to; i++) part[list[i]] = right;
    const rims = [rim(from, middle, right), rim(middle, to, left)];
    const thin = rims[0].length <= rims[1].length ? 0 : 1;
    let at = end;
    for (const v of rims[thin]) {
      part[v] = -1;
      order[--at] = v;
    }
    const halves: [number, number][] = [[from, middle], [middle, to]]; // prettier-ignore
    const [a, b] = halves[thin];
    let kept = a;
    for (let i = a; i < b; i++) if (part[list[i]] !== -1) list[kept++] = list[i];
    halves[thin] = [a, kept];
    jobs.push([...halves[0], at - (halves[1][1] - halves[1][0])], [...halves[1], at]);
  }
  return order;

  /** Those of a run that have a neighbour in another part. */
  function rim(from: number, to: number, other: number): number[] {
    const out: number[] = [];
    for (let i = from; i < to; i++) {
      const v = list[i];
      for (let k = starts[v]; k < starts[v + 1]; k++)
        if (part[others[k]] === other) {
          out.push(v);
          break;
        }
    }
    return out;
  }
}

/** Brings those with the least keys before `middle`, whatever their order there. Source: Hoare, Algorithm 65: Find, 1961. */
function parted({ list, keys }: { list: Int32Array; keys: Float64Array }, low: number, high: number, middle: number): void {
  while (low < high) {
    const [a, b, c] = [keys[list[low]], keys[list[(low + high) >> 1]], keys[list[high]]];
    const pivot = Math.max(Math.min(a, b), Math.min(Math.max(a, b), c));
    let i = low;
    let j = high;
    while (i <= j) {
      while (keys[list[i]] < pivot) i++;
      while (keys[list[j]] > pivot) j--;
      if (i > j) break;
      const v = list[i];
      list[i++] = list[j];
      list[j--] = v;
    }
    if (middle <= j) high = j;
    else if (middle >= i) low = i;
    else return;
  }
}

/** The axis along which the places of a run lie farthest apart; -1 when they all lie in one place. */
function longestAxis(list: Int32Array, places: Float64Array, dimension: number): number {
  let best = -1;
  let longest = 0;
  for (let d = 0; d < dimension; d++) {
    let low = Infinity;
    let high = -Infinity;
    for (let i = 0; i < list.length; i++) {
      const v = places[list[i] * dimension + d];
      if (v < low) low = v;
      if (v > high) high = v;
    }
    if (high - low > longest) {
      longest = high - low;
      best = d;
    }
  }
  return best;
}
