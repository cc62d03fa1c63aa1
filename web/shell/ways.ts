import type { Recipe } from 'tall-kite/recipe/recipe';
import type { Receiver } from 'tall-kite/receivers/receivers';
import { endsInOwnFile, receiverOfWay, wayOf, waysWith, type WayId } from 'tall-kite/steps/way';
import type { PartView } from '@tall-kite/server/jobs/part-views';
import type { Fields } from './useChanges.ts';

/** A drawing's file follows the machine: its first format and version, and numbers as it takes them. */
function suited(recipe: Recipe, { formats, cutter }: Receiver): Partial<Recipe> {
  if (!cutter || !recipe.drawing) return {};
  const format = formats.includes(recipe.file.format) ? recipe.file.format : formats[0];
  const version =
    format !== 'dxf' || cutter.versions.includes(recipe.drawing.version) ? recipe.drawing.version : (cutter.versions[cutter.versions.length - 1] ?? '2000');
  const unit = format === 'svg' && cutter.perInch !== null ? `${cutter.perInch}dpi` : 'mm';
  return { file: { ...recipe.file, format, unit }, drawing: { ...recipe.drawing, version } };
}

/** A part's recipe for a machine. */
export const recipeFor = (recipe: Recipe, receiver: Receiver): Recipe => ({ ...recipe, receiver, ...suited(recipe, receiver) });

/** The ways of a part, by name alone. */
export const waysTaken = (part: Pick<PartView, 'strands'>): WayId[] => part.strands.map((s) => s.way);

/** What changes when a part is to go a way as well; a sentence when no machine does that. */
export function fieldsForWay(part: PartView, way: WayId, receivers: readonly Receiver[]): Fields | string {
  const { kind } = part.summary;
  const fields: Fields = { ways: waysWith(waysTaken(part), way, kind) };
  if (!endsInOwnFile(way, kind) || wayOf(part.recipe.receiver) === way) return fields;
  const receiver = receiverOfWay(way, kind, receivers);
  return receiver ? { ...fields, recipe: recipeFor(part.recipe, receiver) } : 'No machine of yours does this. Add one on the page Receivers.';
}

/** What changes when a part is not to go a way any more; null when it is the last one. */
export function fieldsWithout(part: PartView, way: WayId): Fields | null {
  const rest = waysTaken(part).filter((w) => w !== way);
  return rest.length > 0 ? { ways: rest } : null;
}
