import type { Bvh } from '../geometry/bvh/build.ts';
import { nearestOnMesh, nowhere, squaredFromTriangle } from '../geometry/bvh/nearest.ts';
import type { Mesh } from '../geometry/mesh.ts';
import { distance, vecAt, type Vec3 } from '../geometry/vector.ts';
import { Bend } from './bend.ts';
import type { FarOf, PlacesOver } from './places-over.ts';
import type { Surface } from './surfaces.ts';

/** A place that is farther off than what is known by less than this share is left. */
const slack = 1 + 1e-9;
/** A corner this near to such a point, in shares of how far the other corners are, is at it; a tangent of this share of the other is gone. */
const atPole = 1e-5;
const gone = 1e-9;

/**
 * Facets seen from the surface: how far places in every span of a spline lie from them. What is looked at on the facets alone may miss a bump that stands between
 * these places.
 */
export class SurfaceSide {
  /** Where the facets are nearest to the place found last, mm. */
  readonly at: Vec3 = [0, 0, 0];
  /** Parameters of the corners of the facet that is asked for: u, v of each. */
  readonly uv = new Float64Array(6);
  private readonly places: PlacesOver;
  /** The points that the surface has shrunk to at its ends, of u and of v; null where it has not. */
  private readonly poles: readonly (Vec3 | null)[];
  private readonly mesh: Mesh;
  private readonly tree: () => Bvh;
  private readonly found = nowhere();

  /** @param tree of all facets; asked for only when a place has to be looked at more closely */
  constructor(surface: Surface, places: PlacesOver, mesh: Mesh, tree: () => Bvh) {
    this.places = places;
    this.mesh = mesh;
    this.tree = tree;
    this.poles = this.findPoles(new Bend(surface));
  }

  private findPoles(bend: Bend): (Vec3 | null)[] {
    const { u, v, range } = this.places.places;
    const long = (d: Float64Array) => Math.hypot(d[0], d[1], d[2]);
    const middle = (list: Float64Array | null) => (list ? list[list.length >> 1] : 0);
    return range.map((end, k) => {
      if (!Number.isFinite(end)) return null;
      const alongU = k >= 2;
      bend.point(alongU ? middle(u) : end, alongU ? end : middle(v));
      const isPole = alongU ? long(bend.du) <= gone * long(bend.dv) : long(bend.dv) <= gone * long(bend.du);
      return isPole ? [bend.at[0], bend.at[1], bend.at[2]] : null;
    });
  }

  /**
   * The largest distance of a place over a facet (whose parameters stand in `uv`) from all facets, mm.
   * @returns what is known already, mm, where none is farther off
   */
  farthestOver(triangle: number, known: number): number {
    const { found, uv, mesh } = this;
    const { positions: p, triangles: t } = mesh;
    const corners = [0, 1, 2].map((k) => 3 * t[3 * triangle + k]);
    const [a, b, c] = corners;
    this.besidePoles(corners);
    const double = (uv[2] - uv[0]) * (uv[5] - uv[1]) - (uv[4] - uv[0]) * (uv[3] - uv[1]);
    if (!(Math.abs(double) > 0)) return known;
    // From the point of the facet that has the same parameters.
    const far: FarOf = (point, from, u, v) => {
      const wa = ((uv[2] - u) * (uv[5] - v) - (uv[4] - u) * (uv[3] - v)) / double;
      const wb = ((uv[4] - u) * (uv[1] - v) - (uv[0] - u) * (uv[5] - v)) / double;
      const wc = 1 - wa - wb;
      const dx = point[from] - wa * p[a] - wb * p[b] - wc * p[c];
      const dy = point[from + 1] - wa * p[a + 1] - wb * p[b + 1] - wc * p[c + 1];
      const dz = point[from + 2] - wa * p[a + 2] - wb * p[b + 2] - wc * p[c + 2];
      return Math.sqrt(dx * dx + dy * dy + dz * dz);
    };
    let most = known;
    this.places.over(uv, far, known * slack, (place) => {
      // Its parameters may run on ahead of the facet's points: another point may be nearer, of this facet or of others.
      const at: Vec3 = [place[0], place[1], place[2]];
      if (!(squaredFromTriangle(mesh, triangle, at) > most * most)) return most * slack;
      nearestOnMesh(this.tree(), at, found);
      const d = Math.sqrt(found.squared);
      if (d > most) {
        most = d;
        [this.at[0], this.at[1], this.at[2]] = [found.x, found.y, found.z];
      }
      return most * slack;
    });
    return most;
  }

  /** A corner at a place where the surface has shrunk to a point has no parameter of its own along that: it gets the middle of the others'. */
  private besidePoles(corners: readonly number[]): void {
    const { uv, poles } = this;
    const { positions: p } = this.mesh;
    const { range, periods } = this.places.places;
    const places = corners.map((c) => vecAt(p, c));
    for (let end = 0; end < 4; end++) {
      const pole = poles[end];
      if (!pole) continue;
      const near = atPole * Math.max(...places.map((q) => distance(q, pole)));
      const on = [0, 1, 2].filter((k) => distance(places[k], pole) <= near);
      if (on.length !== 1) continue;
      const [k] = on;
      const held = end >> 1;
      const [a, b] = [1, 2].map((next) => 2 * ((k + next) % 3) + 1 - held);
      // The two may have been laid beside the corner that has none: they go together.
      const period = periods[1 - held];
      if (period > 0) uv[b] -= Math.round((uv[b] - uv[a]) / period) * period;
      uv[2 * k + held] = range[end];
      uv[2 * k + 1 - held] = (uv[a] + uv[b]) / 2;
    }
  }
}
