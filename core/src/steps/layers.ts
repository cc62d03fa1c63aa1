import { counted } from '../base/figures.ts';
import { clear, type Step } from './step.ts';

/** What each contour of a drawing is for, and what the tool needs: kerf, tabs, reliefs. */
export const layersStep: Step<'Layers'> = {
  id: 'Layers',
  column: 'Form',
  beforeFile: true,
  state: ({ summary, recipe }) => {
    const { kerf, tabs, relief } = recipe.drawing!;
    const { segments, layers } = summary.drawing!;
    const pieces = Object.values(segments).reduce((n, v) => n + v, 0);
    const extras = [kerf > 0 ? `kerf ${kerf} mm` : 'on the line', tabs ? `${tabs.count} tabs` : '', relief ? `reliefs ${relief} mm` : ''];
    return clear(extras.filter(Boolean).join(', '), `${pieces.toLocaleString('en')} pieces, ${counted(layers.length, 'layer')}`);
  },
};
