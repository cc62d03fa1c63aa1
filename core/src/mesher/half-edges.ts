import { orient2d } from 'robust-predicates';

/** The number of an edge round the outside, which no one gave. */
const rim = 1;
/** Given numbers begin here within `fixed`. */
export const given = 2;
/** A walk to the triangle of a place takes at most this many steps for a root of the triangles, then all are looked through. */
const walkShare = 12;

/**
 * Triangles of the plane by their half-edges, into which points are put and whose edges are flipped.
 * Half-edge e = 3 t + k of triangle t runs from its corner k to the next, counter-clockwise; `across[e]` is the half-edge that runs the other way, -1 at the outside.
 * Source: Guibas and Stolfi 1985; Shewchuk 1997 (exact signs; robust-predicates).
 */
export class HalfEdges {
  x: Float64Array;
  y: Float64Array;
  /** Points, the three of the outside first. */
  points = 0;
  corner: Int32Array;
  across: Int32Array;
  /** 0 for an edge that may be flipped; else 2 and the number it was given. */
  fixed: Int32Array;
  triangles = 0;
  /** A half-edge that leaves each point. */
  leaving: Int32Array;
  protected last = 0;
  protected readonly stack: number[] = [];
  /** 1 for half-edges on the stack, the lower of the two of an edge. */
  protected pending: Uint8Array;
  /** The number that the next point gets because it had it before; -1 for a new one. */
  protected returning = -1;

  /** @param box x and y least, x and y most, of all points that will be put in; @param room points that are expected */
  constructor([x0, y0, x1, y1]: readonly number[], room = 64) {
    const size = Math.max(x1 - x0, y1 - y0) || 1;
    this.x = new Float64Array(room + 3);
    this.y = new Float64Array(room + 3);
    this.leaving = new Int32Array(room + 3);
    this.corner = new Int32Array(6 * room + 12);
    this.across = new Int32Array(6 * room + 12);
    this.fixed = new Int32Array(6 * room + 12);
    this.pending = new Uint8Array(6 * room + 12);
    const [mx, my] = [(x0 + x1) / 2, (y0 + y1) / 2];
    this.addPoint(mx - 30 * size, my - 20 * size);
    this.addPoint(mx + 30 * size, my - 20 * size);
    this.addPoint(mx, my + 40 * size);
    this.corner.set([0, 1, 2]);
    this.across.fill(-1, 0, 3);
    this.fixed.fill(rim, 0, 3);
    this.leaving.set([0, 1, 2]);
    this.triangles = 1;
  }

  protected addPoint(x: number, y: number): number {
    if (this.returning >= 0) {
      const p = this.returning;
      this.returning = -1;
      this.x[p] = x;
      this.y[p] = y;
      return p;
    }
    if (this.points === this.x.length) {
      this.x = grown(this.x);
      this.y = grown(this.y);
      this.leaving = grown(this.leaving);
    }
    this.x[this.points] = x;
    this.y[this.points] = y;
    return this.points++;
  }

  protected addTriangle(): number {
    if (this.triangles * 3 + 3 > this.corner.length) {
      this.corner = grown(this.corner);
      this.across = grown(this.across);
      this.fixed = grown(this.fixed);
      this.pending = grown(this.pending);
    }
    return this.triangles++;
  }

  /** Twice the area with its exact sign: above 0 where a, b, c go round counter-clockwise. */
  turn(a: number, b: number, c: number): number {
    return -orient2d(this.x[a], this.y[a], this.x[b], this.y[b], this.x[c], this.y[c]);
  }

  protected turnTo(a: number, b: number, x: number, y: number): number {
    return -orient2d(this.x[a], this.y[a], this.x[b], this.y[b], x, y);
  }

  /** The triangle a place lies in. @param near a triangle to walk from; @returns -1 outside */
  locate(x: number, y: number, near = this.last): number {
    const t = this.walk(x, y, near);
    return t >= 0 ? t : this.lookedThrough(x, y);
  }

  /** The triangle a place lies in, by the straight way from another; -1 where that leaves what there is. */
  walk(x: number, y: number, near: number): number {
    let t = near < this.triangles ? near : 0;
    const most = 64 + walkShare * Math.ceil(Math.sqrt(this.triangles));
    for (let step = 0, from = -1; step < most; step++) {
      let next = -1;
      let out = false;
      for (let i = 0; i < 3; i++) {
        // Beginning at another side each time, a walk does not go round for ever.
        const e = 3 * t + ((i + step) % 3);
        if (e === from || this.turnTo(this.corner[e], this.corner[ahead(e)], x, y) >= 0) continue;
        next = this.across[e];
        out = true;
        if (next >= 0) break;
      }
      if (!out) return t;
      if (next < 0) return -1;
      from = next;
      t = (next / 3) | 0;
    }
    return -1;
  }

