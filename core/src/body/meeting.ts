import { distance, type Vec3 } from '../geometry/vector.ts';

/** Points that count as one when they lie within a distance of one another, also over others between them. */
export class Meeting {
  private readonly within: number;
  private readonly points: Vec3[] = [];
  private parents: Int32Array = new Int32Array(0);

  /** @param within mm */
  constructor(within: number) {
    this.within = within;
  }

  /** Takes a point; gives its number. */
  add(p: Vec3): number {
    return this.points.push(p) - 1;
  }

  /** Finds which points are one, by a grid of cells as wide as the distance: about O(n). */
  settle(): void {
    const { points, within } = this;
    this.parents = Int32Array.from(points, (_, i) => i);
    const cells = new Map<string, number[]>();
    const cellOf = (p: Vec3) => p.map((x) => Math.floor(x / within));
    points.forEach((p, i) => {
      const [x, y, z] = cellOf(p);
      for (let a = -1; a <= 1; a++)
        for (let b = -1; b <= 1; b++)
          for (let c = -1; c <= 1; c++)
            for (const k of cells.get(`${x + a} ${y + b} ${z + c}`) ?? []) if (distance(points[k], p) <= within) this.parents[this.of(i)] = this.of(k);
      const key = `${x} ${y} ${z}`;
      const list = cells.get(key);
      // Points of one cell that are one need to be looked at once.
      if (!list) cells.set(key, [i]);
      else if (!list.some((k) => distance(points[k], p) < within / 8)) list.push(i);
    });
  }

  /** The number that stands for all points that are one with a point. */
  of(i: number): number {
    let root = i;
    while (this.parents[root] !== root) root = this.parents[root];
    let at = i;
    while (this.parents[at] !== root) [at, this.parents[at]] = [this.parents[at], root];
    return root;
  }

  at(i: number): Vec3 {
    return this.points[i];
  }
}
