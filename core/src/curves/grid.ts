/** Points in square cells, found again by place. Flat arrays: one hash table of cells, one chain of points. */
export class PointGrid {
  private readonly heads: Int32Array;
  private readonly nexts: Int32Array;
  private readonly mask: number;
  readonly cell: number;
  private readonly xs: Float64Array;
  private readonly ys: Float64Array;
  private readonly points: Float64Array;
  /** What `nearest` found last. */
  readonly found: number[] = [];
  readonly fars: number[] = [];
  private have = 0;

  /** @param points flat x, y. @param cell edge of a cell, above 0. */
  constructor(points: Float64Array, cell: number) {
    const n = points.length / 2;
    this.points = points;
    let size = 16;
    while (size < n * 2) size *= 2;
    this.mask = size - 1;
    this.cell = cell;
    this.heads = new Int32Array(size).fill(-1);
    this.nexts = new Int32Array(n);
    this.xs = new Float64Array(n);
    this.ys = new Float64Array(n);
    for (let i = n - 1; i >= 0; i--) {
      this.xs[i] = Math.floor(points[i * 2] / cell);
      this.ys[i] = Math.floor(points[i * 2 + 1] / cell);
      const slot = this.slot(this.xs[i], this.ys[i]);
      this.nexts[i] = this.heads[slot];
      this.heads[slot] = i;
    }
  }

  private slot(cx: number, cy: number): number {
    // Cells may be beyond 32 bits: both halves take part.
    const a = Math.imul(cx | 0, 73856093) ^ Math.imul((cx / 4294967296) | 0, 83492791);
    const b = Math.imul(cy | 0, 19349663) ^ Math.imul((cy / 4294967296) | 0, 49979687);
    const h = a ^ b;
    return (h ^ (h >>> 15)) & this.mask;
  }

  /** Calls for each point in the ring of cells at a distance of `ring` cells around point i; a true answer stops. */
  ring(i: number, ring: number, take: (j: number) => boolean | void): void {
    const [x, y] = [this.xs[i], this.ys[i]];
    for (let dy = -ring; dy <= ring; dy++) {
      const step = Math.abs(dy) === ring ? 1 : Math.max(1, 2 * ring);
      for (let dx = -ring; dx <= ring; dx += step) {
        for (let j = this.heads[this.slot(x + dx, y + dy)]; j >= 0; j = this.nexts[j]) {
          if (this.xs[j] === x + dx && this.ys[j] === y + dy && take(j)) return;
        }
      }
    }
  }

  /** Calls for each later point in the cell of point i; a true answer stops. Points of a cell are chained in their order. */
  laterInCell(i: number, take: (j: number) => boolean | void): void {
    for (let j = this.nexts[i]; j >= 0; j = this.nexts[j]) if (this.xs[j] === this.xs[i] && this.ys[j] === this.ys[i] && take(j)) return;
  }

  /**
   * The nearest `count` points to point i, nearest first, looked for in at most `rings` rings of cells: their numbers stay in `found`, their
   * distances in `fars`. @returns how many are sure to be right
   */
  nearest(i: number, count: number, rings: number): number {
    this.have = 0;
    for (let ring = 0; ring <= rings; ring++) {
      // Nothing nearer can lie beyond the rings that were looked at.
      if (this.have === count && this.fars[count - 1] <= (ring - 1) * this.cell) break;
      this.ring(i, ring, (j) => {
        if (j !== i) this.offer(i, j, count);
      });
    }
    return this.have;
  }

  /** Puts a point among the nearest when it is one of them. */
  private offer(i: number, j: number, count: number): void {
    const { points, fars, found } = this;
    const x = points[j * 2] - points[i * 2];
    const y = points[j * 2 + 1] - points[i * 2 + 1];
    const far = Math.sqrt(x * x + y * y);
    if (this.have === count && far >= fars[count - 1]) return;
    let k = this.have < count ? this.have++ : count - 1;
    for (; k > 0 && fars[k - 1] > far; k--) {
      fars[k] = fars[k - 1];
      found[k] = found[k - 1];
    }
    fars[k] = far;
    found[k] = j;
  }
}
