import type { Finding } from '../base/finding.ts';
import type { TubeView } from '../bender/view.ts';
import type { BoardContour } from '../boards/meaning.ts';
import type { BoardView } from '../boards/view.ts';
import type { CutRow } from '../cutlist/row.ts';
import type { DrawingMendReport } from '../curves/mend.ts';
import type { FullSoundness } from '../mesh/soundness/full-check.ts';
import type { MendReport } from '../mesh/mend/mend.ts';
import type { FlatFigures } from '../model/design.ts';
import type { PatchFigures } from '../model/patch.ts';
import type { ReliefOrigin } from '../reliefs/origin.ts';
import type { Evidence } from '../prove/evidence.ts';
import type { TraceWay } from '../trace/choice.ts';
import type { TracedFigures } from '../trace/figures.ts';

import type { StanceCandidate } from '../stance/candidates.ts';

/** What the soundness check shows: counts, holes, shells; places are in the store. */
export type CheckReport = Omit<FullSoundness, 'where' | 'openEdgeVertices'> & {
  openEdgeVertices?: undefined;
  heavy: { times: number; deviation: number };
  thickness: { least: number; thinArea: number; bead: number; beads: number } | null;
  findings: Finding[];
};

/** Figures of a drawing, before or after it was cleaned. */
export interface CleanFigures {
  contours: number;
  open: number;
  segments: number;
  doubles: number;
  crossings: number;
  tiny: number;
  length: number;
}

export function cleanFigures(check: DrawingMendReport['before']): CleanFigures {
  return {
    contours: check.contours,
    open: check.open,
    segments: Object.values(check.segments).reduce((n, c) => n + c, 0),
    doubles: check.doubles.length + check.overlaps.length,
    crossings: check.crossings.length,
    tiny: check.tiny.length + check.zero.length,
    length: check.length,
  };
}

/** What an operation found and did. Lengths in mm of the finished part. */
export interface OperationReport {
  mend?: MendReport;
  lighter?: { before: number; after: number; measured: number; there: number; back: number };
  check?: CheckReport;
  stances?: StanceCandidate[];
  clearance?: { pairs: { a: string; b: string; how: 'apart' | 'touch' | 'overlap'; gap: number; shared: number; tightArea: number }[]; clearance: number };
  combine?: { pieces: number; note: string | null; volumeBefore: number; volumeAfter: number; exact: boolean };
  cut?: { area: number; pegs: number };
  file?: { fileName: string; sha256: string; bytes: number; evidence: Evidence };
  /** A drawing before and after: counts only, places are left out. */
  clean?: { before: CleanFigures; after: CleanFigures; moved: number };
  drawn?: { contours: number; length: number; area: number; deviation: number };
  /** Figures of a flat pattern, with where each feature stands in the part (mm). */
  flat?: FlatFigures & { places: [number, number, number][] };
  /** Figures of a spread surface. */
  patch?: PatchFigures;
  /** Figures of reliefs set into a stock. */
  relief?: ReliefOrigin;
  /** Ways to see a picture, each with what would come of it. Lengths in mm where the size is known, else in pixels at 96 an inch. */
  ways?: {
    way: TraceWay;
    contours: number;
    holes: number;
    pieces: number;
    distance: { mean: number; largest: number } | null;
    thumb: string;
    failed: string | null;
  }[];
  /** Figures of contours made of a picture. */
  traced?: TracedFigures;
  /** Rows of a cut list. */
  cutList?: CutRow[];
  /** Marks of bent tubes, and what is no tube. */
  tubes?: TubeView[];
  leftOut?: { what: string; why: string }[];
  /** A board as a shop reads it, and what each contour is on it; `more` contours are not listed. */
  board?: { view: BoardView; contours: Omit<BoardContour, 'contour'>[]; more: number };
  /** Figures of a small operation, for the page. */
  figures?: { name: string; value: number; unit: string }[];
  /** What wants a person's eye. */
  findings?: Finding[];
  /** Sentences in the past of what was done. */
  said: string[];
}
