import { type PressChoice, noReliefs, type ReliefCuts, type Rip } from './asked.ts';
import type { Drawing } from '../curves/drawing.ts';
import type { P2 } from '../curves/segment.ts';
import type { Contour } from '../curves/drawing.ts';
import type { Vec3 } from '../geometry/vector.ts';
import type { Finding } from '../base/finding.ts';
import type { Bend, Feature, FoldBack, Pressed } from '../model/flat.ts';
import type { BendRule } from './rules.ts';

/** How a sheet part is to be unfolded. Lengths in mm. */
export interface FlattenChoice {
  /** The fixed wall: number of a face, from 0; null takes the largest. */
  face: number | null;
  /** Seams that the design does not have. */
  rips: Rip[];
  /** Side that lies up on the machine: the one that shows most bends rising, or the picked face, or its back. */
  up: 'bends-up' | 'face' | 'back';
  rule: BendRule;
  /** Inside radius of the tool that is used instead of the design's; null for the design's. */
  radius: number | null;
  /** Formed features that are left out: all, or by number. */
  leaveOut: 'all' | number[];
  /** What a feature that is left out leaves on the flat. */
  leaves: 'nothing' | 'centre' | 'outline';
  /** Countersinks and bevels are taken at the side that is cut from, or at the narrowest. */
  countersinks: 'cut-side' | 'through';
  /** Bend zone edges on a layer of their own. */
  zoneEdges: boolean;
  /** Reliefs cut where the design has none. */
  reliefs: ReliefCuts;
  /** The press brake that bends it; null when nobody asked. */
  press: PressChoice | null;
  /** How the longest bends lie to the grain, which runs along X of the sheet. */
  grain: 'any' | 'across' | 'along';
  /** Share of the thickness by which walls may be thicker or thinner and still be the same sheet. */
  tolerance: number;
  /** How far curves that cross a bend may be off once they are lines and arcs. */
  deviation: number;
  material: string;
  /** g/cm3; null when nobody has said. */
  density: number | null;
}

export const usualFlatten: FlattenChoice = {
  face: null,
  rips: [],
  up: 'bends-up',
  rule: { kind: 'din6935' },
  radius: null,
  leaveOut: 'all',
  leaves: 'centre',
  countersinks: 'through',
  zoneEdges: false,
  reliefs: noReliefs,
  press: null,
  grain: 'any',
  tolerance: 0.05,
  deviation: 0.005,
  material: '',
  density: null,
};

/** A piece of the flat that is folded as one. Coordinates are those of the flat, mm. */
export interface PatternPatch {
  kind: 'wall' | 'bend' | 'cone';
  parent: number;
  /** Where it hangs on its parent: it lies on the left of the way from a to b. */
  hinge: [P2, P2] | null;
  /** rad, mm. `inner` is the inside radius; the neutral fibre's is width / angle. */
  bend: { angle: number; up: boolean; inner: number; width: number } | null;
  cone: { apex: P2; half: number; sweep: number; up: boolean; slant: number } | null;
  /** Its border on the flat, hinges included. */
  region: Contour[];
  bendNumber: number;
  /** The borders are strips side by side, as a sharp bend leaves them. */
  strips: boolean;
}

/** A designed edge of the skin with its course as points, to be found again by the folded flat. */
export interface DesignedEdge {
  patch: number;
  /** Points along it, xyz, and where each lies on the flat, xy. */
  points: number[];
  flat: number[];
  /** Measured through the design at each of them, to its own other side. */
  thickness: number[];
}

/** A flat pattern with all that is needed to fold it again. */
export interface Pattern {
  thickness: number;
  spread: number;
  /** The flat in layers: outline, holes, bend lines and what was asked for. */
  drawing: Drawing;
  box: [number, number, number, number];
  area: number;
  length: number;
  holes: number;
  bends: Bend[];
  features: Feature[];
  /** Where the fixed wall stands in the design: origin, X, Y and outward normal of the up side. */
  root: { at: Vec3; x: Vec3; y: Vec3; normal: Vec3 };
  patches: PatternPatch[];
  edges: DesignedEdge[];
  /** Largest deviation of fitted curves, measured. */
  deviation: number;
  /** Surfaces found on a mesh lie this near its triangles; an exact source's own surfaces and edges agree within this; mm. */
  fit: number;
  /** Unfolded from exact surfaces, not from a mesh. */
  exact: boolean;
  flatAlready: boolean;
  findings: Finding[];
  choice: FlattenChoice;
  foldBack: FoldBack | null;
  /** Reliefs that were put on it, each as its points: there the flat is not the design's. */
  reliefs?: P2[][];
  /** What a press brake needs for each bend, where it was asked. */
  press?: Pressed[];
  /** Volume of the design, mm3. */
  volume: number;
}

declare module '../curves/drawing.ts' {
  interface Drawing {
    /** How it folds, when it is the flat of a sheet part and nothing was changed in it since. */
    pattern?: Pattern;
  }
}
