import { worst, type Finding, type Severity } from '../base/finding.ts';
import type { PartSummary } from '../model/design.ts';
import type { Evidence } from '../prove/evidence.ts';
import type { Recipe } from '../recipe/recipe.ts';

/** A part as its steps see it. */
export interface PartState {
  summary: PartSummary;
  findings: Finding[];
  recipe: Recipe;
  quantity: number;
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
  /** Which parts have it; all when left out. */
  for?(summary: PartSummary): boolean;
  /** Column of the ledger that it stands in; null for one that only the thread shows. */
  column: string | null;
  /** Whether a stop in it keeps the file from being written. */
  beforeFile: boolean;
  /** A way that need not be taken: the thread goes on past it. */
  optional?: true;
  state(part: PartState, file: FileStateOf | null): Cell;
}

export const isDrawing = (summary: PartSummary): boolean => summary.kind === 'drawing';
export const isShape = (summary: PartSummary): boolean => summary.kind !== 'drawing';

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
