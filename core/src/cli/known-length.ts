import { Unusable } from '../base/finding.ts';
import { factorFor } from '../base/readings.ts';
import type { PartSummary } from '../model/design.ts';
import { scaleOf, type Recipe } from '../recipe/recipe.ts';

/** The factor that makes one side of a part as long as it is known to be, and what must have happened. @throws Unusable for a side of no length. */
export function knownFactor(part: PartSummary, recipe: Recipe, { axis, length }: { axis: 0 | 1 | 2; length: number }) {
  const measured = (part.box.max[axis] - part.box.min[axis]) * scaleOf(part, recipe);
  const side = ['wide', 'high', 'long along z'][axis];
  if (!(measured > 0)) throw new Unusable('no-length', `"${part.name}" is 0 mm ${side}.`, 'Name another side.');
  const { factor, name } = factorFor(measured, length);
  const said = `${part.name}: ${measured.toFixed(3)} mm ${side} as it was read, ${length} mm in truth: times ${Number(factor.toPrecision(7))}, ${name ?? 'which is no unit that is known'}.`;
  return { measured, factor, name, said };
}