  protected holds(t: number, x: number, y: number): boolean {
    for (let e = 3 * t; e < 3 * t + 3; e++) if (this.turnTo(this.corner[e], this.corner[ahead(e)], x, y) < 0) return false;
    return true;
  }

  protected lookedThrough(x: number, y: number): number {
    for (let t = 0; t < this.triangles; t++) if (this.holds(t, x, y)) return t;
    return -1;
  }

  /** Puts a point into a triangle without looking at Delaunay's condition. It must lie strictly within. */
  within(t: number, x: number, y: number): number {
    const p = this.addPoint(x, y);
    const [a, b, c] = [this.corner[3 * t], this.corner[3 * t + 1], this.corner[3 * t + 2]];
    const [n1, n2] = [this.addTriangle(), this.addTriangle()];
    const [ab, bc, ca] = [this.across[3 * t], this.across[3 * t + 1], this.across[3 * t + 2]];
    const [fa, fb, fc] = [this.fixed[3 * t], this.fixed[3 * t + 1], this.fixed[3 * t + 2]];
    this.put(t, a, b, p);
    this.put(n1, b, c, p);
    this.put(n2, c, a, p);
    this.link(3 * t, ab, fa);
    this.link(3 * n1, bc, fb);
    this.link(3 * n2, ca, fc);
    this.link(3 * t + 1, 3 * n1 + 2, 0);
    this.link(3 * n1 + 1, 3 * n2 + 2, 0);
    this.link(3 * n2 + 1, 3 * t + 2, 0);
    this.last = t;
    for (const k of [t, n1, n2]) this.doubt(3 * k);
    return p;
  }

  /** Whether a place lies within a triangle and on none of its edges. */
  strictlyHolds(t: number, x: number, y: number): boolean {
    for (let e = 3 * t; e < 3 * t + 3; e++) if (!(this.turnTo(this.corner[e], this.corner[ahead(e)], x, y) > 0)) return false;
    return true;
  }

  /** Whether a place on an edge (as near as numbers go) makes four triangles with an area of the two beside it. */
  fitsOn(e: number, x: number, y: number): boolean {
    for (const side of [e, this.across[e]]) {
      if (side < 0) return false;
      for (const k of [ahead(side), behind(side)]) if (!(this.turnTo(this.corner[k], this.corner[ahead(k)], x, y) > 0)) return false;
    }
    return true;
  }

  /** Puts a point onto an edge that has a triangle on either side. A kept edge stays kept on both sides of the point. */
  onEdge(e: number, x: number, y: number): number {
    const p = this.addPoint(x, y);
    const g = this.across[e];
    const [t, u] = [(e / 3) | 0, (g / 3) | 0];
    const [e1, e2, g1, g2] = [ahead(e), behind(e), ahead(g), behind(g)];
    const [a, b, c, d] = [this.corner[e], this.corner[g], this.corner[e2], this.corner[g2]];
    const kept = this.fixed[e];
    const [bc, ca, ad, db] = [this.across[e1], this.across[e2], this.across[g1], this.across[g2]];
    const [fbc, fca, fad, fdb] = [this.fixed[e1], this.fixed[e2], this.fixed[g1], this.fixed[g2]];
    const [n1, n2] = [this.addTriangle(), this.addTriangle()];
    this.put(t, c, a, p);
    this.put(n1, b, c, p);
    this.put(u, d, b, p);
    this.put(n2, a, d, p);
    this.link(3 * t, ca, fca);
    this.link(3 * n1, bc, fbc);
    this.link(3 * u, db, fdb);
    this.link(3 * n2, ad, fad);
    this.link(3 * t + 1, 3 * n2 + 2, kept);
    this.link(3 * n1 + 1, 3 * t + 2, 0);
    this.link(3 * u + 1, 3 * n1 + 2, kept);
    this.link(3 * n2 + 1, 3 * u + 2, 0);
    this.last = t;
    for (const k of [t, n1, u, n2]) this.doubt(3 * k);
    return p;
  }

