import Joi from 'joi';
import { Unusable } from 'tall-kite/base/finding';
import { recipeSchema } from 'tall-kite/recipe/schema';
import { receiverSchema } from 'tall-kite/receivers/rules';
import type { Recipe } from 'tall-kite/recipe/recipe';
import { wayIds } from 'tall-kite/steps/way';
import type { Database } from '../database/connect.ts';
import type { Selectable } from 'kysely';
import type { PartFields, PartsTable } from '../database/tables.ts';
import { rulesOfNow } from '../stores/rules.ts';
import { announce } from '../live/announce.ts';

/** One change of several parts, each at the version that was seen: the same fields for all, or each part's own. */
export interface SeveralChange {
  parts: { id: string; version: number; fields?: PartFields }[];
  what: string;
  fields?: PartFields;
}

/** A change that a person asks for: the version they saw, what it is called in the history, and the new fields. */
export interface PartChange {
  version: number;
  what: string;
  fields: PartFields;
}

const word = (most: number) => Joi.string().trim().max(most).allow('');

/** What a person may change in a part. */
const fieldsSchema = Joi.object<PartFields>({
  // A program may name the receiver by its id; the rules are those in the stores.
  recipe: recipeSchema.keys({ receiver: Joi.alternatives().try(Joi.string().max(60), receiverSchema).required() }).optional(),
  name: Joi.string().trim().min(1).max(120),
  quantity: Joi.number().strict().integer().min(1).max(100_000),
  left_out: Joi.boolean().strict(),
  number: word(60).allow(null),
  material: word(60).allow(null),
  thickness: Joi.number().strict().greater(0).max(1000).allow(null),
  variant: word(60),
  ways: Joi.array()
    .items(Joi.string().valid(...wayIds))
    .min(1)
    .unique()
    .allow(null),
  place: Joi.array().items(Joi.number().strict().min(-1e6).max(1e6)).length(12),
}).min(1);

const schema = Joi.object<PartChange>({
  version: Joi.number().integer().min(1).required(),
  what: Joi.string().trim().min(1).max(80).required(),
  fields: fieldsSchema.required(),
});

