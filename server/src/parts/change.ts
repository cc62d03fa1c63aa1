import Joi from 'joi';
import { Unusable } from 'tall-kite/findings/finding';
import { recipeSchema } from 'tall-kite/recipe/schema';
import type { Database } from '../database/connect.ts';
import type { PartFields } from '../database/tables.ts';
import { announce } from '../live/announce.ts';

/** A change that a person asks for: the version they saw, what it is called in the history, and the new fields. */
export interface PartChange {
  version: number;
  what: string;
  fields: PartFields;
}

const schema = Joi.object<PartChange>({
  version: Joi.number().integer().min(1).required(),
  what: Joi.string().trim().min(1).max(80).required(),
  fields: Joi.object({
    recipe: recipeSchema.optional(),
    name: Joi.string().trim().min(1).max(120),
    quantity: Joi.number().strict().integer().min(1).max(100_000),
    left_out: Joi.boolean().strict(),
  })
    .min(1)
    .required(),
});

/** Somebody else changed the part first. The web answers it with 409. */
export class Overtaken extends Unusable {
  constructor() {
    super(
      'overtaken',
      'This part was changed in another window after you opened it.',
      'The newer settings are shown now; make your change again if it still holds.',
    );
  }
}

/** Checks what came from outside. @throws Unusable with the field and the limit. */
export function checkChange(input: unknown): PartChange {
  const { value, error } = schema.validate(input, { convert: false });
  if (error) throw new Unusable('bad-change', `${error.message}.`.replace(/\.\.$/, '.'), 'Correct the value; nothing was changed.');
  return value;
}

/**
 * Changes a part when its version is still the one that was seen, and logs before and after for undo.
 * Changes undone before are given up: history has one line.
 * @throws Overtaken, or Unusable when there is no such part.
 */
export async function changePart(db: Database, partId: string, change: PartChange): Promise<{ version: number; jobId: string }> {
  return db.transaction().execute(async (trx) => {
    const part = await trx.selectFrom('parts').selectAll().where('id', '=', partId).forUpdate().executeTakeFirst();
    if (!part) throw noSuchPart();
    if (part.version !== change.version) throw new Overtaken();
    const before: PartFields = {};
    const { fields } = change;
    if (fields.recipe) before.recipe = part.recipe;
    if (fields.name !== undefined) before.name = part.name;
    if (fields.quantity !== undefined) before.quantity = part.quantity;
    if (fields.left_out !== undefined) before.left_out = part.left_out;
    await trx.deleteFrom('changes').where('job_id', '=', part.job_id).where('undone', '=', true).execute();
    await trx
      .insertInto('changes')
      .values({ job_id: part.job_id, part_id: partId, what: change.what, before: JSON.stringify(before), after: JSON.stringify(fields) })
      .execute();
    const version = await apply(trx, partId, fields);
    await announce(trx, part.job_id);
    return { version, jobId: part.job_id };
  });
}

/** Takes back the job's last change, or makes the last one taken back again. Gives what it was, or null when there is none. */
export async function stepHistory(db: Database, jobId: string, direction: 'undo' | 'redo'): Promise<string | null> {
  return db.transaction().execute(async (trx) => {
    const undo = direction === 'undo';
    const change = await trx
      .selectFrom('changes')
      .selectAll()
      .where('job_id', '=', jobId)
      .where('undone', '=', !undo)
      .orderBy('id', undo ? 'desc' : 'asc')
      .forUpdate()
      .limit(1)
      .executeTakeFirst();
    if (!change) return null;
    await apply(trx, change.part_id, undo ? change.before : change.after);
    await trx.updateTable('changes').set({ undone: undo }).where('id', '=', change.id).execute();
    await announce(trx, jobId);
    return change.what;
  });
}

export function noSuchPart(): Unusable {
  return new Unusable('no-such-part', 'There is no such part.', 'Go back to the ledger.');
}

async function apply(db: Database, partId: string, fields: PartFields): Promise<number> {
  const { recipe, ...plain } = fields;
  const { version } = await db
    .updateTable('parts')
    .set((eb) => ({ ...plain, ...(recipe ? { recipe: JSON.stringify(recipe) } : {}), version: eb('version', '+', 1) }))
    .where('id', '=', partId)
    .returning('version')
    .executeTakeFirstOrThrow();
  return version;
}
