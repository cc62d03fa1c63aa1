import type { Readable } from 'node:stream';
import type { ReadChoices } from 'tall-kite/model/choices';
import { mostBytes } from 'tall-kite/pipeline/read';
import { Unusable } from 'tall-kite/base/finding';
import { shownFileName } from 'tall-kite/base/sound';
import type { Database } from '../database/connect.ts';
import { announce } from '../live/announce.ts';
import { enqueue } from '../queue/enqueue.ts';
import type { Blobs } from '../storage/blobs.ts';

/** A name as it is shown, see `shownFileName`. @throws Unusable when nothing of it is left. */
export function shownName(name: string): string {
  const plain = shownFileName(name);
  if (plain === '') throw new Unusable('no-name', 'The file has no name.', 'Give it a name with an ending, such as part.step.');
  return plain;
}

/**
 * Takes a file into a job: bytes to the store, then a row and a task in one transaction. When the bytes break off
 * nothing is left behind.
 */
export async function bringIn(
  db: Database,
  blobs: Blobs,
  jobId: string,
  name: string,
  source: Readable,
  announced: number | null = null,
  choices: ReadChoices | null = null,
  as: { replaces?: string | null; variant?: string } = {},
): Promise<string> {
  const fileName = shownName(name);
  const job = await db.selectFrom('jobs').select('id').where('id', '=', jobId).executeTakeFirst();
  if (!job) throw new Unusable('no-such-job', 'There is no such job.', 'Go back to the list of jobs.');
  if (as.replaces) {
    const old = await db.selectFrom('designs').select('state').where('id', '=', as.replaces).where('job_id', '=', jobId).executeTakeFirst();
    if (old?.state !== 'read')
      throw new Unusable('no-such-design', 'The design that this is to replace is not in the job.', 'Reload the page and choose again.');
    const waiting = await db
      .selectFrom('designs')
      .select('file_name')
      .where('replaces', '=', as.replaces)
      .where('state', 'in', ['queued', 'reading'])
      .executeTakeFirst();
    const parts = await db.selectFrom('parts').select('change').where('design_id', '=', as.replaces).where('removed', '=', false).execute();
    if (waiting || (parts.length > 0 && parts.every((p) => p.change?.state === 'gone')))
      throw new Unusable('replaced-already', 'That design has a next revision already.', 'Choose that one as the one to replace.');
  }
  const { sha256, bytes } = await blobs.take(source, mostBytes, announced);
  return db.transaction().execute(async (trx) => {
    const { id } = await trx
      .insertInto('designs')
      .values({
        job_id: jobId,
        file_name: fileName,
        bytes,
        sha256,
        state: 'queued',
        choices: choices && JSON.stringify(choices),
        replaces: as.replaces ?? null,
        variant: (as.variant ?? '').trim().slice(0, 60),
      })
      .returning('id')
      .executeTakeFirstOrThrow();
    await enqueue(trx, 'read-design', id, bytes);
    await announce(trx, jobId);
    return id;
  });
}

/** Takes a design that could not be read, or is still waiting, out of its job. Designs with parts stay. */
export async function dismissDesign(db: Database, designId: string): Promise<void> {
  const design = await db.selectFrom('designs').select(['job_id', 'state']).where('id', '=', designId).executeTakeFirst();
  if (!design) return;
  if (design.state === 'read') {
    const next = await db.selectFrom('designs').select('file_name').where('replaces', '=', designId).where('state', '!=', 'failed').executeTakeFirst();
    if (next)
      throw new Unusable('design-in-use', `"${next.file_name}" took its place, and undo may need it again.`, 'Let it stay; it is in nobody\u2019s way.');
    const parts = await db.selectFrom('parts').select('id').where('design_id', '=', designId).where('removed', '=', false).execute();
    if (parts.length > 0) throw new Unusable('design-in-use', 'This design has parts in the ledger.', 'Leave its parts out instead; that can be undone.');
  }
  await db.deleteFrom('designs').where('id', '=', designId).execute();
  await announce(db, design.job_id);
}
