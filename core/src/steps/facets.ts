import { countText } from '../base/figures.ts';
import { clear, type Step } from './step.ts';

/** How near facets lie to exact surfaces. */
export const facetsStep: Step<'Facets'> = {
  id: 'Facets',
  column: 'Form',
  beforeFile: true,
  state: ({ summary, recipe }) => {
    if (summary.kind === 'mesh') return clear('as it came', `${countText(summary.triangles ?? 0)} triangles`);
    const { deviation, angle, budget } = recipe.facets;
    return budget ? clear('by budget', `${countText(budget.most)} ${budget.kind} at most`) : clear(`≤ ${deviation} mm`, `turn ${angle}° at most`);
  },
};
