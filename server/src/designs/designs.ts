import type { Readable } from 'node:stream';
import type { ReadChoices } from 'tall-kite/model/choices';
import { mostBytes } from 'tall-kite/pipeline/read';
import { Unusable } from 'tall-kite/base/finding';
import { shownFileName } from 'tall-kite/base/sound';
import { sql } from 'kysely';
import type { Database } from '../database/connect.ts';
import { announce } from '../live/announce.ts';
import { recordChange } from '../parts/change.ts';
import { enqueue } from '../queue/enqueue.ts';
import type { Blobs } from '../storage/blobs.ts';

/** A name as it is shown, see `shownFileName`. @throws Unusable when nothing of it is left. */
export function shownName(name: string): string {
  const plain = shownFileName(name);
  if (plain === '') throw new Unusable('no-name', 'The file has no name.', 'Give it a name with an ending, such as part.step.');
  return plain;
}

/** A file on its way into a job. */
export interface Incoming {
  jobId: string;
  name: string;
  source: Readable;
  /** How many bytes its sender says it has; unknown without it. */
  announced?: number | null;
  /** How it is to be read, where its reader asks. */
  choices?: ReadChoices | null;
  /** The design whose next revision it is. */
  replaces?: string | null;
  variant?: string;
}

/** @throws Unusable when a design is not in the job, or has a next revision already */
async function mayReplace(db: Database, jobId: string, replaces: string): Promise<void> {
  const old = await db.selectFrom('designs').select('state').where('id', '=', replaces).where('job_id', '=', jobId).executeTakeFirst();
  if (old?.state !== 'read') throw new Unusable('no-such-design', 'The design that this is to replace is not in the job.', 'Reload the page and choose again.');
  const waiting = await db
    .selectFrom('designs')
    .select('file_name')
    .where('replaces', '=', replaces)
    .where('state', 'in', ['queued', 'reading'])
    .executeTakeFirst();
  const parts = await db.selectFrom('parts').select('change').where('design_id', '=', replaces).where('removed', '=', false).execute();
  if (waiting || (parts.length > 0 && parts.every((p) => p.change?.state === 'gone')))
    throw new Unusable('replaced-already', 'That design has a next revision already.', 'Choose that one as the one to replace.');
}

/**
 * Takes a file into a job: bytes to the store, then a row and a task in one transaction. When the bytes break off
 * nothing is left behind.
 * @throws Unusable when it has no name, there is no such job, it can't replace what it is to replace, or it is too large
 */
