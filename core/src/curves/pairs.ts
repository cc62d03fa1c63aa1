import Flatbush from 'flatbush';

/** A sweep looks at so many boxes per box before a tree is faster. */
const sweptPerBox = 64;
/** Pairs of a sweep are kept until they are in order: of more boxes than these a tree tells them one by one. */
const mostSwept = 50_000;

/**
 * All pairs of boxes that come within `slack` of each other, as a * n + b with a < b, in rising order of a.
 * Boxes that lie side by side are swept from left to right; where too many lie over each other a packed tree is asked.
 * @param boxes left, bottom, right, top of each @param visit gets both numbers; true ends it
 * @example boxPairs(boxes, 1e-4, (a, b) => { count++; })
 */
export function boxPairs(boxes: Float64Array, slack: number, visit: (a: number, b: number) => boolean): void {
  const n = boxes.length / 4;
  const swept = n <= mostSwept ? sweep(boxes, slack, n * sweptPerBox) : null;
  if (swept) {
    for (const pair of swept) {
      const a = Math.floor(pair / n);
      if (visit(a, pair - a * n)) return;
    }
    return;
  }
  const tree = new Flatbush(n);
  for (let k = 0; k < boxes.length; k += 4) tree.add(boxes[k], boxes[k + 1], boxes[k + 2], boxes[k + 3]);
  tree.finish();
  let [a, done] = [0, false];
  const take = (b: number): boolean => {
    if (b > a && !done) done = visit(a, b);
    return false;
  };
  for (; a < n && !done; a++) tree.search(boxes[a * 4] - slack, boxes[a * 4 + 1] - slack, boxes[a * 4 + 2] + slack, boxes[a * 4 + 3] + slack, take);
}

/** Pairs in order, or null when more than `budget` boxes would have to be looked at. */
function sweep(boxes: Float64Array, slack: number, budget: number): Float64Array | null {
  const n = boxes.length / 4;
  const order = byLeft(boxes);
  if (!order) return null;
  // In the order of the sweep, so that it runs through memory in a line.
  const sorted = new Float64Array(n * 4);
  for (let i = 0; i < n; i++) for (let k = 0; k < 4; k++) sorted[i * 4 + k] = boxes[order[i] * 4 + k];
  const found: number[] = [];
  for (let i = 0, left = budget; i < n; i++) {
    const [bottom, right, top] = [sorted[i * 4 + 1] - slack, sorted[i * 4 + 2] + slack, sorted[i * 4 + 3] + slack];
    for (let j = i + 1; j < n && sorted[j * 4] <= right; j++) {
      if (--left < 0) return null;
      if (sorted[j * 4 + 1] > top || sorted[j * 4 + 3] < bottom) continue;
      const [a, b] = order[i] < order[j] ? [order[i], order[j]] : [order[j], order[i]];
      found.push(a * n + b);
    }
  }
  return Float64Array.from(found).sort();
}

/** Shelves by place, then each one put where it belongs among its neighbours; null where so many stand at one place that this would take long. */
function byLeft(boxes: Float64Array): Uint32Array | null {
  const n = boxes.length / 4;
  let [low, high] = [Infinity, -Infinity];
  for (let i = 0; i < n; i++) {
    low = Math.min(low, boxes[i * 4]);
    high = Math.max(high, boxes[i * 4]);
  }
  if (!(high - low < Infinity)) return null;
  const scale = high > low ? (n - 1) / (high - low) : 0;
  const shelf = (i: number): number => Math.floor((boxes[i * 4] - low) * scale);
  const from = new Uint32Array(n + 1);
  for (let i = 0; i < n; i++) from[shelf(i) + 1]++;
  for (let k = 0; k < n; k++) from[k + 1] += from[k];
  const order = new Uint32Array(n);
  for (let i = 0; i < n; i++) order[from[shelf(i)]++] = i;
  let left = n * sweptPerBox;
  for (let k = 1; k < n; k++) {
    const [i, x] = [order[k], boxes[order[k] * 4]];
    let j = k;
    for (; j > 0 && boxes[order[j - 1] * 4] > x; j--) {
      if (--left < 0) return null;
      order[j] = order[j - 1];
    }
    order[j] = i;
  }
  return order;
}
