import type { Box } from '../geometry/box.ts';
import type { Mesh } from '../geometry/mesh.ts';
import type { Placement } from '../geometry/placement.ts';
import type { Affine } from '../curves/affine.ts';
import type { Drawing, TextMark } from '../curves/drawing.ts';
import type { Box2 } from '../curves/measure.ts';
import type { P2 } from '../curves/segment.ts';
import type { FacetAllowance } from '../facets/allowance.ts';
import type { DrawingRecipe } from '../model/drawing-recipe.ts';
import type { DxfVersion } from '../model/dxf-version.ts';
import type { FileFormat } from '../receivers/receivers.ts';
import type { Patch } from '../patches/patch.ts';
import type { Pattern } from '../sheet/pattern.ts';
import type { ExactSolid } from '../surfaces/brep-text.ts';

/** What is meant: the figures that the received file is held against. Lengths in mm, after size and stance. */
export interface Designed {
  box: Box;
  volume: number;
  area: number;
  centre: [number, number, number];
  shells: number;
  closed: boolean;
  side: string;
  /** The promise, mm. */
  deviation: number;
  mostTriangles: number;
  triangles: number;
  format: FileFormat;
  encoding: 'binary' | 'ascii';
  unit: string;
  name: string;
  placement: Placement;
  scale: number;
  /** The exact surfaces and which triangles stand for which face; null for a mesh. */
  exact: { solid: ExactSolid; starts: Uint32Array } | null;
  /** The mesh meant: corner by corner what is written, unless the format carries exact surfaces. */
  mesh: Mesh;
  /** What the facets themselves differ from the exact surfaces, measured, mm; 0 for a mesh. */
  facetDeviation: number;
  /** Whether triangles are received in the order in which they were written. */
  ordered: boolean;
  /** Faces of the exact solid, when the file carries exact surfaces. */
  faces: number | null;
  /** What the facets may differ from the design in volume (mm3) and area (mm2), from what was measured on them; zeros for a mesh. */
  allowance: FacetAllowance;
  /** Holes that go through: of a solid from its faces, edges and vertices, of a mesh from its triangles; null when that can't be said. */
  holes: number | null;
  /** Shells that enclose a void. */
  voids: number;
  /** Points on or near the design's surface (three numbers each) that the received surface has to pass, and how near they are to it, mm. */
  samples: { points: Float64Array; within: number } | null;
}

/** What is meant by a drawing's file. Lengths in mm at the machine. */
export interface DesignedDrawing {
  /** All contours as they are to arrive, in layers named as written. */
  drawing: Drawing;
  box: Box2;
  format: FileFormat;
  version: DxfVersion;
  unit: string;
  /** Largest deviation that fitting was allowed, and what it measured, mm. */
  allowed: number;
  fitted: number;
  layers: { name: string; contours: number }[];
  name: string;
  stock: DrawingRecipe['stock'];
  /** The point of the drawing that lies at the low left corner of the page (SVG, PDF); zero in DXF. */
  origin: P2;
  /** Distance within which the format itself can only say some of the curves in another way, mm; 0 when it says all of them exactly. */
  approximated: number;
  /** Writing, as it is to arrive. */
  texts: TextMark[];
  /** How deep a router is to go on each layer that names a depth, mm, and on how many contours. */
  depths: { layer: string; depth: number; contours: number }[];
  /** Names of layers that are not cut through. */
  uncut: string[];
  /** How the drawing folds, with the flat as kept and the map from it to the machine; null when kerf, tabs or reliefs changed the outline. */
  fold: { pattern: Pattern; drawing: Drawing; map: Affine } | null;
  /** The surface that it was spread from, and the map from the drawing to the machine; null when kerf, tabs or reliefs changed the outline. */
  patch: { patch: Patch; map: Affine } | null;
  /** Places on the edge of the picture that it was made of, xy at the machine, and how far the contours lie off them, mm; null when there is none, or the contours were moved on purpose. */
  traced: { edge: number[]; largest: number } | null;
}
