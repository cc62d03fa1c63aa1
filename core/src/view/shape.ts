import type { Vec3 } from '../geometry/vector.ts';

/** What was pointed at on a part. Lengths in mm once the part's scale is applied; angles in degrees. */
export type Shape =
  | { kind: 'point'; at: Vec3 }
  | { kind: 'line'; from: Vec3; to: Vec3; length: number }
  /** An arc or a whole circle; `turn` is 360 for the whole. */
  | { kind: 'circle'; centre: Vec3; axis: Vec3; r: number; turn: number; length: number }
  /** As long as the pieces that it is drawn by, which is a little too short. */
  | { kind: 'curve'; length: number }
  | { kind: 'plane'; at: Vec3; normal: Vec3; area: number }
  /** `hollow`: the material lies outside of it, as round a hole. `along`: how far it reaches along its axis. */
  | { kind: 'cylinder'; at: Vec3; axis: Vec3; r: number; hollow: boolean; along: number; area: number }
  | { kind: 'cone'; apex: Vec3; axis: Vec3; half: number; hollow: boolean; area: number }
  | { kind: 'sphere'; centre: Vec3; r: number; hollow: boolean; area: number }
  | { kind: 'torus'; centre: Vec3; axis: Vec3; major: number; minor: number; area: number }
  | { kind: 'free'; area: number };

/** What a pick measured. */
export interface Measured {
  shape: Shape;
  /** The place itself, on the exact surface where there is one. */
  at: Vec3;
  /** False where figures come of triangles: those of a mesh, or of a solid's face that can't be evaluated. */
  exact: boolean;
  /** From a face straight through the material to its other side; null where nothing is behind, and for edges. */
  wall: { thickness: number; to: Vec3 } | null;
  /** Triangles of the face, edge by edge the lines of the edge: what to show as chosen. */
  triangles: number[];
  line: Vec3[];
}
