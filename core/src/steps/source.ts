import { isPatch } from '../model/is-patch.ts';
import { clear, type Step } from './step.ts';

const kinds = { solid: '1 solid', mesh: 'mesh', drawing: 'drawing' };

/** What came in. */
export const sourceStep: Step<'Source'> = {
  id: 'Source',
  column: 'Source',
  beforeFile: true,
  state: ({ summary }) => clear(summary.format, `${isPatch(summary) ? 'patch' : kinds[summary.kind]}, ${summary.unit ?? 'no unit'}`),
};
