import type { DrawingRecipe } from 'tall-kite/model/drawing-recipe';
import { saveRecipe, type PanelProps } from '@/light-table/panels/panel.ts';

/** Saves a change of how a drawing is made ready, named for the history. */
export function saveDrawing({ part, tools }: Pick<PanelProps, 'part' | 'tools'>, what: string, change: Partial<DrawingRecipe>): void {
  saveRecipe({ part, tools }, `${what} of ${part.name}`, { drawing: { ...part.recipe.drawing!, ...change } });
}

/** A number as people type it, or null. */
export const typedNumber = (text: string): number | null => {
  const v = Number(text.trim().replace(',', '.'));
  return text.trim() === '' || !Number.isFinite(v) ? null : v;
};
