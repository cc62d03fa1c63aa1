import type { Finding } from '../base/finding.ts';
import type { P2 } from '../curves/segment.ts';
import type { FacetFigures, KeptEdge, PatchFigures, PatchStretch, ProposedCut, SeamFigures } from '../model/patch.ts';
import type { Run } from './pieces.ts';
import type { SpreadChoice } from './choice.ts';

/** A piece of cloth, film or sheet: its part of the surface, and where that lies on the flat. */
export interface PatchPiece {
  name: string;
  /** On the surface, 3 numbers a vertex, and on the drawing, 2 numbers a vertex; mm. */
  surface: number[];
  flat: number[];
  triangles: number[];
  loops: Run[][];
  /** It unrolls: nothing is stretched. */
  exact: boolean;
  stretch: PatchStretch;
  /** mm2, on the surface and on the flat. */
  area: number;
  flatArea: number;
  /** Middle of the piece on the drawing, where its name stands. */
  at: P2;
}

/** A side of a seam: the piece, its border loop and the run along it. */
export interface SeamSide {
  piece: number;
  loop: number;
  run: number;
}

export interface PatchSeam extends SeamFigures {
  sides: SeamSide[];
}

/** Both sides of a seam may differ by this, and each from its length on the surface, mm. */
export const seamSlack = 0.01;

/** How flat pieces lie to the surface that they were spread from: what a file of them is held against. */
export interface Patch {
  pieces: PatchPiece[];
  seams: PatchSeam[];
  cuts: ProposedCut[];
  /** Edges of the border that were to keep their length; absent: none. */
  kept?: KeptEdge[];
  facets: FacetFigures;
  choice: SpreadChoice;
  /** Largest distance of the drawn lines from the flat's own border, measured, mm. */
  deviation: number;
  findings: Finding[];
}

declare module '../curves/drawing.ts' {
  interface Drawing {
    /** The surface that it was spread from, when nothing was changed in it since. */
    patch?: Patch;
  }
}

/** The layer of lines that somebody drew on the surface. */
export const drawnLayer = 'LINES';

/** Stretch of all pieces: the worst of each. */
export function wholeStretch(pieces: readonly Pick<PatchPiece, 'stretch'>[]): PatchStretch {
  const all = pieces.map((p) => p.stretch);
  const most = all.reduce((a, b) => (b.largest > a.largest ? b : a));
  const few = all.reduce((a, b) => (b.least < a.least ? b : a));
  const bounds = all.map((s) => s.bound);
  return {
    largest: most.largest,
    least: few.least,
    largestAt: most.largestAt,
    leastAt: few.leastAt,
    areaLargest: Math.max(...all.map((s) => s.areaLargest)),
    areaLeast: Math.min(...all.map((s) => s.areaLeast)),
    bound: bounds.includes(null) ? null : Math.max(...(bounds as number[])),
    along: Math.max(...all.map((s) => s.along)),
    across: Math.max(...all.map((s) => s.across)),
    shear: Math.max(...all.map((s) => s.shear)),
  };
}

export function patchFigures({ pieces, seams, cuts, kept = [], facets, deviation }: Patch): PatchFigures {
  return {
    pieces: pieces.map((p) => ({ name: p.name, exact: p.exact, stretch: p.stretch, area: p.area, flatArea: p.flatArea, box: sizeOf(p.flat) })),
    seams: seams.map(({ name, length, flat }) => ({ name, length, flat })),
    cuts,
    kept,
    facets,
    area: pieces.reduce((n, p) => n + p.area, 0),
    flatArea: pieces.reduce((n, p) => n + p.flatArea, 0),
    stretch: wholeStretch(pieces),
    deviation,
  };
}

/** Width and height of flat points, mm. */
export function sizeOf(flat: ArrayLike<number>): [number, number] {
  const [left, bottom, right, top] = boxOfFlat(flat);
  return [right - left, top - bottom];
}

export function boxOfFlat(flat: ArrayLike<number>): [number, number, number, number] {
  const box: [number, number, number, number] = [Infinity, Infinity, -Infinity, -Infinity];
  for (let i = 0; i < flat.length; i += 2) {
    box[0] = Math.min(box[0], flat[i]);
    box[1] = Math.min(box[1], flat[i + 1]);
    box[2] = Math.max(box[2], flat[i]);
    box[3] = Math.max(box[3], flat[i + 1]);
  }
  return box;
}
