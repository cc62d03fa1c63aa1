import type { Vec3 } from '../geometry/vector.ts';

/** Figures of how a flat lies to its surface; stretches are flat over surface. Places are on the surface, mm. */
export interface PatchStretch {
  largest: number;
  least: number;
  largestAt: Vec3;
  leastAt: Vec3;
  areaLargest: number;
  areaLeast: number;
  /** Largest over least of any flat of a cap of the same curvature: no flat has less. Null for saddles. Source: Milnor 1969. */
  bound: number | null;
  /** What the material does on the surface: how much longer along and across the grain at most, and how far it shears, degrees. */
  along: number;
  across: number;
  shear: number;
}

/** A relief cut that was looked for, with what it saves: root mean square of stretch before and after, as rigid as possible, a share. */
export interface ProposedCut {
  from: Vec3;
  to: Vec3;
  length: number;
  /** Null where it was closed all round before. */
  before: number | null;
  after: number;
}

/** Where two edges are sewn together: its length on the surface, and on the flat, one for each side; mm. */
export interface SeamFigures {
  name: string;
  length: number;
  flat: number[];
}

/** An edge of the border that was to keep its length: on the surface and on the flat, mm. */
export interface KeptEdge {
  length: number;
  flat: number;
}

/** How fine the facets are: longest side that was asked for, mm, how many there are, and how far they lie off the exact faces, mm. */
export interface FacetFigures {
  size: number;
  count: number;
  deviation: number;
}

/** What is known of a patch without its triangles. */
export interface PatchFigures {
  pieces: { name: string; exact: boolean; stretch: PatchStretch; area: number; flatArea: number; box: [number, number] }[];
  seams: SeamFigures[];
  cuts: ProposedCut[];
  /** Absent in what was kept before there were such edges. */
  kept?: KeptEdge[];
  facets: FacetFigures;
  area: number;
  flatArea: number;
  /** Of all pieces. */
  stretch: PatchStretch;
  deviation: number;
}
