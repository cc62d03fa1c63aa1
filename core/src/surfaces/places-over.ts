import { Bend } from './bend.ts';
import { placesWithin, reachesPlaces, shifts, spanPlaces, type SpanPlaces } from './span-places.ts';
import type { Surface } from './surfaces.ts';

/** Places of a leaf of the tree, each way. */
const leaf = 4;

/**
 * How far a point of the surface (three numbers of a list, from one on) at u, v is from what it is held against, mm: the size of something that is linear in the point and in u and v, as the height over a
 * plane is, or the way to the point of a facet that has the same parameters.
 */
export type FarOf = (point: ArrayLike<number>, from: number, u: number, v: number) => number;

/** Is given a place (x, y, z), the weights of the facet's first two corners there and how far it is; says from how far on others count. */
export type TakePlace = (place: Float64Array, wa: number, wb: number, far: number) => number;

/**
 * The places in every span of a spline surface that lie over a facet, by their parameters, and farther from it than some distance. A tree of them passes by what is as
 * good as flat: over each of its nodes the surface lies within a known distance of the bilinear surface through the node's corners, and that is farthest at a corner.
 * @example PlacesOver.of(surface, [0, 0])?.over(uv, far, 0.05, take)
 */
export class PlacesOver {
  readonly places: SpanPlaces;
  private readonly bend: Bend;
  private tree: SpanTree | null = null;
  private readonly place = new Float64Array(3);

  private constructor(surface: Surface, places: SpanPlaces) {
    this.places = places;
    this.bend = new Bend(surface);
  }

  /** @param periods a round trip in u and v; 0 where the surface is not closed that way @returns null for surfaces that are no splines */
  static of(surface: Surface, periods: readonly [number, number]): PlacesOver | null {
    const before = known.get(surface);
    if (before && before.places.periods.every((p, k) => p === periods[k])) return before;
    const places = spanPlaces(surface, periods);
    if (!places) return null;
    const made = new PlacesOver(surface, places);
    known.set(surface, made);
    return made;
  }

  /** @param uv u, v of the facet's corners @param floor distance from which on places count, mm */
  over(uv: ArrayLike<number>, far: FarOf, floor: number, take: TakePlace): void {
    const { places, bend, place } = this;
    if (!reachesPlaces(places, uv)) return;
    const { u, v } = places;
    if (u && v) {
      this.tree ??= new SpanTree(bend, u, v);
      for (const du of shifts(places.periods[0])) {
        for (const dv of shifts(places.periods[1])) {
          const moved = Float64Array.from(uv, (x, k) => x - (k % 2 === 0 ? du : dv));
          const seen: FarOf = du === 0 && dv === 0 ? far : (point, from, a, b) => far(point, from, a + du, b + dv);
          floor = this.tree.over(moved, seen, floor, take);
        }
      }
      return;
    }
    placesWithin(places, uv, ({ u: x, v: y, wa, wb, at }) => {
      bend.point(x, y);
      place.set(bend.at);
      const d = far(place, 0, at[0], at[1]);
      if (d > floor) floor = take(place, wa, wb, d);
    });
  }
}

/** One for each surface: mesher and proof ask again and again. */
const known = new WeakMap<Surface, PlacesOver>();

/** A grid of places halved again and again. */
class SpanTree {
  private readonly u: Float64Array;
  private readonly v: Float64Array;
  private readonly points: Float64Array;
  /** Of each node: first and last column, first and last row, and the node that stands beside its first child (0 for a leaf). The first child is the next one. */
  private readonly nodes: number[] = [];
  /** How far the surface lies from each node's bilinear one at most, mm. */
  private readonly off: number[] = [];
  private readonly place = new Float64Array(3);

  constructor(bend: Bend, u: Float64Array, v: Float64Array) {
    [this.u, this.v] = [u, v];
    this.points = new Float64Array(3 * u.length * v.length);
    for (let i = 0, k = 0; i < u.length; i++) {
      for (let j = 0; j < v.length; j++, k += 3) {
        bend.point(u[i], v[j]);
        this.points.set(bend.at, k);
      }
    }
    this.build(0, u.length - 1, 0, v.length - 1);
  }

