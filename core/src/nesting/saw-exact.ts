import type { SawNode } from './saw-node.ts';

/** A rectangle that may be cut up to so many times, and what one is worth. */
export interface Wanted {
  width: number;
  height: number;
  most: number;
  value: number;
  turns: boolean;
}

/** A rectangle put together of parts by cuts from edge to edge. */
interface Built {
  width: number;
  height: number;
  value: number;
  /** No pattern that holds it is worth more than this. */
  bound: number;
  used: Uint8Array;
  item: number;
  turned: boolean;
  /** Low and high halves, and along what they are parted. */
  halves: [Built, Built, 'x' | 'y'] | null;
  gone: boolean;
}

export interface Exact {
  value: number;
  /** Whether it is proved to be the best. */
  proved: boolean;
  /** Cuts a rectangle so; `part` is called for each piece. */
  build(
    root: SawNode,
    part: (node: SawNode, item: number, turned: boolean) => void,
    cut: (node: SawNode, along: 'x' | 'y', size: number, kerf: number) => { low: SawNode; high: SawNode | null },
  ): void;
}

const same = 1e-6;
/** So many rectangles are put together before the best so far is taken. */
const mostBuilt = 30_000;
/** So many different lengths are looked at along a side; more are left out from the coarse end. */
const mostLengths = 400;

/**
 * The parts of most worth that can be cut from one rectangle by cuts from edge to edge, each no more often than it says. Rectangles are put together
 * side by side or one over another, the most promising first; what one can still be worth is bounded by patterns without a limit on copies.
 * Source: Wang, Two algorithms for constrained two-dimensional cutting stock problems, 1983; the bound and the order: Viswanathan and Bagchi, 1993;
 * patterns without limits: Gilmore and Gomory, The theory and computation of knapsack functions, 1966.
 * @param kerf is lost at each cut, mm @example fillExactly([{ width: 8, height: 4, most: 2, value: 66, turns: false }], 15, 10, 0)
 */
export function fillExactly(wanted: readonly Wanted[], width: number, height: number, kerf: number): Exact {
  // With the blade's width added to parts and sheet, cuts take nothing.
  const [W, H] = [width + kerf, height + kerf];
  const shapes: { item: number; w: number; h: number; turned: boolean; value: number }[] = [];
  wanted.forEach((p, item) => {
    if (p.most <= 0) return;
    for (const turned of p.turns && Math.abs(p.width - p.height) > same ? [false, true] : [false]) {
      const [w, h] = turned ? [p.height + kerf, p.width + kerf] : [p.width + kerf, p.height + kerf];
      if (w <= W + same && h <= H + same) shapes.push({ item, w, h, turned, value: p.value });
    }
  });
  const xs = lengthsOf(
    shapes.map((s) => s.w),
    W,
  );
  const ys = lengthsOf(
    shapes.map((s) => s.h),
    H,
  );
  const bound = boundsOf(shapes, xs, ys);
  let best: Built | null = null;
  const open = new Heap();
  const closed: Built[] = [];
  const known = new Map<string, Built>();
  let built = 0;
  const offer = (b: Built) => {
    if (best && b.bound <= best.value + same) return;
    if (!best || b.value > best.value + same) best = b;
    // The same size of the same parts or more is worth as much.
    const key = `${b.width.toFixed(6)} ${b.height.toFixed(6)} ${b.used.join(',')}`;
    const old = known.get(key);
    if (old && old.value >= b.value - same) return;
    if (old) old.gone = true;
    known.set(key, b);
    built++;
    open.push(b);
  };
  for (const s of shapes) {
    const used = new Uint8Array(wanted.length);
    used[s.item] = 1;
    offer({ width: s.w, height: s.h, value: s.value, bound: s.value + bound(s.w, s.h), used, item: s.item, turned: s.turned, halves: null, gone: false });
  }
  while (open.size > 0 && built < mostBuilt) {
    const top = open.pop();
    if (top.gone) continue;
    if (best && top.bound <= (best as Built).value + same) break;
    closed.push(top);
    for (const other of closed) if (!other.gone && within(top.used, other.used, wanted)) for (const both of bothWays(top, other, [W, H], bound)) offer(both); // prettier-ignore
  }
  const found = best as Built | null;
  return {
    value: found?.value ?? 0,
    proved: built < mostBuilt,
    build(root, part, cut) {
      if (!found) return;
      const down = (node: SawNode, b: Built) => {
        // What the rectangle has beyond is cut off first.
        let here = node;
        if (here.height - (b.height - kerf) > same) here = cut(here, 'x', b.height - kerf, kerf).low;
        if (here.width - (b.width - kerf) > same) here = cut(here, 'y', b.width - kerf, kerf).low;
        if (!b.halves) return part(here, b.item, b.turned);
        const [low, high, along] = b.halves;
        const halves = cut(here, along, (along === 'x' ? low.height : low.width) - kerf, kerf);
        down(halves.low, low);
        down(halves.high!, high);
      };
      down(root, found);
    },
  };
}

/** Two rectangles side by side, and one over the other, where the sheet takes them. */
function bothWays(a: Built, b: Built, [W, H]: readonly [number, number], bound: (w: number, h: number) => number): Built[] {
  const value = a.value + b.value;
  return (['y', 'x'] as const).flatMap((along): Built[] => {
    const width = along === 'y' ? a.width + b.width : Math.max(a.width, b.width);
    const height = along === 'x' ? a.height + b.height : Math.max(a.height, b.height);
    if (width > W + same || height > H + same) return [];
    const used = a.used.map((n, i) => n + b.used[i]);
    return [{ width, height, value, bound: value + bound(width, height), used, item: -1, turned: false, halves: [a, b, along], gone: false }];
  });
}

