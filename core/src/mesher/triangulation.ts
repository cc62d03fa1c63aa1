import { ahead, behind, given, HalfEdges } from './half-edges.ts';

/** Two edges that must be kept and cross, or a corner that lies on one. Numbers are those the edges were given. */
export class Crossing extends Error {
  readonly edges: number[];
  constructor(edges: number[]) {
    super('Edges that must be kept cross.');
    this.edges = edges;
  }
}

/**
 * A constrained Delaunay triangulation in the plane into which points are put one by one; edges can be made to stay, and flipped by another measure afterwards.
 * Half-edge e = 3 t + k of triangle t runs from its corner k to the next, counter-clockwise; `across[e]` is the half-edge that runs the other way, -1 at the outside.
 * Sources: Guibas and Stolfi 1985 (point by point), Sloan 1993 (edges that stay), Shewchuk 1997 (exact signs; robust-predicates).
 * @example const t = new Triangulation([0, 0, 4, 4]); const a = t.insert(1, 1); const b = t.insert(3, 2); t.keep(a, b, 0)
 */
export class Triangulation extends HalfEdges {
  /** Puts a point in, and flips edges until each is Delaunay again. @returns its number, that of the point already there, or -1 outside */
  insert(x: number, y: number, near?: number): number {
    const t = this.locate(x, y, near);
    if (t < 0) return -1;
    for (let e = 3 * t; e < 3 * t + 3; e++) {
      const c = this.corner[e];
      if (this.x[c] === x && this.y[c] === y) return c;
    }
    for (let e = 3 * t; e < 3 * t + 3; e++) {
      if (this.turnTo(this.corner[e], this.corner[ahead(e)], x, y) === 0) return this.across[e] < 0 ? -1 : this.legalised(this.onEdge(e, x, y));
    }
    return this.legalised(this.within(t, x, y));
  }

  private legalised(p: number): number {
    this.settle((e) => this.notDelaunay(e));
    return p;
  }

  private notDelaunay(e: number): boolean {
    const g = this.across[e];
    const [a, b, c, d] = [this.corner[e], this.corner[ahead(e)], this.corner[behind(e)], this.corner[behind(g)]];
    return surelyInCircle(
      this.x[a] - this.x[d],
      this.y[a] - this.y[d],
      this.x[b] - this.x[d],
      this.y[b] - this.y[d],
      this.x[c] - this.x[d],
      this.y[c] - this.y[d],
    );
  }

  /** Puts a point that was taken out back to where it was. @returns whether its place lies strictly within the triangle */
  restore(p: number, x: number, y: number, t: number): boolean {
    if (!this.strictlyHolds(t, x, y)) return false;
    this.returning = p;
    this.within(t, x, y);
    return true;
  }

  /**
   * Makes the edge between two points one that stays, flipping what crosses it.
   * @throws Crossing where an edge that must stay, or a point, lies in its way
   */
  keep(a: number, b: number, number: number): void {
    const there = this.edge(a, b);
    if (there >= 0) {
      if (this.fixed[there] >= given) throw new Crossing([number, this.fixed[there] - given]);
      this.link(there, this.across[there], number + given);
      return;
    }
    const crossing = this.crossed(a, b, number);
    const fresh: [number, number][] = [];
    let left = 40 + crossing.length * crossing.length * 4;
    for (let i = 0; i < crossing.length; i++) {
      if (left-- < 0) throw new Crossing([number]);
      const [p, q] = crossing[i];
      const e = this.edge(p, q);
      if (!this.flip(e)) {
        crossing.push([p, q]);
        continue;
      }
      const made = ahead(e);
      const [c, d] = [this.corner[made], this.corner[ahead(made)]];
      const crosses = c !== a && c !== b && d !== a && d !== b && this.turn(a, b, c) > 0 !== this.turn(a, b, d) > 0;
      (crosses ? crossing : fresh).push([c, d]);
    }
    const made = this.edge(a, b);
    if (made < 0) throw new Crossing([number]);
    this.link(made, this.across[made], number + given);
    for (const [c, d] of fresh) {
      const e = this.edge(c, d);
      if (e >= 0) this.doubt(e);
    }
    this.settle((e) => this.notDelaunay(e));
  }

  /** The edges that the way from a to b crosses. */
  private crossed(a: number, b: number, number: number): [number, number][] {
    let e = -1;
    let onWay = -1;
    this.around(a, (at) => {
      const [c, d] = [this.corner[ahead(at)], this.corner[behind(at)]];
      const [sc, sd] = [this.turn(a, b, c), this.turn(a, b, d)];
      if (sc === 0 && this.isAhead(a, b, c)) onWay = at;
      if (!(sc < 0 && sd > 0)) return false;
      e = ahead(at);
      return true;
    });
    if (onWay >= 0 || e < 0) throw new Crossing([number, ...this.keptAt(onWay < 0 ? -1 : this.corner[ahead(onWay)])]);
    const out: [number, number][] = [];
    for (;;) {
      if (this.fixed[e] > 0) throw new Crossing([number, this.fixed[e] - given]);
      out.push([this.corner[e], this.corner[ahead(e)]]);
      const g = this.across[e];
      const d = this.corner[behind(g)];
      if (d === b) return out;
      const side = this.turn(a, b, d);
      if (side === 0) throw new Crossing([number, ...this.keptAt(d)]);
      e = side > 0 ? ahead(g) : behind(g);
    }
  }

