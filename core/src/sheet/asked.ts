import type { Vec3 } from '../geometry/vector.ts';

/**
 * A seam that the design does not have: along the edge where two walls meet, by the numbers of their faces (either side of the sheet) from 0;
 * down a closed round wall, where it looks in a direction; or down the middle of a flat wall, along its bends.
 */
export type Rip = { between: [number, number] } | { face: number; towards: Vec3 } | { face: number; middle: true };

/** Reliefs that are cut where the design has none. Lengths in mm. */
export interface ReliefCuts {
  /** Beside a bend that ends at an edge which goes straight on: how wide along the edge, and how deep past the bend zone. */
  bends: { kind: 'rectangular' | 'obround'; width: number; depth: number } | null;
  /** Where two bends meet in a corner of a wall: a round hole by its diameter, or a square by its side, about the corner. */
  corners: { kind: 'round' | 'square'; size: number } | null;
}

export const noReliefs: ReliefCuts = { bends: null, corners: null };

/** The press brake that bends a part in air, over a V die. Lengths in mm, angle in degrees. */
export interface PressChoice {
  /** Opening of the V; null takes what suits the thickness and the radius. */
  opening: number | null;
  /** Tensile strength of the sheet, MPa. */
  strength: number;
  /** The punch: its tip's angle, its body's width, and its height up to the ram. */
  punch: { angle: number; width: number; height: number };
  /** The ram's and the bed's width. */
  ram: number;
  /** The die: how much it is wider than its opening on each side, and its height over the bed. */
  die: { shoulder: number; height: number };
  /** What the machine can press, kN; null when nobody has said. */
  most: number | null;
}

/** A common straight punch on a common die. Common practice, no source. */
export const usualPress: PressChoice = {
  opening: null,
  strength: 420,
  punch: { angle: 85, width: 12, height: 100 },
  ram: 80,
  die: { shoulder: 8, height: 80 },
  most: null,
};
