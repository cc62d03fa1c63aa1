import { takesOf } from '../receivers/receivers.ts';
import type { PlanPart, ReleaseLine } from './recipe.ts';

/** Why a part that a line takes gives no file: told in the report as a look, no error. */
export interface Skip {
  code: string;
  message: string;
  remedy: string;
}

/** Whether a part's kind suits a line, as far as that is known before making; null when it does. */
export function misfit(part: PlanPart, line: ReleaseLine): Skip | null {
  const { receiver } = line;
  const { kind } = part.summary;
  if (line.flatten && kind === 'drawing')
    return { code: 'already-flat', message: 'It is a drawing already, not a folded part.', remedy: 'Give it a line without flatten.' };
  const takes = takesOf(receiver);
  if (kind === 'drawing' && takes === 'tubes')
    return {
      code: 'no-tube',
      message: `${receiver.name} (${receiver.process}) bends tubes, and this is a drawing.`,
      remedy: 'Give it a line for a laser, a router or a plotter.',
    };
  if (kind === 'drawing' && takes === 'solids')
    return {
      code: 'no-volume',
      message: `${receiver.name} (${receiver.process}) prints solids, and this is a drawing.`,
      remedy: 'Send it to a laser or router, or raise it first.',
    };
  if (kind !== 'drawing' && takes === 'drawings' && !line.flatten)
    return {
      code: 'not-flat',
      message: `${receiver.name} (${receiver.process}) takes drawings, and this is a ${kind}.`,
      remedy: 'Unfold it (flatten), or draw it flat first.',
    };
  return null;
}
