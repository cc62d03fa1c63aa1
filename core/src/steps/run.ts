import { clear, notReached, type Step } from './step.ts';

/** A tube as straights and bends: what it is called; its table and files are on the page of the job's tubes. */
export const runStep: Step<'Run'> = {
  id: 'Run',
  column: 'Form',
  beforeFile: false,
  state: ({ summary }) => {
    const tube = summary.survey?.tube;
    return tube ? clear(tube, 'its table is on the page Tubes') : notReached('looked for on the page Tubes', 'not looked for yet');
  },
};