const several = Joi.object<SeveralChange>({
  parts: Joi.array()
    .items(Joi.object({ id: Joi.string().uuid().required(), version: Joi.number().integer().min(1).required(), fields: fieldsSchema }))
    .min(1)
    .max(10_000)
    .required(),
  what: Joi.string().trim().min(1).max(80).required(),
  fields: fieldsSchema,
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

/** @throws Unusable with the field and the limit. */
export function checkSeveral(input: unknown): SeveralChange {
  const { value, error } = several.validate(input, { convert: false });
  if (error) throw new Unusable('bad-change', `${error.message}.`.replace(/\.\.$/, '.'), 'Correct the value; nothing was changed.');
  if (!value.fields && value.parts.some((p) => !p.fields))
    throw new Unusable('bad-change', 'Some parts of the change have no new fields.', 'Give "fields" for all, or for each part.');
  return value;
}

/** What a change did to one part. */
export interface PartDelta {
  part: string;
  before: PartFields;
  after: PartFields;
}

/**
 * Changes a part when its version is still the one that was seen, and logs before and after for undo.
 * @throws Overtaken, or Unusable when there is no such part.
 */
export async function changePart(db: Database, partId: string, change: PartChange): Promise<{ version: number; jobId: string }> {
  return db.transaction().execute(async (trx) => {
    const part = await trx.selectFrom('parts').selectAll().where('id', '=', partId).where('removed', '=', false).forUpdate().executeTakeFirst();
    if (!part) throw noSuchPart();
    if (part.version !== change.version) throw new Overtaken();
    const after = await settledFields(trx, change.fields);
    await recordChange(trx, part.job_id, change.what, [{ part: partId, before: heldFields(part, after), after }]);
    await announce(trx, part.job_id);
    return { version: part.version + 1, jobId: part.job_id };
  });
}

/** What stands in a part where a change would come. */
function heldFields(part: Selectable<PartsTable>, fields: PartFields): PartFields {
  const { recipe, name, quantity, left_out, place, number, material, thickness, variant, ways } = part;
  const held: PartFields = { recipe, name, quantity, left_out, place, number, material, thickness, variant, ways };
  return Object.fromEntries(Object.entries(held).filter(([k]) => fields[k as keyof PartFields] !== undefined));
}

/** The same change to several parts of a job, undone as one. @throws Overtaken when one of them changed since; then nothing is changed. */
export async function changeSeveral(db: Database, jobId: string, change: SeveralChange): Promise<void> {
  await db.transaction().execute(async (trx) => {
    const seen = new Map(change.parts.map((p) => [p.id, p]));
    const parts = await trx
      .selectFrom('parts')
      .selectAll()
      .where('id', 'in', [...seen.keys()])
      .where('job_id', '=', jobId)
      .where('removed', '=', false)
      .orderBy('id')
      .forUpdate()
      .execute();
    if (parts.length !== seen.size) throw noSuchPart();
    if (parts.some((p) => p.version !== seen.get(p.id)!.version)) throw new Overtaken();
    const deltas: PartDelta[] = [];
    for (const part of parts) {
      const after = await settledFields(trx, { ...change.fields, ...seen.get(part.id)!.fields });
      deltas.push({ part: part.id, before: heldFields(part, after), after });
    }
    await recordChange(trx, jobId, change.what, deltas);
    await announce(trx, jobId);
  });
}

/** Changes several parts as one thing that is undone as one. Changes undone before are given up: history has one line. */
export async function recordChange(trx: Database, jobId: string, what: string, deltas: PartDelta[]): Promise<void> {
  await trx.deleteFrom('changes').where('job_id', '=', jobId).where('undone', '=', true).execute();
  await trx
    .insertInto('changes')
    .values({ job_id: jobId, what, parts: JSON.stringify(deltas) })
    .execute();
  for (const { part, after } of deltas) await apply(trx, part, after);
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
    for (const { part, before, after } of change.parts) await apply(trx, part, undo ? before : after);
    await trx.updateTable('changes').set({ undone: undo }).where('id', '=', change.id).execute();
    await announce(trx, jobId);
    return change.what;
  });
}

export function noSuchPart(): Unusable {
  return new Unusable('no-such-part', 'There is no such part.', 'Go back to the ledger.');
}

/** A recipe with the rules that its receiver has now. */
const withRulesOfNow = async (db: Database, recipe: Recipe): Promise<Recipe> => ({ ...recipe, receiver: await rulesOfNow(db, recipe.receiver) });

/** What is to stand in a part: a recipe with its receiver's rules. */
const settledFields = async (db: Database, fields: PartFields): Promise<PartFields> =>
  fields.recipe ? { ...fields, recipe: await withRulesOfNow(db, fields.recipe) } : fields;

async function apply(db: Database, partId: string, fields: PartFields): Promise<void> {
  const { recipe: wanted, shape, place, change, source, ways, ...plain } = fields;
  const recipe = wanted && (await withRulesOfNow(db, wanted));
  // A part that only moved to the next revision of its source is the part it was: its files stay fresh.
  const same = !recipe && !shape && !place && Object.keys(plain).length === 0;
  await db
    .updateTable('parts')
    .set((eb) => ({
      ...plain,
      ...(recipe ? { recipe: JSON.stringify(recipe) } : {}),
      ...(place ? { place: JSON.stringify(place) } : {}),
      ...(ways !== undefined ? { ways: ways && JSON.stringify(ways) } : {}),
      ...(change !== undefined ? { change: change && JSON.stringify(change) } : {}),
      ...(source ? { design_id: source.design_id, position: source.position, origin: source.origin && JSON.stringify(source.origin) } : {}),
      ...(shape
        ? {
            summary: JSON.stringify(shape.summary),
            findings: JSON.stringify(shape.findings),
            geometry_sha256: shape.geometry_sha256,
            view_sha256: shape.view_sha256,
          }
        : {}),
      version: eb('version', '+', same ? 0 : 1),
    }))
    .where('id', '=', partId)
    .execute();
}