export async function bringIn(db: Database, blobs: Blobs, file: Incoming): Promise<string> {
  const { jobId, choices, replaces } = file;
  const fileName = shownName(file.name);
  const job = await db.selectFrom('jobs').select('id').where('id', '=', jobId).executeTakeFirst();
  if (!job) throw new Unusable('no-such-job', 'There is no such job.', 'Go back to the list of jobs.');
  if (replaces) await mayReplace(db, jobId, replaces);
  const { sha256, bytes } = await blobs.take(file.source, mostBytes, file.announced ?? null);
  return db.transaction().execute(async (trx) => {
    const { id } = await trx
      .insertInto('designs')
      .values({
        job_id: jobId,
        file_name: fileName,
        bytes,
        sha256,
        state: 'queued',
        choices: choices ? JSON.stringify(choices) : null,
        replaces: replaces ?? null,
        variant: (file.variant ?? '').trim().slice(0, 60),
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
  const design = await db.selectFrom('designs').select(['job_id', 'state', 'removed_at']).where('id', '=', designId).executeTakeFirst();
  // A removed one can be brought back for a while: only the sweep takes it for good.
  if (!design || design.removed_at !== null) return;
  if (design.state === 'read') {
    await notReplaced(db, designId);
    const parts = await db.selectFrom('parts').select('id').where('design_id', '=', designId).where('removed', '=', false).execute();
    if (parts.length > 0) throw new Unusable('design-in-use', 'This design has parts in the ledger.', 'Remove it under Files; that can be taken back.');
  }
  await db.deleteFrom('designs').where('id', '=', designId).execute();
  await announce(db, design.job_id);
}

/** @throws Unusable for a design of which the next revision is here: undo may need it */
async function notReplaced(db: Database, designId: string): Promise<void> {
  const next = await db.selectFrom('designs').select('file_name').where('replaces', '=', designId).where('state', '!=', 'failed').executeTakeFirst();
  if (next) throw new Unusable('design-in-use', `"${next.file_name}" took its place, and undo may need it again.`, 'Let it stay; it is in nobody\u2019s way.');
}

/** A design of a job, as a list of what takes its space shows it. */
export interface DesignListed {
  id: string;
  fileName: string;
  bytes: number;
  /** Its parts in the ledger, or those that went with it. */
  parts: number;
  createdAt: string;
  removedAt: string | null;
}

/** The designs of a job that were read, removed ones too, in the order in which they came. @throws nothing: a job that is not there has none */
export async function listDesigns(db: Database, jobId: string): Promise<DesignListed[]> {
  const { rows } = await sql<{ id: string; file_name: string; bytes: number; parts: number; created_at: Date; removed_at: Date | null }>`
    select d.id, d.file_name, d.bytes, d.created_at, d.removed_at,
      coalesce(jsonb_array_length(d.removed_parts), (select count(*) from parts p where p.design_id = d.id and not p.removed))::int as parts
    from designs d where d.job_id = ${jobId} and d.state = 'read' order by d.created_at, d.id`.execute(db);
  return rows.map((r) => ({ id: r.id, fileName: r.file_name, bytes: r.bytes, parts: r.parts, createdAt: r.created_at.toISOString(), removedAt: r.removed_at?.toISOString() ?? null })); // prettier-ignore
}

const noSuchDesign = () => new Unusable('no-such-design', 'There is no such design in the job.', 'Reload the page.');

/**
 * Removes a design with its parts, those made of them here too. It is a change that can be taken back, and for a while it can be brought back.
 * @throws Unusable when there is none, or it is still read
 */
export async function removeDesign(db: Database, designId: string): Promise<void> {
  await db.transaction().execute(async (trx) => {
    const design = await trx.selectFrom('designs').selectAll().where('id', '=', designId).forUpdate().executeTakeFirst();
    if (!design || design.state !== 'read' || design.removed_at !== null) throw noSuchDesign();
    await notReplaced(trx, designId);
    const parts = await trx.selectFrom('parts').select('id').where('design_id', '=', designId).where('removed', '=', false).forUpdate().execute();
    const ids = parts.map((p) => p.id);
    await setRemoved(trx, design.job_id, { what: `remove ${design.file_name}`, parts: ids, removed: true });
    await trx
      .updateTable('designs')
      .set({ removed_at: new Date(), removed_parts: JSON.stringify(ids) })
      .where('id', '=', designId)
      .execute();
    await announce(trx, design.job_id);
  });
}

/** Brings a removed design back with the parts that went with it. @throws Unusable when there is none any more */
export async function bringBackDesign(db: Database, designId: string): Promise<void> {
  await db.transaction().execute(async (trx) => {
    const design = await trx.selectFrom('designs').selectAll().where('id', '=', designId).where('removed_at', 'is not', null).forUpdate().executeTakeFirst();
    if (!design) throw noSuchDesign();
    await setRemoved(trx, design.job_id, { what: `bring back ${design.file_name}`, parts: design.removed_parts ?? [], removed: false });
    await trx.updateTable('designs').set({ removed_at: null, removed_parts: null }).where('id', '=', designId).execute();
    await announce(trx, design.job_id);
  });
}

/** Removes parts, or brings them back, as a change of the job's history. */
const setRemoved = (db: Database, jobId: string, { what, parts, removed }: { what: string; parts: readonly string[]; removed: boolean }) =>
  recordChange(
    db,
    jobId,
    what.slice(0, 80),
    parts.map((part) => ({ part, before: { removed: !removed }, after: { removed } })),
  );