function within(a: Uint8Array, b: Uint8Array, wanted: readonly Wanted[]): boolean {
  for (let i = 0; i < a.length; i++) if (a[i] + b[i] > wanted[i].most) return false;
  return true;
}

/** Sums of sizes up to a limit, ascending, from 0. Source: normal patterns, Herz, 1972. */
function lengthsOf(sizes: readonly number[], limit: number): number[] {
  const keys = new Set<number>([0]);
  const list = [0];
  for (let i = 0; i < list.length && list.length < mostLengths * 50; i++)
    for (const s of new Set(sizes)) {
      const sum = Math.round((list[i] + s) * 1e6) / 1e6;
      if (sum <= limit + same && !keys.has(sum)) {
        keys.add(sum);
        list.push(sum);
      }
    }
  list.sort((a, b) => a - b);
  const some = list.length <= mostLengths ? list : Array.from({ length: mostLengths }, (_, k) => list[Math.floor((k * list.length) / mostLengths)]);
  return some[some.length - 1] < limit - same ? [...some, limit] : some;
}

/**
 * What the rest of the sheet beside and over a rectangle in its corner can be worth at most: patterns without a limit on copies (F), and the rest cut
 * off in strips (the larger of above or beside first). Lengths between those looked at count as the next larger one, so that it stays a bound.
 */
function boundsOf(shapes: readonly { w: number; h: number; value: number }[], xs: readonly number[], ys: readonly number[]): (w: number, h: number) => number {
  const [n, m] = [xs.length, ys.length];
  const F = withoutLimits(shapes, xs, ys);
  const R = new Float64Array(n * m);
  for (let i = n - 1; i >= 0; i--)
    for (let j = m - 1; j >= 0; j--) {
      let v = 0;
      // Widened to xs[k]: the strip beside is as high as the rectangle; or made higher: the strip above is as wide.
      for (let k = i + 1; k < n; k++) v = Math.max(v, F[above(xs, xs[k] - xs[i]) * m + j] + R[k * m + j]);
      for (let k = j + 1; k < m; k++) v = Math.max(v, F[i * m + above(ys, ys[k] - ys[j])] + R[i * m + k]);
      R[i * m + j] = v;
    }
  // A rectangle between two lengths: the rest is taken for that of the smaller one, whose rest is larger.
  const below = (list: readonly number[], v: number) => {
    const k = above(list, v);
    return list[k] > v + same ? Math.max(0, k - 1) : k;
  };
  return (w, h) => R[below(xs, w) * m + below(ys, h)];
}

/** Index of the least length that is not below a value. */
function above(list: readonly number[], v: number): number {
  let [lo, hi] = [0, list.length - 1];
  while (lo < hi) {
    const mid = (lo + hi) >> 1;
    if (list[mid] >= v - same) hi = mid;
    else lo = mid + 1;
  }
  return lo;
}

/** The most that a rectangle of each pair of lengths is worth when copies have no limit. */
function withoutLimits(shapes: readonly { w: number; h: number; value: number }[], xs: readonly number[], ys: readonly number[]): Float64Array {
  const [n, m] = [xs.length, ys.length];
  const F = new Float64Array(n * m);
  for (const s of shapes) {
    const [i0, j0] = [xs.findIndex((x) => x >= s.w - same), ys.findIndex((y) => y >= s.h - same)];
    if (i0 < 0 || j0 < 0) continue;
    for (let i = i0; i < n; i++) for (let j = j0; j < m; j++) F[i * m + j] = Math.max(F[i * m + j], s.value);
  }
  const restOf = (list: readonly number[]) => list.map((x, i) => list.slice(0, i + 1).map((u) => above(list, x - u)));
  const [restX, restY] = [restOf(xs), restOf(ys)];
  for (let i = 1; i < n; i++)
    for (let j = 1; j < m; j++) {
      let v = Math.max(F[i * m + j], F[(i - 1) * m + j], F[i * m + j - 1]);
      for (let k = 1; k < i && xs[k] * 2 <= xs[i] + same; k++) if (restX[i][k] < i) v = Math.max(v, F[k * m + j] + F[restX[i][k] * m + j]);
      for (let k = 1; k < j && ys[k] * 2 <= ys[j] + same; k++) if (restY[j][k] < j) v = Math.max(v, F[i * m + k] + F[i * m + restY[j][k]]);
      F[i * m + j] = v;
    }
  return F;
}

/** Most promising first. */
class Heap {
  private readonly list: Built[] = [];
  get size(): number {
    return this.list.length;
  }
  push(b: Built): void {
    const { list } = this;
    let i = list.length;
    list.push(b);
    while (i > 0) {
      const up = (i - 1) >> 1;
      if (list[up].bound >= list[i].bound) break;
      [list[up], list[i]] = [list[i], list[up]];
      i = up;
    }
  }
  pop(): Built {
    const { list } = this;
    const top = list[0];
    const last = list.pop()!;
    if (list.length === 0) return top;
    list[0] = last;
    for (let i = 0; ;) {
      const [l, r] = [2 * i + 1, 2 * i + 2];
      let m = i;
      if (l < list.length && list[l].bound > list[m].bound) m = l;
      if (r < list.length && list[r].bound > list[m].bound) m = r;
      if (m === i) return top;
      [list[m], list[i]] = [list[i], list[m]];
      i = m;
    }
  }
}