  protected put(t: number, a: number, b: number, c: number): void {
    this.corner[3 * t] = a;
    this.corner[3 * t + 1] = b;
    this.corner[3 * t + 2] = c;
    this.leaving[a] = 3 * t;
    this.leaving[b] = 3 * t + 1;
    this.leaving[c] = 3 * t + 2;
  }

  protected link(e: number, g: number, fixed: number): void {
    this.across[e] = g;
    this.fixed[e] = fixed;
    if (g < 0) return;
    this.across[g] = e;
    this.fixed[g] = fixed;
  }

  /** Flips the edges on the stack, and then those round what was flipped, while a measure asks for it. @param most flips; the rest stay as they are */
  settle(wants: (e: number) => boolean, most = Infinity): number {
    let flips = 0;
    for (let e = this.stack.pop(); e !== undefined; e = this.stack.pop()) {
      this.pending[e] = 0;
      if (flips >= most || this.fixed[e] > 0 || this.across[e] < 0 || !wants(e) || !this.flip(e)) continue;
      flips++;
      const g = this.across[ahead(e)];
      this.doubt(e);
      this.doubt(behind(e));
      this.doubt(ahead(g));
      this.doubt(behind(g));
    }
    return flips;
  }

  /** Puts an edge on the stack of `settle`. */
  doubt(e: number): void {
    const g = this.across[e];
    const lower = g >= 0 && g < e ? g : e;
    if (this.pending[lower] === 1) return;
    this.pending[lower] = 1;
    this.stack.push(lower);
  }

  /** Flips an edge when the two triangles beside it make a strictly convex quadrilateral. Afterwards the new edge is the one after e in its triangle. */
  flip(e: number): boolean {
    const g = this.across[e];
    const [e1, e2, g1, g2] = [ahead(e), behind(e), ahead(g), behind(g)];
    const [a, b, c, d] = [this.corner[e], this.corner[g], this.corner[e2], this.corner[g2]];
    if (!(this.turn(a, d, c) > 0 && this.turn(d, b, c) > 0)) return false;
    const [t, u] = [(e / 3) | 0, (g / 3) | 0];
    const [bc, ca, ad, db] = [this.across[e1], this.across[e2], this.across[g1], this.across[g2]];
    const [fbc, fca, fad, fdb] = [this.fixed[e1], this.fixed[e2], this.fixed[g1], this.fixed[g2]];
    // Triangle t: a, d, c with its half-edge e at a to d; u: b, c, d with g at b to c.
    const [ke, kg] = [e - 3 * t, g - 3 * u];
    this.corner[e] = a;
    this.corner[3 * t + ((ke + 1) % 3)] = d;
    this.corner[3 * t + ((ke + 2) % 3)] = c;
    this.corner[g] = b;
    this.corner[3 * u + ((kg + 1) % 3)] = c;
    this.corner[3 * u + ((kg + 2) % 3)] = d;
    this.link(e, ad, fad);
    this.link(e1, g1, 0);
    this.link(e2, ca, fca);
    this.link(g, bc, fbc);
    this.link(g2, db, fdb);
    this.leaving[a] = e;
    this.leaving[d] = e1;
    this.leaving[c] = e2;
    this.leaving[b] = g;
    return true;
  }

  /** The half-edge from one point to another; -1 where there is none. */
  edge(a: number, b: number): number {
    let found = -1;
    this.around(a, (e) => {
      if (this.corner[ahead(e)] !== b) return false;
      found = e;
      return true;
    });
    return found;
  }

  /** Goes through the half-edges that leave a point counter-clockwise, back to the first or to the outside; then the other way from there. Ends when told so. */
  protected around(a: number, each: (e: number) => boolean): void {
    const first = this.leaving[a];
    let e = first;
    do {
      if (each(e)) return;
      e = this.across[behind(e)];
    } while (e >= 0 && e !== first);
    if (e >= 0) return;
    for (e = this.across[first]; e >= 0; e = this.across[e]) {
      e = ahead(e);
      if (each(e)) return;
    }
  }
}

/** The half-edge after one in its triangle. */
export const ahead = (e: number): number => (e % 3 === 2 ? e - 2 : e + 1);
/** The half-edge before one in its triangle. */
export const behind = (e: number): number => (e % 3 === 0 ? e + 2 : e - 1);

function grown<T extends Float64Array | Int32Array | Uint8Array>(list: T): T {
  const out = new (list.constructor as new (n: number) => T)(Math.ceil(list.length * 1.6) + 16);
  out.set(list as never);
  return out;
}
