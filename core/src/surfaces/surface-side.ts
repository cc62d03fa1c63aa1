import type { Bvh } from '../geometry/bvh/build.ts';
import { nearestOnMesh, nowhere } from '../geometry/bvh/nearest.ts';
import type { Mesh } from '../geometry/mesh.ts';
import type { Vec3 } from '../geometry/vector.ts';
import { Bend } from './bend.ts';
import { placesWithin, reachesPlaces, type SpanPlaces } from './span-places.ts';
import type { Surface } from './surfaces.ts';

/** A place that is farther off than what is known by less than this share is left. */
const slack = 1 + 1e-9;
/** A corner this near to the end of a parameter, in shares of its range, lies on it; a tangent of this share of the other is gone there. */
const atEnd = 1e-9;
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
  private readonly bend: Bend;
  private readonly places: SpanPlaces;
  /** Which ends the surface has shrunk to a point at: of u, of v. */
  private readonly poles: readonly boolean[];
  private readonly mesh: Mesh;
  private readonly tree: () => Bvh;
  private readonly found = nowhere();

  /** @param tree of all facets; asked for only when a place has to be looked at more closely */
  constructor(surface: Surface, places: SpanPlaces, mesh: Mesh, tree: () => Bvh) {
    this.bend = new Bend(surface);
    this.places = places;
    this.mesh = mesh;
    this.tree = tree;
    this.poles = this.findPoles();
  }

  private findPoles(): boolean[] {
    const { bend } = this;
    const { u, v, range } = this.places;
    const long = (d: Float64Array) => Math.hypot(d[0], d[1], d[2]);
    const middle = (list: Float64Array | null) => (list ? list[list.length >> 1] : 0);
    return range.map((end, k) => {
      if (!Number.isFinite(end)) return false;
      const alongU = k >= 2;
      bend.point(alongU ? middle(u) : end, alongU ? end : middle(v));
      return alongU ? long(bend.du) <= gone * long(bend.dv) : long(bend.dv) <= gone * long(bend.du);
    });
  }

  /**
   * The largest distance of a place over a facet (whose parameters stand in `uv`) from all facets, mm.
   * @returns what is known already, mm, where none is farther off
   */
  farthestOver([a, b, c]: readonly [number, number, number], known: number): number {
    this.besidePoles();
    if (!reachesPlaces(this.places, this.uv)) return known;
    const { positions: p } = this.mesh;
    const { bend, found } = this;
    const { at } = bend;
    const [ux, uy, uz] = [p[3 * b] - p[3 * a], p[3 * b + 1] - p[3 * a + 1], p[3 * b + 2] - p[3 * a + 2]];
    const [vx, vy, vz] = [p[3 * c] - p[3 * a], p[3 * c + 1] - p[3 * a + 1], p[3 * c + 2] - p[3 * a + 2]];
    const [nx, ny, nz] = [uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx];
    const size = Math.sqrt(nx * nx + ny * ny + nz * nz);
    if (!(size > 0)) return known;
    let most = known;
    placesWithin(this.places, this.uv, (u, v) => {
      bend.point(u, v);
      const height = Math.abs(nx * (at[0] - p[3 * a]) + ny * (at[1] - p[3 * a + 1]) + nz * (at[2] - p[3 * a + 2])) / size;
      if (!(height > most * slack)) return;
      // By its parameters it lies over this facet; another may be nearer.
      nearestOnMesh(this.tree(), [at[0], at[1], at[2]], found);
      const d = Math.sqrt(found.squared);
      if (!(d > most)) return;
      most = d;
      [this.at[0], this.at[1], this.at[2]] = [found.x, found.y, found.z];
    });
    return most;
  }

  /** A corner at a place where the surface has shrunk to a point has no parameter of its own along that: it gets the middle of the others'. */
  private besidePoles(): void {
    const { uv, poles } = this;
    const { range } = this.places;
    for (let end = 0; end < 4; end++) {
      if (!poles[end]) continue;
      const held = end >> 1;
      const near = atEnd * (range[2 * held + 1] - range[2 * held]);
      const on = [0, 1, 2].filter((k) => Math.abs(uv[2 * k + held] - range[end]) <= near);
      if (on.length !== 1) continue;
      const [k] = on;
      uv[2 * k + 1 - held] = (uv[2 * ((k + 1) % 3) + 1 - held] + uv[2 * ((k + 2) % 3) + 1 - held]) / 2;
    }
  }
}
