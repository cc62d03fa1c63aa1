import Joi from 'joi';
import { Unusable } from 'tall-kite/base/finding';
import { editsSchema, nestSchema, typedSchema } from 'tall-kite/cutlist/schema';
import { laidSchema } from 'tall-kite/operations/cutlist';
import type { Database } from '../database/connect.ts';
import { Overtaken } from '../parts/change.ts';
import type { KeptCutList } from './kept.ts';

const schema = Joi.object<KeptCutList>({
  edits: editsSchema.required(),
  choice: nestSchema.required(),
  laid: laidSchema.allow(null).required(),
  typed: typedSchema,
});

/** Checks a cut list that comes from outside. @throws Unusable with the field and the limit. */
export function checkCutList(input: unknown): KeptCutList {
  const { value, error } = schema.validate(input, { convert: false });
  if (error) throw new Unusable('bad-cut-list', `${error.message}.`.replace(/\.\.$/, '.'), 'Correct the value; nothing was changed.');
  return value;
}

/** The cut list of a job; version 0 while nobody kept one. */
export async function cutListOfJob(db: Database, jobId: string): Promise<{ version: number; content: KeptCutList | null }> {
  const row = await db.selectFrom('cut_lists').select(['version', 'content']).where('job_id', '=', jobId).executeTakeFirst();
  return row ? { version: row.version, content: row.content } : { version: 0, content: null };
}

/** Keeps a job's cut list and gives its new version. @throws Overtaken when somebody else kept one since */
export async function keepCutList(db: Database, jobId: string, version: number, content: KeptCutList): Promise<number> {
  const values = { content: JSON.stringify(content), changed_at: new Date(), version: version + 1 };
  if (version === 0) {
    const made = await db
      .insertInto('cut_lists')
      .values({ job_id: jobId, ...values })
      .onConflict((c) => c.column('job_id').doNothing())
      .executeTakeFirst();
    if (made.numInsertedOrUpdatedRows === 0n) throw new Overtaken();
    return 1;
  }
  const done = await db.updateTable('cut_lists').set(values).where('job_id', '=', jobId).where('version', '=', version).executeTakeFirst();
  if (done.numUpdatedRows === 0n) throw new Overtaken();
  return version + 1;
}
