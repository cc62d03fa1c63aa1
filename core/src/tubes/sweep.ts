import { add, scaled, unit, type Vec3 } from '../geometry/vector.ts';
import type { LoopPiece } from './sections.ts';

/**
 * An outline that was moved along a line or turned about an axis, found by its lateral edges: those that run along the way of the move.
 * A point of space is (x, y, t): across in a plane square to `along`, t mm along it; or (distance from the axis, height along it, t rad about it).
 */
export interface Sweep {
  kind: 'straight' | 'bend';
  /** Origin, direction (of the move, or of the axis), and the two directions across; for a bend `x` is where t is 0. */
  at: Vec3;
  along: Vec3;
  x: Vec3;
  y: Vec3;
  loop: LoopPiece[];
  /** Whether material lies within the outline; else it is that of a hole. */
  solid: boolean;
  faces: number[];
  /** Lateral edges. */
  edges: number[];
  body: number;
  /** Corners of the facets that stand for a round; absent when they are in the outline, or when it is truly round. */
  corners?: number;
  /** What bounds it at its lower and its upper end: points (x, y, t). */
  bounds: [Vec3[], Vec3[]];
}

/** A point (x, y, t) of a sweep in space. */
export function placeOf(s: Sweep, [a, b, t]: Vec3): Vec3 {
  if (s.kind === 'straight') return add(s.at, add(add(scaled(s.x, a), scaled(s.y, b)), scaled(s.along, t)));
  return add(s.at, add(scaled(s.along, b), scaled(outOf(s, t), a)));
}

/** Direction away from the axis at an angle. */
export const outOf = (s: Sweep, t: number): Vec3 => unit(add(scaled(s.x, Math.cos(t)), scaled(s.y, Math.sin(t))));
