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
  if (kind === 'drawing' && !receiver.cutter)
    return {
      code: 'no-volume',
      message: `${receiver.name} (${receiver.process}) prints solids, and this is a drawing.`,
      remedy: 'Send it to a laser or router, or raise it first.',
    };
  if (kind !== 'drawing' && receiver.cutter && !line.flatten)
    return {
      code: 'not-flat',
      message: `${receiver.name} (${receiver.process}) takes drawings, and this is a ${kind}.`,
      remedy: 'Unfold it (flatten), or draw it flat first.',
    };
  return null;
}
