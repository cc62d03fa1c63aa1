import { Unusable } from '../base/finding.ts';
import { boxOf, diagonalOf } from '../geometry/box.ts';
import { edgesOf, type Edges } from '../geometry/edges.ts';
import { crossOfTriangle, vertexOf } from '../geometry/triangle.ts';
import type { Mesh } from '../geometry/mesh.ts';
import { add, dot, lengthOf, scaled, sub, unit, type Vec3 } from '../geometry/vector.ts';
import { weldEqual } from '../geometry/weld.ts';
import type { ExactFace, ExactSolid } from '../surfaces/brep-text.ts';
import { Nearest } from '../surfaces/nearest.ts';
import { EdgeChains } from './edge-chains.ts';
import { meshFace, type Fitted } from './mesh-face.ts';
import { onRay } from './ray.ts';
import type { Measured, Shape } from './shape.ts';

/** A place on a drawn part: a triangle, or an edge near it. */
export interface Place {
  point: Vec3;
  /** -1 beside the part. */
  triangle: number;
  /** The end of a piece of an edge is near: meant is that, where edges end there. */
  vertex: boolean;
  /** A piece of the edge that was meant. */
  edge: readonly [Vec3, Vec3] | null;
}

/** A part as it is drawn. */
export interface Drawn {
  positions: ArrayLike<number>;
  triangles: Uint32Array;
  /** First triangle of each face of a solid, and their number at the end; empty for a mesh. */
  starts: Uint32Array;
  edges: Float32Array;
  exact: ExactSolid | null;
}

/** Points this near to where a ray starts, as a share of the part's size, are where it starts. */
const startShare = 1e-6;

/**
 * Says what lies under a pick: a corner, an edge with its length or radius, a face with its radius, axis and area, and how thick the wall is behind it.
 * Of solids radii, axes and walls are those of the exact surfaces; of meshes those of surfaces fitted to the triangles around.
 * @example new Measure(drawn).pick({ point: [10, 0, 4], triangle: 7, vertex: false, edge: null }).shape // { kind: 'cylinder', r: 3.3, hollow: true, ... }
 */
export class Measure {
  private readonly drawn: Drawn;
  private readonly mesh: Mesh;
  private readonly size: number;
  private readonly chains: EdgeChains;
  private readonly nearest = new Map<number, Nearest>();
  private welded: { mesh: Mesh; edges: Edges } | null = null;

  /** @throws Unusable for a part that has nothing drawn */
  constructor(drawn: Drawn) {
    if (drawn.triangles.length === 0) throw new Unusable('nothing-to-measure', 'The part has no surface that could be measured.', 'Look at its Soundness.');
    this.drawn = drawn;
    this.mesh = { positions: Float64Array.from(drawn.positions), triangles: drawn.triangles };
    this.size = diagonalOf(boxOf(drawn.positions));
    this.chains = new EdgeChains(drawn.edges, this.size);
  }

  /** @throws RangeError for a triangle that the part does not have */
  pick({ point, triangle, vertex, edge }: Place): Measured {
    if (triangle >= this.drawn.triangles.length / 3)
      throw new RangeError(`the part has ${this.drawn.triangles.length / 3} triangles, none is number ${triangle}`);
    const solid = this.drawn.exact !== null;
    // Every end of a piece of a curve looks like a corner: only one where edges end is meant.
    if (vertex && (!edge || this.chains.corner(point)))
      return { shape: { kind: 'point', at: point }, at: point, exact: solid, wall: null, triangles: [], line: [] };
    if (edge) {
      const { shape, line } = this.chains.edge(edge);
      return { shape, at: point, exact: solid, wall: null, triangles: [], line };
    }
    if (triangle < 0) return { shape: { kind: 'point', at: point }, at: point, exact: false, wall: null, triangles: [], line: [] };
    return this.face(point, triangle);
  }

  private face(point: Vec3, triangle: number): Measured {
    const f = this.faceOf(triangle);
    const exact = f === null ? null : this.drawn.exact!.faces[f];
    const own = f === null ? null : this.nearestOf(f);
    const outer = unit(crossOfTriangle(this.mesh, triangle));
    const { at, normal } = own ? onExact(own, point, outer, this.size) : { at: point, normal: outer };
    const wall = this.wallBehind(at, normal, triangle);
    if (exact && own) {
      const list = range(this.drawn.starts[f!], this.drawn.starts[f! + 1]);
      return { shape: this.shapeOf(exact, list, { at, normal }), at, exact: true, wall, triangles: list, line: [] };
    }
    const { mesh, edges } = (this.welded ??= withEdges(this.mesh));
    const { fitted, list } = f === null ? meshFace(mesh, edges, triangle) : { fitted: null, list: range(this.drawn.starts[f], this.drawn.starts[f + 1]) };
    const shape = fitted ? this.fittedShape(fitted, list, { at, normal }) : ({ kind: 'free', area: this.area(list) } as const);
    return { shape, at, exact: false, wall, triangles: list, line: [] };
  }

  /** The number of the exact face of a triangle, or null where there is none. */
  private faceOf(triangle: number): number | null {
    const { starts, exact } = this.drawn;
    if (!exact || starts.length !== exact.faces.length + 1) return null;
    let [low, high] = [0, starts.length - 2];
    while (low < high) {
      const middle = (low + high + 1) >> 1;
      if (starts[middle] <= triangle) low = middle;
      else high = middle - 1;
    }
    return low;
  }

  /** Nearest points of a face; null for a surface that can't be evaluated. */
  private nearestOf(f: number): Nearest | null {
    let own = this.nearest.get(f);
    if (!own) {
      this.nearest.set(f, (own = new Nearest(this.drawn.exact!.faces[f].surface)));
    }
    return Number.isNaN(own.find(...vertexOf(this.mesh, this.mesh.triangles[this.drawn.starts[f] * 3]))) ? null : own;
  }

