import type { Finding } from '../findings/finding.ts';
import type { Box } from '../geometry/box.ts';
import type { Mesh } from '../geometry/mesh.ts';
import type { TreeNode } from '../kernel/open-step.ts';
import type { Survey } from '../facets/survey.ts';

/** What is known of a part without its geometry: enough for the ledger. Lengths in mm, as the file's numbers were read. */
export interface PartSummary {
  name: string;
  path: string[];
  kind: 'solid' | 'mesh';
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
  /** What was done to the part here, in order, in words. */
  made?: string[];
  /** A small drawing: an SVG path in a box of 46 by 46; set when the view was made. */
  thumb?: string;
}

export type Geometry = { kind: 'solid'; brep: string } | { kind: 'mesh'; mesh: Mesh };

export interface DesignPart {
  summary: PartSummary;
  geometry: Geometry;
  findings: Finding[];
}

export type DesignFormat = 'STEP' | 'IGES' | 'STL' | 'OBJ' | 'PLY' | '3MF';

/** What was read from one source file. */
export interface Design {
  format: DesignFormat;
  version: string;
  unit: string | null;
  tree: TreeNode[];
  parts: DesignPart[];
  findings: Finding[];
}
