import type { Curve } from '../surfaces/curves.ts';
import type { Surface } from '../surfaces/surfaces.ts';
import type { Vec3 } from '../geometry/vector.ts';

/** A curve between two of its parameters, `from` below `to`. */
export interface BodyEdge {
  curve: Curve;
  from: number;
  to: number;
  /** Vertices (indices) at `from` and at `to`; the same for a closed edge. */
  start: number;
  end: number;
}

/** An edge as a loop goes along it; turned: from its end to its start. */
export interface Use {
  edge: number;
  turned: boolean;
}

/** A bounded piece of a surface. */
export interface BodyFace {
  surface: Surface;
  /** The outside lies against du x dv of the surface. */
  turned: boolean;
  /** Seen from outside the face lies to the left of each of its loops. */
  loops: Use[][];
}

/** An exact solid by its faces, edges and vertices (boundary representation). Lengths in mm. */
export interface Body {
  points: Vec3[];
  edges: BodyEdge[];
  faces: BodyFace[];
  /** Faces (indices) of each closed shell; the outer one first. */
  shells: number[][];
  /** How far vertices, edges and surfaces may lie apart, as the file states it, mm. */
  tolerance: number;
}

/** Why a body is left to the exact-geometry kernel: something here is not taken, or the body needs healing. Never shown as an error. */
export class NotTaken extends Error {
  /** Short word for counting: `surface-kind`, `open-loop`... */
  readonly why: string;
  constructor(why: string, message = why) {
    super(message);
    this.why = why;
  }
}

/** Vertices, edges and surfaces that lie no farther apart than this share of a body's size count as one, as the exact-geometry kernel takes them: it widens its tolerances so far. */
export const bridged = 1e-4;
