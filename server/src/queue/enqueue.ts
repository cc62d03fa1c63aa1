import { sql } from 'kysely';
import type { Database } from '../database/connect.ts';
import { idsNow } from '../standing/log.ts';

export type Task = 'read-design' | 'write-file' | 'operate' | 'shelve';

/** Files above this are read by the general workers only: those for short work stay free of them, bytes. */
const shortRead = 2_000_000;

/** Names of tasks that a worker for short work takes: one that has all hands full with large designs still writes a file and reads a small one. */
export const shortTasks = ['read-design', 'shelve', 'write-file', 'deliver-file'] as const;

/** The name under which a task of this size waits. @example taskName('read-design', 5e7) // 'read-design-large' */
export const taskName = (task: Task, bytes = 0): string => (bytes > shortRead && (task === 'read-design' || task === 'shelve') ? `${task}-large` : task);

/**
 * Puts a task in the queue, in the same transaction as the row it is about.
 * @param bytes of the file that it reads.
 */
export async function enqueue(db: Database, task: Task, id: string, bytes = 0): Promise<void> {
  const payload = JSON.stringify({ id, request: idsNow().request });
  await sql`select graphile_worker.add_job(${taskName(task, bytes)}, ${payload}::json, max_attempts := 25, job_key := ${`${task}:${id}`})`.execute(db);
}
