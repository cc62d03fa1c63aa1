import type { Development } from './develop.ts';

/** One developable piece of the skin: faces on one plane, cylinder or cone that hang together. */
export interface Patch {
  kind: 'wall' | 'bend' | 'cone';
  faces: number[];
  loops: Loop[];
  develop: Development;
}

/** A closed chain of edges round a patch. */
export interface Loop {
  edges: number[];
  inner: boolean;
  /** Smooth or slanted all round, or curved both ways: something stamped, not a way to another wall. */
  formed: boolean;
}

/** Where two patches of the skin meet along straight edges. */
export interface Hinge {
  a: number;
  b: number;
  edges: number[];
  /** Planes that meet at an angle with no radius on this side, and the angle between their normals, rad; 0 for smooth ones. */
  sharp: number;
  /** Loop of a that it lies on. */
  loop: Loop;
}

/** One side of the sheet, followed from the fixed wall over its bends. */
export interface Skin {
  patches: Patch[];
  hinges: Hinge[];
  /** Patch of each face, -1 for faces of no patch. */
  patchOf: Int32Array;
  thickness: number;
  /** Hinges that were ripped, so that the sheet is cut there. */
  ripped: Ripped[];
}

/** A hinge that was ripped: what the folded flat leaves open there. Lengths in mm. */
export interface Ripped {
  faces: [number, number];
  edges: number[];
  length: number;
  /** rad; 0 where a bend meets its wall. */
  sharp: number;
  /** The bend that came loose; null between two walls. */
  bend: number | null;
}
