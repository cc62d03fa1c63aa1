import { sql } from 'kysely';
import type { Database } from '../database/connect.ts';

/** The channel on which every process says that something of a job changed. */
export const channel = 'tall_kite_jobs';

/** Tells all web processes that a job changed; inside a transaction it is told when that commits. */
export async function announce(db: Database, jobId: string): Promise<void> {
  await sql`select pg_notify(${channel}, ${jobId})`.execute(db);
  // What was counted of it does not hold any more.
  await db.updateTable('jobs').set({ changed_at: new Date(), counts: null }).where('id', '=', jobId).execute();
}

/** Tells that rows of a release changed, without making every page of its job fetch everything again. */
export async function announceRelease(db: Database, releaseId: string): Promise<void> {
  await sql`select pg_notify(${channel}, ${`release:${releaseId}`})`.execute(db);
}
