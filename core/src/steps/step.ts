import { worst, type Finding, type Severity } from '../base/finding.ts';
import type { PartSummary } from '../model/design.ts';
import type { Evidence } from '../prove/evidence.ts';
import type { Recipe } from '../recipe/recipe.ts';
import type { WayId } from './way.ts';

/** A part that was made of another one here: its flat pattern, a view drawn of it, a solid raised from it. */
export interface MadePart {
  id: string;
  name: string;
  kind: PartSummary['kind'];
  /** A flat pattern that knows how it folds. */
  flat: boolean;
  /** It is a spread surface. */
  spread?: boolean;
  /** It is a block that reliefs were set into. */
  relief?: boolean;
  /** Its own cells that stand for it: size, file, received. */
  size: Cell;
  file: Cell;
  received: Cell;
}

/** A part as its steps see it. */
export interface PartState {
  summary: PartSummary;
  findings: Finding[];
  recipe: Recipe;
  quantity: number;
  /** What a person said that it is for; absent or null while nobody has. */
  ways?: readonly WayId[] | null;
  /** What was made of it here and is still in the job. */
  made?: readonly MadePart[];
}

/** The part's last file; null when none was written. */
export interface FileStateOf {
  state: 'queued' | 'writing' | 'written' | 'failed';
  fileName: string | null;
  bytes: number | null;
  evidence: Evidence | null;
  failure: { code: string; message: string; remedy: string } | null;
  stale: boolean;
  recipe: Recipe;
}

/** What a step shows of a part: the figure that decides, one line of context, and what is wrong when the mark is look or stop. */
export interface Cell {
  mark: Severity | 'none';
  figure: string;
  context: string;
  finding: Finding | null;
}

/** One step of the thread. A new one is a file like the others here, a line in `registry.ts`, and its panel on the page. */
export interface Step<Id extends string = string> {
  /** What it is called; in small letters in addresses. */
  id: Id;
  /** Column of the ledger that it stands in: those of a way that come before its file share one. */
  column: 'Source' | 'Size' | 'Soundness' | 'Form' | 'File' | 'Received';
  /** Whether a stop in it keeps the file from being written. */
  beforeFile: boolean;
  /** Which parts of its kinds have it; absent for all. */
  only?(summary: PartSummary): boolean;
  state(part: PartState, file: FileStateOf | null): Cell;
}

export const isDrawing = (summary: PartSummary): boolean => summary.kind === 'drawing';

/** A cell that nothing is wrong with. */
export const clear = (figure: string, context: string): Cell => ({ mark: 'clear', figure, context, finding: null });

/** A cell with what was found, if anything. */
export const found = (finding: Finding | null, figure: string, context: string): Cell => ({ mark: finding?.severity ?? 'clear', figure, context, finding });

/** A step that is not reached. */
export const notReached = (context = '', figure = ''): Cell => ({ mark: 'none', figure, context, finding: null });

/** The finding that decides: the first of the worst severity; null when all is clear. */
export function worstFinding(findings: readonly Finding[]): Finding | null {
  const severity = worst(findings.map((f) => f.severity));
  return severity === 'clear' ? null : (findings.find((f) => f.severity === severity) ?? null);
}

const rank = { none: 0, clear: 0, look: 1, stop: 2 };

/** The first of the worst cells, the last of them when nothing is wrong. */
export const worstOf = <C extends Cell>(cells: readonly C[]): C =>
  cells.reduce((worst, cell) => (rank[cell.mark] > rank[worst.mark] ? cell : worst), cells[cells.length - 1]);
