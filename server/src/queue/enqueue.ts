import { sql } from 'kysely';
import type { Database } from '../database/connect.ts';

/** Puts a task in the queue, in the same transaction as the row it is about. */
export async function enqueue(db: Database, task: 'read-design' | 'write-file' | 'operate' | 'shelve', id: string): Promise<void> {
  await sql`select graphile_worker.add_job(${task}, json_build_object('id', ${id}::text), max_attempts := 5, job_key := ${`${task}:${id}`})`.execute(db);
}
