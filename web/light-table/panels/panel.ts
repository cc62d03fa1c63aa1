import type { StepName } from 'tall-kite/steps/registry';
import type { PartView } from '@tall-kite/server/jobs/part-views';
import type { JobTools } from '@/shell/useJob.ts';

/** What every step's controls get. */
export interface PanelProps {
  part: PartView;
  tools: JobTools;
  go: (step: StepName) => void;
}

/** Saves a new recipe, named for the history. */
export function saveRecipe({ part, tools }: Pick<PanelProps, 'part' | 'tools'>, what: string, change: Partial<PartView['recipe']>): void {
  void tools.change(part, what.slice(0, 80), { recipe: { ...part.recipe, ...change } });
}