  private shapeOf({ surface }: ExactFace, list: number[], { at, normal }: { at: Vec3; normal: Vec3 }): Shape {
    const area = this.area(list);
    switch (surface.kind) {
      case 'plane':
        return { kind: 'plane', at, normal, area };
      case 'cylinder': {
        const { at: on, z: axis } = surface.frame;
        return this.cylinder({ at: on, axis, r: surface.r }, list, { at, normal });
      }
      case 'cone': {
        const { at: on, z: axis } = surface.frame;
        const tangent = Math.tan(surface.half);
        const apex = add(on, scaled(axis, -surface.r / tangent));
        return { kind: 'cone', apex, axis, half: (Math.abs(surface.half) * 180) / Math.PI, hollow: hollowAt(at, normal, apex, axis), area };
      }
      case 'sphere':
        return { kind: 'sphere', centre: surface.frame.at, r: surface.r, hollow: dot(normal, sub(at, surface.frame.at)) < 0, area };
      case 'torus':
        return { kind: 'torus', centre: surface.frame.at, axis: surface.frame.z, major: surface.major, minor: surface.minor, area };
      default:
        return { kind: 'free', area };
    }
  }

  private fittedShape(fitted: Fitted, list: number[], { at, normal }: { at: Vec3; normal: Vec3 }): Shape {
    const area = this.area(list);
    switch (fitted.kind) {
      case 'plane':
        return { kind: 'plane', at, normal: fitted.normal, area };
      case 'cylinder':
        return this.cylinder(fitted, list, { at, normal });
      case 'cone':
        return { ...fitted, half: (fitted.half * 180) / Math.PI, hollow: hollowAt(at, normal, fitted.apex, fitted.axis), area };
      default:
        return { ...fitted, hollow: dot(normal, sub(at, fitted.centre)) < 0, area };
    }
  }

  private cylinder({ at: on, axis, r }: { at: Vec3; axis: Vec3; r: number }, list: number[], { at, normal }: { at: Vec3; normal: Vec3 }): Shape {
    let [low, high] = [Infinity, -Infinity];
    for (const t of list)
      for (let k = 0; k < 3; k++) {
        const h = dot(sub(vertexOf(this.mesh, this.mesh.triangles[t * 3 + k]), on), axis);
        low = Math.min(low, h);
        high = Math.max(high, h);
      }
    return {
      kind: 'cylinder',
      at: add(on, scaled(axis, (low + high) / 2)),
      axis,
      r,
      hollow: hollowAt(at, normal, on, axis),
      along: high - low,
      area: this.area(list),
    };
  }

  private area(list: number[]): number {
    return list.reduce((sum, t) => sum + lengthOf(crossOfTriangle(this.mesh, t)) / 2, 0);
  }

  /** How far it is through the material, and where it ends; by exact surfaces where there are such. */
  private wallBehind(at: Vec3, normal: Vec3, triangle: number): Measured['wall'] {
    const inward = scaled(normal, -1);
    const hit = onRay(this.mesh, at, inward).find((h) => h.leaving && h.triangle !== triangle && h.t > this.size * startShare);
    if (!hit) return null;
    const f = this.faceOf(hit.triangle);
    const other = f === null ? null : this.nearestOf(f);
    const thickness = other ? alongRay(other, at, inward, hit.t) : hit.t;
    return { thickness, to: add(at, scaled(inward, thickness)) };
  }
}

const range = (from: number, to: number): number[] => Array.from({ length: to - from }, (_, i) => from + i);

function withEdges(mesh: Mesh): { mesh: Mesh; edges: Edges } {
  const welded = weldEqual(mesh.positions, mesh.triangles);
  return { mesh: welded, edges: edgesOf(welded.triangles, welded.positions.length / 3) };
}

/** Whether the outside at a place points to the axis: the material lies round about. */
function hollowAt(at: Vec3, normal: Vec3, on: Vec3, axis: Vec3): boolean {
  const d = sub(at, on);
  return dot(normal, sub(d, scaled(axis, dot(d, axis)))) < 0;
}

/** The place on an exact surface and its normal there, to the side that a facet looks to. */
function onExact(own: Nearest, point: Vec3, outer: Vec3, size: number): { at: Vec3; normal: Vec3 } {
  const off = own.find(...point);
  const at: Vec3 = [own.x, own.y, own.z];
  // From a place a little outside the nearest point lies along the normal.
  const out = add(at, scaled(outer, Math.max(off, size * 1e-4)));
  own.find(...out);
  const n = sub(out, [own.x, own.y, own.z]);
  return { at, normal: lengthOf(n) > 0 ? unit(n) : outer };
}

/** Where a ray meets an exact surface, beginning from where it meets its facets: secants of the distance along it. */
function alongRay(other: Nearest, at: Vec3, along: Vec3, start: number): number {
  const signed = (t: number): number => {
    const q = add(at, scaled(along, t));
    const d = other.find(...q);
    return d * (dot(sub(q, [other.x, other.y, other.z]), along) < 0 ? -1 : 1);
  };
  let [t0, f0] = [start, signed(start)];
  const reach = Math.abs(f0) * 20;
  let t1 = start - f0;
  for (let i = 0; i < 20 && Math.abs(f0) > 1e-12 * start; i++) {
    const f1 = signed(t1);
    if (f1 === f0) break;
    const next = t1 - (f1 * (t1 - t0)) / (f1 - f0);
    [t0, f0, t1] = [t1, f1, next];
  }
  // A surface that is met at a grazing angle may be missed: then what its facets say stands.
  return Math.abs(t0 - start) <= reach ? t0 : start;
}
