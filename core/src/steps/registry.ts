import type { PartSummary } from '../model/design.ts';
import { facetsStep } from './facets.ts';
import { fileStep } from './file.ts';
import { flatStep } from './flat.ts';
import { layersStep } from './layers.ts';
import { receivedStep } from './received.ts';
import { sheetStep } from './sheet.ts';
import { sizeStep } from './size.ts';
import { soundnessStep } from './soundness.ts';
import { sourceStep } from './source.ts';
import { stanceStep } from './stance.ts';
import { notReached, type Cell, type FileStateOf, type PartState, type Step } from './step.ts';

/** Every step, in the order of the thread. A part has those that are for its kind. */
const all = [sourceStep, sizeStep, soundnessStep, stanceStep, sheetStep, facetsStep, layersStep, flatStep, fileStep, receivedStep] as const;

export type StepName = (typeof all)[number]['id'];
export const steps = all as readonly Step<StepName>[];

/** A step of a part with what it shows, and how far the thread runs. */
export interface StepState extends Cell {
  step: StepName;
  column: string | null;
  beforeFile: boolean;
  optional: boolean;
}

/** Columns of the ledger, in the order of the thread. */
export const columns: readonly string[] = [...new Set(steps.flatMap((s) => s.column ?? []))];

/** The steps that a part has. */
export const stepsFor = (summary: PartSummary): readonly Step<StepName>[] => steps.filter((s) => s.for?.(summary) ?? true);

/** The steps of a part with what they show. Steps after a stop are not reached. */
export function stepsOf(part: PartState, file: FileStateOf | null): StepState[] {
  const shown = stepsFor(part.summary).map(({ id, column, beforeFile, optional = false, state }): StepState => {
    return { step: id, column, beforeFile, optional, ...state(part, file) };
  });
  const stopped = shown.findIndex((s) => s.mark === 'stop');
  if (stopped < 0 || file?.evidence) return shown;
  return shown.map((s, i) => (i > stopped ? { ...s, ...notReached() } : s));
}

/** Whether a stop keeps the part's file from being written. */
export const isStopped = (list: readonly StepState[]): boolean => list.some((s) => s.beforeFile && s.mark === 'stop');

/** The step of an address ("facets"): by its name, else the one of the part that stands in that column. */
export function stepNamed(word: string, list: readonly Pick<StepState, 'step' | 'column'>[]): StepName | null {
  const asked = word.toLowerCase();
  return (list.find((s) => s.step.toLowerCase() === asked) ?? list.find((s) => s.column?.toLowerCase() === asked))?.step ?? null;
}
