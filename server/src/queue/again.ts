import type { JobHelpers } from 'graphile-worker';

/** A crash of the heavy thread is tried again a few times; what a person has to mend is not. */
export function mayTryAgain(thrown: unknown, helpers: JobHelpers): boolean {
  const code = (thrown as { code?: string }).code;
  return code === 'heavy-crashed' && helpers.job.attempts < 3;
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
