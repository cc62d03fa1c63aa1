import { lengthText, threeLengths } from '../base/figures.ts';
import type { Finding } from '../base/finding.ts';
import { readings } from '../base/readings.ts';
import { isPatch } from '../model/is-patch.ts';
import type { PartSummary } from '../model/design.ts';
import type { Receiver } from '../receivers/receivers.ts';
import { usualReading } from '../formats/registry.ts';
import { scaleOf, type Recipe } from '../recipe/recipe.ts';
import { found, isDrawing, type Cell, type PartState, type Step } from './step.ts';

const noUnit = (dims: [number, number, number]): Finding => ({
  code: 'no-unit',
  severity: 'look',
  count: 1,
  message: `Its file has no unit; read as millimetres it is ${threeLengths(dims)} mm.`,
  remedy: 'Choose the unit on the Size step when that is wrong.',
});

/** Whether the size is believable: files without a unit are judged by the receiver's bed. */
export function sizeFinding(summary: PartSummary, recipe: Recipe): Finding | null {
  const scale = scaleOf(summary, recipe);
  const dims = [0, 1, 2].map((k) => (summary.box.max[k] - summary.box.min[k]) * scale) as [number, number, number];
  const { receiver } = recipe;
  const [asMm] = readings(dims, receiver.bed);
  const chosen = recipe.size.reading !== null || summary.unit !== null || recipe.size.factor !== 1;
  if (summary.kind === 'drawing') return flatSizeFinding(summary, dims, receiver, chosen);
  // A surface that is spread need not fit a bed as it stands; its flat is asked for that.
  if (isPatch(summary) && !asMm.fitsBed) return chosen ? null : noUnit(dims);
  if (!asMm.fitsBed) {
    return {
      code: 'does-not-fit',
      severity: chosen ? 'look' : 'stop',
      count: 1,
      message: `At ${threeLengths(dims)} mm it does not fit the bed of ${receiver.name} (${receiver.bed.join(' × ')} mm).`,
      remedy: chosen ? 'Choose a larger receiver, or divide the part.' : 'Check the unit: its file has none.',
    };
  }
  if (chosen || asMm.likely === 2) return null;
  return {
    code: 'unlikely-size',
    severity: asMm.likely === 0 ? 'stop' : 'look',
    count: 1,
    message: `Read as millimetres it is ${lengthText(Math.max(...dims))} mm at its longest; the file has no unit.`,
    remedy: 'Choose the unit, or give one known length.',
  };
}

const readingWords = (unit: string): string => (unit.endsWith('dpi') ? `at ${unit.slice(0, -3)} per inch` : `as ${unit}`);

/** The same for a drawing: it may be turned on the sheet, and without a unit a look is due in any case for SVG. */
function flatSizeFinding(summary: PartSummary, dims: [number, number, number], receiver: Receiver, chosen: boolean): Finding | null {
  const [long, short] = [Math.max(dims[0], dims[1]), Math.min(dims[0], dims[1])];
  const [bedLong, bedShort] = [Math.max(receiver.bed[0], receiver.bed[1]), Math.min(receiver.bed[0], receiver.bed[1])];
  const shown = `${lengthText(dims[0])} × ${lengthText(dims[1])} mm`;
  if (long > bedLong || short > bedShort) {
    return {
      code: 'does-not-fit',
      severity: chosen ? 'look' : 'stop',
      count: 1,
      message: `At ${shown} it does not fit ${receiver.name} (${receiver.bed[0]} × ${receiver.bed[1]} mm).`,
      remedy: chosen ? 'Choose a larger machine.' : 'Check the unit: its file has none.',
    };
  }
  if (chosen || (summary.format === 'DXF' && long >= 5)) return null;
  const as = summary.format === 'SVG' ? 'at 96 per inch' : 'as millimetres';
  return {
    code: 'unlikely-size',
    severity: long < 1 ? 'stop' : 'look',
    count: 1,
    message: `Read ${as} it is ${shown}; the file has no unit.`,
    remedy: 'Compare the readings, or give one known length.',
  };
}

function state({ summary, recipe }: PartState): Cell {
  const scale = scaleOf(summary, recipe);
  const dims = [0, 1, 2].map((k) => (summary.box.max[k] - summary.box.min[k]) * scale);
  const how = summary.unit ? 'mm' : `mm, read ${readingWords(recipe.size.reading ?? usualReading(summary.format))}`;
  const factor = recipe.size.factor === 1 ? '' : `, × ${Number(recipe.size.factor.toPrecision(5))}`;
  return found(sizeFinding(summary, recipe), threeLengths(isDrawing(summary) ? dims.slice(0, 2) : dims), how + factor);
}

/** How large it is, and whether that is believable. */
export const sizeStep: Step<'Size'> = { id: 'Size', column: 'Size', beforeFile: true, state };
