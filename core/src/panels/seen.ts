import { emptyDrawing, type Contour, type Drawing } from '../curves/drawing.ts';
import { nest, netArea } from '../curves/nest.ts';
import { cross, dot, type Vec3 } from '../geometry/vector.ts';
import { middleOfFace, normalAt, type Topology } from '../sheet/topology.ts';
import type { Seen } from './project.ts';

/** A flat face across the direction that a part is seen in, and how high it lies. */
export interface Level {
  face: number;
  height: number;
}

/** A part seen along the direction in which it is thin. Lengths in mm. */
export interface Found {
  n: Vec3;
  low: number;
  high: number;
  near: number;
  even: number;
  up: Level[];
  down: Level[];
  leaning: number[];
  odd: number[];
  seen: Seen;
  outline: Contour[];
  area: number;
  volume: number;
}

/** Whether all of a face is seen against a direction. Upright walls are not. */
export function facesTo(top: Topology, i: number, n: Vec3): boolean {
  const { surface, triangles } = top.faces[i];
  if (surface.kind === 'plane') return dot(normalAt(top, i, middleOfFace(top, i)), n) > 1e-4;
  if (surface.kind === 'cylinder' && Math.abs(Math.abs(dot(surface.frame.z, n)) - 1) < 1e-4) return false;
  // Round faces: by their facets, all of which must be turned to it.
  const { positions: p, triangles: t } = top.mesh;
  for (const k of triangles) {
    const [a, b, c] = [t[k * 3] * 3, t[k * 3 + 1] * 3, t[k * 3 + 2] * 3];
    const m = cross([p[b] - p[a], p[b + 1] - p[a + 1], p[b + 2] - p[a + 2]], [p[c] - p[a], p[c + 1] - p[a + 1], p[c + 2] - p[a + 2]]);
    if (dot(m, n) < -1e-3 * Math.hypot(...m)) return false;
  }
  return true;
}

export const inDrawing = (contours: Contour[]): Drawing => ({ ...emptyDrawing(), layers: [{ name: 'x', colour: null, lineType: 'CONTINUOUS', contours }] });
/** Outer areas less openings, mm2. */
export const areaWithin = (contours: Contour[]): number => netArea(nest(inDrawing(contours)));

/** Figures of exact solids come with a rounding of the last digits only. */
export const rounded = (v: number): number => Number(v.toFixed(6));
