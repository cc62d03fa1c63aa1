import { notReached, type Step } from './step.ts';

/** A drawing as a board; its layers and files are on the page Board. */
export const boardStep: Step<'Board'> = {
  id: 'Board',
  column: 'Form',
  beforeFile: false,
  state: () => notReached('made on the page Board', 'not made yet'),
};