  private isAhead(a: number, b: number, c: number): boolean {
    return (this.x[c] - this.x[a]) * (this.x[b] - this.x[a]) + (this.y[c] - this.y[a]) * (this.y[b] - this.y[a]) > 0;
  }

  private keptAt(p: number): number[] {
    const out: number[] = [];
    if (p >= 0) this.around(p, (e) => (this.fixed[e] >= given && out.push(this.fixed[e] - given), false));
    return out;
  }

  /** Drops what lies outside the kept edges: the triangles reached from the outside by an even number of them. Numbers of points stay. */
  carve(): void {
    const side = new Int8Array(this.triangles).fill(-1);
    const stack = [(this.leaving[0] / 3) | 0];
    side[stack[0]] = 0;
    for (let t = stack.pop(); t !== undefined; t = stack.pop()) {
      for (let e = 3 * t; e < 3 * t + 3; e++) {
        if (this.across[e] < 0) continue;
        const u = (this.across[e] / 3) | 0;
        if (side[u] >= 0) continue;
        side[u] = this.fixed[e] > 0 ? 1 - side[t] : side[t];
        stack.push(u);
      }
    }
    const now = new Int32Array(this.triangles).fill(-1);
    let n = 0;
    for (let t = 0; t < this.triangles; t++) if (side[t] === 1) now[t] = n++;
    for (let t = 0; t < this.triangles; t++) {
      if (now[t] < 0) continue;
      for (let k = 0; k < 3; k++) {
        const [from, to] = [3 * t + k, 3 * now[t] + k];
        const g = this.across[from];
        const other = g < 0 ? -1 : now[(g / 3) | 0];
        this.corner[to] = this.corner[from];
        this.fixed[to] = this.fixed[from];
        this.across[to] = other < 0 ? -1 : 3 * other + (g % 3);
        this.leaving[this.corner[to]] = to;
      }
    }
    this.triangles = n;
    this.last = 0;
  }

  /** The number that was given to an edge that is kept; -1 for one that is not. */
  keptAs(e: number): number {
    return this.fixed[e] - given;
  }

  /**
   * Takes a point out that lies within: edges are flipped away from it until three are left.
   * @returns whether it could be; where not, the triangles round it are as good as before, but others
   */
  remove(p: number): boolean {
    let [first, degree] = [this.leaving[p], 0];
    let e = first;
    do {
      if (this.fixed[e] > 0) return false;
      degree++;
      e = this.across[behind(e)];
      if (e < 0) return false;
    } while (e !== first);
    for (let tries = 0; degree > 3;) {
      const next = this.across[behind(e)];
      if (this.flip(e)) {
        degree--;
        tries = 0;
      } else if (++tries > degree) return false;
      e = next;
      if (this.corner[e] !== p) e = this.leaving[p];
    }
    first = this.leaving[p];
    this.drop(first);
    return true;
  }

  /** Makes the three triangles round a point one. */
  private drop(e: number): void {
    const f = this.across[behind(e)];
    const g = this.across[behind(f)];
    const [a, b, c] = [this.corner[ahead(e)], this.corner[ahead(f)], this.corner[ahead(g)]];
    const [ab, bc, ca] = [ahead(e), ahead(f), ahead(g)];
    const out = [ab, bc, ca].map((k) => [this.across[k], this.fixed[k]]);
    const [t, u, w] = [e, f, g].map((k) => (k / 3) | 0);
    this.put(t, a, b, c);
    out.forEach(([other, fixed], k) => this.link(3 * t + k, other, fixed));
    // The last triangles take the two places that are free now.
    for (const free of [Math.max(u, w), Math.min(u, w)]) this.moveLast(free);
    this.last = 0;
  }

  private moveLast(to: number): void {
    const from = --this.triangles;
    if (from === to) return;
    for (let k = 0; k < 3; k++) {
      const [e, g] = [3 * from + k, 3 * to + k];
      this.corner[g] = this.corner[e];
      this.leaving[this.corner[g]] = g;
      this.link(g, this.across[e], this.fixed[e]);
    }
  }
}

/** Rounding of the determinant, as a share of the sum of its products' sizes. Source: Shewchuk 1997, stage A of incircle. */
const circleRounding = (10 + 96 * 2 ** -53) * 2 ** -53;

/**
 * Whether zero lies within the circle through three points that turn to the left, for sure. Where rounding hides the sign (four corners of one hole lie on one
 * circle) either diagonal will do, and the one that is there stays: no exact arithmetic is spent on it, and every flip is a true one, so that flipping ends.
 */
// eslint-disable-next-line max-params -- six coordinates in the innermost loop, without an array for them
function surelyInCircle(ax: number, ay: number, bx: number, by: number, cx: number, cy: number): boolean {
  const [bc, cb, ca, ac, ab, ba] = [bx * cy, cx * by, cx * ay, ax * cy, ax * by, bx * ay];
  const [a, b, c] = [ax * ax + ay * ay, bx * bx + by * by, cx * cx + cy * cy];
  const det = a * (bc - cb) + b * (ca - ac) + c * (ab - ba);
  const size = (Math.abs(bc) + Math.abs(cb)) * a + (Math.abs(ca) + Math.abs(ac)) * b + (Math.abs(ab) + Math.abs(ba)) * c;
  return det > circleRounding * size;
}
