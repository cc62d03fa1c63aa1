import { counted, lengthText } from '../base/figures.ts';
import { clear, type Step } from './step.ts';

/** The words that a drawing is made of; only drawings of one's own words have it. */
export const wordsStep: Step<'Words'> = {
  id: 'Words',
  column: 'Source',
  beforeFile: true,
  only: ({ lettered }) => lettered !== undefined,
  state: ({ summary }) => {
    const { letters, count, cap } = summary.lettered!;
    return clear(counted(count, 'letter'), `${letters}, H ${lengthText(cap)} mm`);
  },
};
