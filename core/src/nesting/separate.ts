import type { Budget } from './budget.ts';
import type { Layout } from './layout.ts';
import { shuffle } from './random.ts';
import { bestPlace, usualTries, type Tries } from './search.ts';

export interface SeparateHow {
  /** Rounds without a better result before the best one is gone back to. */
  patience: number;
  /** So often in a row without much gain, and it is given up. */
  strikes: number;
  tries: Tries;
}
export const usualSeparate: SeparateHow = { patience: 100, strikes: 2, tries: usualTries };

/** A budget, and the share of it that may be used up at the end. */
export interface Spending {
  budget: Budget;
  share: number;
}

/**
 * Moves pieces until none overlaps another: true when that was reached. Else the layout is left at the least overlap that was seen.
 * Source: guided local search for overlap, Egeblad et al., 2007; Umetani et al., 2009; its rounds and strikes: Gardeyn and Wauters, 2025.
 */
export function separate(layout: Layout, random: () => number, { budget, share }: Spending, how: SeparateHow = usualSeparate): boolean {
  let least = layout.total();
  if (least === 0) return true;
  let best = layout.saved();
  for (let strikes = 0; strikes < how.strikes;) {
    const before = least;
    for (let idle = 0; idle < how.patience;) {
      round(layout, random, how.tries);
      const total = layout.total();
      if (total === 0) return true;
      if (total < least) {
        if (total < least * 0.98) idle = 0;
        least = total;
        best = layout.saved();
      } else idle++;
      layout.reweigh();
      budget.round();
      if (budget.over(share)) {
        layout.restore(best);
        return false;
      }
    }
    if (least < before * 0.98) strikes = 0;
    else strikes++;
    layout.restore(best);
  }
  return false;
}

/** Every piece that overlaps is moved once to the best place found for it, if that is better. */
function round(layout: Layout, random: () => number, tries: Tries): void {
  const list: number[] = [];
  for (let i = 0; i < layout.places.length; i++) if (layout.clashing(i)) list.push(i);
  for (const i of shuffle(list, random)) {
    const now = layout.burden(i);
    if (now === 0) continue;
    const found = bestPlace(layout, i, random, tries);
    if (found && found.burden < now) layout.move(i, { variant: found.variant, room: found.room, x: found.x, y: found.y });
  }
}
