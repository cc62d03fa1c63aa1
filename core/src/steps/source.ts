import { clear, type Step } from './step.ts';

const kinds = { solid: '1 solid', mesh: 'mesh', drawing: 'drawing' };

/** What came in. */
export const sourceStep: Step<'Source'> = {
  id: 'Source',
  column: 'Source',
  beforeFile: true,
  state: ({ summary }) => clear(summary.format, `${kinds[summary.kind]}, ${summary.unit ?? 'no unit'}`),
};
