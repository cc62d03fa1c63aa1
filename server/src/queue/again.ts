import type { JobHelpers } from 'graphile-worker';
import { Lost } from '../heavy/heavy.ts';

/** A task that ended so often without a word, its whole process with it, is given up. Kills from outside hit one task so often only if somebody means to. */
export const mostSilentEnds = 6;

/** What was lost with a thread that other work may have hurt is tried once more by a fresh one, and so is what the database was away for; what a person has to mend is not. */
export function mayTryAgain(thrown: unknown, helpers: JobHelpers): boolean {
  const passing = databaseAway(thrown) || (thrown instanceof Lost && thrown.again);
  return passing && helpers.job.attempts < mostSilentEnds;
}

/** @throws Lost for a task that took its process with it again and again. */
export function notTooOften(helpers: JobHelpers): void {
  if (helpers.job.attempts > mostSilentEnds)
    throw new Lost('heavy-crashed', `This was given up: ${mostSilentEnds} times its worker ended while it was at it.`, 'Bring the design in in smaller pieces, or as another format.', false); // prettier-ignore
}

/** Whether an error says that the database is away or on its way back. Source: PostgreSQL, Appendix A, class 57 and 08; Node's own codes. */
export function databaseAway(thrown: unknown): boolean {
  const { code, message } = thrown as { code?: string; message?: string };
  if (code !== undefined && /^(57P0[1-5]|08\w{3}|ECONN\w+|EPIPE|ETIMEDOUT)$/.test(code)) return true;
  return /terminated unexpectedly|connection (ended|error|terminated)|timeout exceeded when trying to connect/i.test(message ?? '');
}

/** Does work that can be done twice, again while the database is away, for up to this long. */
export async function patient<T>(work: () => Promise<T>, forMs = 90_000): Promise<T> {
  const until = Date.now() + forMs;
  for (;;) {
    try {
      return await work();
    } catch (thrown) {
      if (!databaseAway(thrown) || Date.now() > until) throw thrown;
      await new Promise((done) => setTimeout(done, 400));
    }
  }
}
