import type { DxfVersion } from 'tall-kite/model/dxf-version';
import type { Cutter, FileFormat } from 'tall-kite/receivers/receivers';
import type { DrawingRecipe } from 'tall-kite/model/drawing-recipe';
import { saveRecipe, type PanelProps } from '@/light-table/panels/panel.ts';

/** Saves a change of how a drawing is made ready, named for the history. */
export function saveDrawing({ part, tools }: Pick<PanelProps, 'part' | 'tools'>, what: string, change: Partial<DrawingRecipe>): void {
  saveRecipe({ part, tools }, `${what} of ${part.name}`, { drawing: { ...part.recipe.drawing!, ...change } });
}

/** Whether curves have to become lines and arcs: R12 has none, and some machines take none. */
export const mustFit = (format: FileFormat, version: DxfVersion, cutter: Pick<Cutter, 'curves'>): boolean =>
  format === 'dxf' && (version === 'R12' || !cutter.curves);

/**
 * For what a machine takes a file's numbers where that is another size than they say; null when it takes them as they are meant.
 * @param unit that the machine takes bare numbers for
 */
export function takenFor(file: { format: FileFormat; unit: string }, unit: string, cutter: Pick<Cutter, 'readsUnit' | 'perInch'>): string | null {
  if (file.format === 'dxf' && !cutter.readsUnit && file.unit !== unit) return unit;
  return file.format === 'svg' && cutter.perInch !== null && file.unit !== `${cutter.perInch}dpi` ? `${cutter.perInch} per inch` : null;
}

/** A number as people type it, or null. */
export const typedNumber = (text: string): number | null => {
  const v = Number(text.trim().replace(',', '.'));
  return text.trim() === '' || !Number.isFinite(v) ? null : v;
};