  private build(i0: number, i1: number, j0: number, j1: number): void {
    const id = this.off.push(this.offBilinear(i0, i1, j0, j1)) - 1;
    this.nodes.push(i0, i1, j0, j1, 0);
    const [wide, high] = [i1 - i0 + 1, j1 - j0 + 1];
    if (wide <= leaf && high <= leaf) return;
    // Neighbours share a line of places, so that nothing lies between them.
    if (wide >= high) {
      const middle = (i0 + i1) >> 1;
      this.build(i0, middle, j0, j1);
      this.nodes[5 * id + 4] = this.off.length;
      this.build(middle, i1, j0, j1);
    } else {
      const middle = (j0 + j1) >> 1;
      this.build(i0, i1, j0, middle);
      this.nodes[5 * id + 4] = this.off.length;
      this.build(i0, i1, middle, j1);
    }
  }

  private offBilinear(i0: number, i1: number, j0: number, j1: number): number {
    const { u, v, points } = this;
    const n = v.length;
    const [a, b, c, d] = [3 * (i0 * n + j0), 3 * (i1 * n + j0), 3 * (i0 * n + j1), 3 * (i1 * n + j1)];
    const [du, dv] = [u[i1] - u[i0] || 1, v[j1] - v[j0] || 1];
    let most = 0;
    for (let i = i0; i <= i1; i++) {
      const s = (u[i] - u[i0]) / du;
      for (let j = j0; j <= j1; j++) {
        const t = (v[j] - v[j0]) / dv;
        const k = 3 * (i * n + j);
        let square = 0;
        for (let e = 0; e < 3; e++) {
          const mixed = (1 - s) * ((1 - t) * points[a + e] + t * points[c + e]) + s * ((1 - t) * points[b + e] + t * points[d + e]);
          square += (points[k + e] - mixed) ** 2;
        }
        if (square > most) most = square;
      }
    }
    return Math.sqrt(most);
  }

  over(uv: Float64Array, far: FarOf, floor: number, take: TakePlace): number {
    const { nodes, off, u, v, points } = this;
    const box = [Math.min(uv[0], uv[2], uv[4]), Math.max(uv[0], uv[2], uv[4]), Math.min(uv[1], uv[3], uv[5]), Math.max(uv[1], uv[3], uv[5])];
    const farAt = (i: number, j: number) => {
      return far(points, 3 * (i * v.length + j), u[i], v[j]);
    };
    const stack = [0];
    for (let id = stack.pop(); id !== undefined; id = stack.pop()) {
      const [i0, i1, j0, j1, second] = [nodes[5 * id], nodes[5 * id + 1], nodes[5 * id + 2], nodes[5 * id + 3], nodes[5 * id + 4]];
      if (u[i1] < box[0] || u[i0] > box[1] || v[j1] < box[2] || v[j0] > box[3]) continue;
      if (Math.max(farAt(i0, j0), farAt(i1, j0), farAt(i0, j1), farAt(i1, j1)) + off[id] <= floor) continue;
      if (second === 0) floor = this.inLeaf(id, { uv, floor, farAt, take });
      else stack.push(id + 1, second);
    }
    return floor;
  }

  private inLeaf(
    id: number,
    { uv, floor, farAt, take }: { uv: Float64Array; floor: number; farAt: (i: number, j: number) => number; take: TakePlace },
  ): number {
    const { nodes, u, v, points, place } = this;
    const double = (uv[2] - uv[0]) * (uv[5] - uv[1]) - (uv[4] - uv[0]) * (uv[3] - uv[1]);
    if (!(Math.abs(double) > 0)) return floor;
    for (let i = nodes[5 * id]; i <= nodes[5 * id + 1]; i++) {
      for (let j = nodes[5 * id + 2]; j <= nodes[5 * id + 3]; j++) {
        const d = farAt(i, j);
        if (!(d > floor)) continue;
        const wa = ((uv[2] - u[i]) * (uv[5] - v[j]) - (uv[4] - u[i]) * (uv[3] - v[j])) / double;
        const wb = ((uv[4] - u[i]) * (uv[1] - v[j]) - (uv[0] - u[i]) * (uv[5] - v[j])) / double;
        if (wa < 0 || wb < 0 || wa + wb > 1) continue;
        const k = 3 * (i * v.length + j);
        for (let e = 0; e < 3; e++) place[e] = points[k + e];
        floor = take(place, wa, wb, d);
      }
    }
    return floor;
  }
}
