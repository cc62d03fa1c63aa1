import { sideDown } from '../stance/stance.ts';
import { clear, type Step } from './step.ts';

/** How a solid or mesh stands on the bed. */
export const stanceStep: Step<'Stance'> = {
  id: 'Stance',
  column: 'Form',
  beforeFile: true,
  state: ({ recipe: { stance } }) => clear(`${sideDown(stance.turn)} down`.replace('tilted down', 'tilted'), stance.how),
};
