import { isShape, notReached, type Step } from './step.ts';

/** Unfolded as a sheet part, or drawn: what comes of it is a drawing of its own beside the part. */
export const flatStep: Step<'Flat'> = {
  id: 'Flat',
  for: isShape,
  column: null,
  beforeFile: false,
  optional: true,
  state: () => notReached('unfold it, or draw a view'),
};
