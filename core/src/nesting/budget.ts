/** How long may be searched: by rounds, which give the same result every time, or by seconds; and a person may stop it. */
export interface BudgetLimits {
  rounds?: number;
  seconds?: number;
  stopped?: () => boolean;
}

/** What a search asks before it goes on. */
export interface Budget {
  /** One round was done. */
  round(): void;
  /** Whether that share of it (1: all) is used up. */
  over(share: number): boolean;
}

/** Rounds that are searched when nobody says anything: some seconds for a case of thirty panels. */
export const usualRounds = 150;

/** @example budgetOf({ rounds: 400 }) */
export function budgetOf({ rounds, seconds, stopped }: BudgetLimits): Budget {
  const most = rounds ?? (seconds === undefined ? usualRounds : Infinity);
  const begun = performance.now();
  let done = 0;
  return {
    round: () => void done++,
    over: (share) => done >= most * share || (seconds !== undefined && performance.now() - begun >= seconds * 1000 * share) || (stopped?.() ?? false),
  };
}

/** A share of a budget as one of its own, begun now. `from` and `to` are shares of the whole. */
export const partOf = (budget: Budget, from: number, to: number): Budget => ({
  round: () => budget.round(),
  over: (share) => budget.over(from + (to - from) * share),
});
