import type { LetteringOrigin } from '../text/lettering.ts';
import type { Pressed, Bend, Feature, FoldBack } from './flat.ts';
import type { PatchFigures } from './patch.ts';
import type { ReliefOrigin } from '../reliefs/origin.ts';
import type { Drawing, SegmentCounts } from '../curves/drawing.ts';
import type { Finding } from '../base/finding.ts';
import type { Loss } from '../base/loss.ts';
import type { Box } from '../geometry/box.ts';
import type { PictureOrigin } from '../trace/origin.ts';
import type { Mesh } from '../geometry/mesh.ts';
import type { Survey } from '../surfaces/survey.ts';

/** What is known of a part without its geometry: enough for the ledger. Lengths in mm, as the file's numbers were read. */
export interface PartSummary {
  name: string;
  path: string[];
  kind: 'solid' | 'mesh' | 'drawing';
  quantity: number;
  colour: string | null;
  box: Box;
  volume: number;
  area: number;
  centre: [number, number, number];
  faces: number | null;
  triangles: number | null;
  shells: number;
  openEdges: number | null;
  /** Length of all open edges, in the same numbers as `box`; absent when there are none. */
  openLength?: number;
  nonManifoldEdges: number | null;
  flippedEdges: number | null;
  degenerateTriangles: number | null;
  /** Surfaces found; null for meshes. */
  survey: Survey | null;
  /** Unit that the file gave, null when it has none. */
  unit: string | null;
  format: string;
  partNumber?: string | null;
  /** Where copies stand in the design (12 numbers each: rows of rotation and shift, mm); one identity when nothing says so. */
  places?: number[][];
  /** Where in the design's tree it occurs: names above it from the top down, and how often there. Absent: under `path` only. */
  branches?: Branch[];
  /** For each of `places` the branch (index) in which it stands. */
  placeBranches?: number[];
  /** What was done to the part here, in order, in words. */
  made?: string[];
  /** Figures of a drawing; null or absent for solids and meshes. */
  drawing?: DrawingFigures | null;
  /** Figures of a flat pattern; absent for other drawings. */
  flat?: FlatFigures | null;
  /** Figures of a spread surface; absent for other drawings. */
  patch?: PatchFigures;
  /** How reliefs were set into the stock that this block is; absent for others. */
  relief?: ReliefOrigin;
  /** The picture that a drawing was made of, and how; absent for other drawings. */
  traced?: Omit<PictureOrigin, 'edge'>;
  /** The words that a drawing was made of; absent for other drawings. */
  lettered?: LetteringOrigin;
  /** What the source shows and reading left out: told in the evidence of every file made from the part. */
  lost?: Finding[];
  /** A small drawing: an SVG path in a box of 46 by 46; set when the view was made. */
  thumb?: string;
  /** SHA-256 of a small shaded picture (WebP); for solids and meshes, set when the view was made. */
  picture?: string;
}

/** One branch of a design's tree, and how many copies of a part hang there. */
export interface Branch {
  above: string[];
  quantity: number;
}

/** What is known of a drawing without its curves. Lengths in mm as the numbers were read. */
export interface DrawingFigures {
  layers: { name: string; colour: string | null; contours: number }[];
  contours: number;
  openContours: number;
  /** The nearest gaps, mm, smallest first. */
  gaps: number[];
  holes: number;
  islands: number;
  length: number;
  /** Outer less holes, mm2. */
  area: number;
  segments: SegmentCounts;
  doubles: number;
  overlaps: number;
  crossings: number;
  touches: number;
  zero: number;
  tiny: number;
  nearlyFull: number;
  splinters: number;
  points: number;
  texts: number;
}

/** What is known of a flat pattern without its curves. Lengths in mm, weights in g. */
export interface FlatFigures {
  thickness: number;
  spread: number;
  bends: Bend[];
  features: Pick<Feature, 'kind' | 'side' | 'size' | 'height' | 'hole' | 'leftOut'>[];
  foldBack: FoldBack;
  box: [number, number, number, number];
  /** mm2. */
  area: number;
  length: number;
  holes: number;
  material: string;
  weight: number | null;
  deviation: number;
  /** How near surfaces were found on a mesh; 0 for exact solids. */
  fit: number;
  grain: 'any' | 'across' | 'along';
  flatAlready: boolean;
  /** What a press brake needs for each bend; absent when nobody asked. */
  press?: Pressed[];
}

/** A solid or a mesh. */
export type Shape = { kind: 'solid'; brep: string } | { kind: 'mesh'; mesh: Mesh };
export type Geometry = Shape | { kind: 'drawing'; drawing: Drawing };

export interface DesignPart {
  summary: PartSummary;
  geometry: Geometry;
  findings: Finding[];
}

/** What people call the format of a file (`formats/registry.ts`). */
export type DesignFormat = string;

/** A node of the assembly tree as the file has it. */
export interface TreeNode {
  name: string;
  colour: string | null;
  /** Which parts (indices into the list) hang here. */
  parts: number[];
  children: TreeNode[];
}

/** What was read from one source file. */
export interface Design {
  format: DesignFormat;
  version: string;
  unit: string | null;
  tree: TreeNode[];
  parts: DesignPart[];
  findings: Finding[];
  /** Entities of a drawing that were not taken, with how many and why. */
  leftOut?: Loss[];
}
