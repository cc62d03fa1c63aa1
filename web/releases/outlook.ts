import { counted } from 'tall-kite/base/figures';
import type { PlanView } from '@tall-kite/server/releases/releases';

/** What is said of a plan. */
export interface Outlook {
  /** Whether it can be begun, and what its button says. */
  can: boolean;
  words: string;
  counts: string;
  /** Names that several files would have; null where each has its own. */
  clash: { mark: 'look' | 'stop'; names: string; first: string; files: number; remedy: string } | null;
  /** So many rows are not shown. */
  more: number;
}

/**
 * @param plan null while there is none, or it was refused
 * @param clashes of the last plan: they stay while another is on its way
 * @param stops whether names that clash keep the release from being made
 */
export function outlookOf(plan: PlanView | null, clashes: PlanView['clashes'], stops: boolean): Outlook {
  const [first] = clashes;
  const stopped = stops && clashes.length > 0;
  const remedy = stopped ? 'Add a piece that tells them apart, or let them be numbered.' : 'They are numbered; add a piece to tell them apart by sense.';
  return {
    can: plan !== null && plan.files > 0 && !stopped,
    words: `Make ${plan ? counted(plan.files, 'file') : 'files'}`,
    counts: plan ? `${counted(plan.files, 'file')}${plan.skipped > 0 ? `, ${plan.skipped} skipped` : ''}` : '',
    clash: first
      ? {
          mark: stopped ? 'stop' : 'look',
          names: clashes.length === 1 ? 'One name' : `${clashes.length} names`,
          first: first.name,
          files: first.rows.length,
          remedy,
        }
      : null,
    more: plan ? plan.files + plan.skipped - plan.rows.length : 0,
  };
}
