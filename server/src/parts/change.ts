import Joi from 'joi';
import { sql, type Selectable } from 'kysely';
import { Unusable } from 'tall-kite/base/finding';
import { recipeSchema } from 'tall-kite/recipe/schema';
import { receiverSchema } from 'tall-kite/receivers/rules';
import type { Recipe } from 'tall-kite/recipe/recipe';
import { wayIds } from 'tall-kite/steps/way';
import type { Database } from '../database/connect.ts';
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
    const after = await settledFields(change.fields, rulesAtHand(trx));
    const versions = await recordChange(trx, part.job_id, change.what, [{ part: partId, before: heldFields(part, after), after }]);
    await announce(trx, part.job_id);
    return { version: versions.get(partId)!, jobId: part.job_id };
  });
}

/** What stands in a part where a change would come. */
function heldFields(part: Selectable<PartsTable>, fields: PartFields): PartFields {
  const { recipe, name, quantity, left_out, place, number, material, thickness, variant, ways } = part;
  const held: PartFields = { recipe, name, quantity, left_out, place, number, material, thickness, variant, ways };
  return Object.fromEntries(Object.entries(held).filter(([k]) => fields[k as keyof PartFields] !== undefined));
}

/** The same change to several parts of a job, undone as one; gives their versions. @throws Overtaken when one of them changed since; then nothing is changed. */
export async function changeSeveral(db: Database, jobId: string, change: SeveralChange): Promise<{ versions: Record<string, number> }> {
  return db.transaction().execute(async (trx) => {
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
    const rules = rulesAtHand(trx);
    for (const part of parts) {
      const after = await settledFields({ ...change.fields, ...seen.get(part.id)!.fields }, rules);
      deltas.push({ part: part.id, before: heldFields(part, after), after });
    }
    const versions = await recordChange(trx, jobId, change.what, deltas);
    await announce(trx, jobId);
    return { versions: Object.fromEntries(versions) };
  });
}

/** Changes several parts as one thing that is undone as one; gives their new versions. Changes undone before are given up: history has one line. */
export async function recordChange(trx: Database, jobId: string, what: string, deltas: PartDelta[]): Promise<Map<string, number>> {
  await trx.deleteFrom('changes').where('job_id', '=', jobId).where('undone', '=', true).execute();
  await trx
    .insertInto('changes')
    .values({ job_id: jobId, what, parts: JSON.stringify(deltas) })
    .execute();
  return apply(
    trx,
    deltas.map(({ part, after }) => ({ part, fields: after })),
  );
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
    await apply(
      trx,
      change.parts.map(({ part, before, after }) => ({ part, fields: undo ? before : after })),
    );
    await trx.updateTable('changes').set({ undone: undo }).where('id', '=', change.id).execute();
    await designsAsParts(
      trx,
      change.parts.filter((c) => c.after.removed !== undefined).map((c) => c.part),
    );
    await announce(trx, jobId);
    return change.what;
  });
}

/** A design that was removed is there again with the first of its parts; one whose removal is done again is removed again. */
async function designsAsParts(db: Database, parts: readonly string[]): Promise<void> {
  if (parts.length === 0) return;
  await sql`update designs d set
      removed_at = case when exists (select 1 from parts p where p.design_id = d.id and not p.removed) then null else coalesce(removed_at, now()) end,
      removed_parts = case when exists (select 1 from parts p where p.design_id = d.id and not p.removed) then null
        else coalesce(removed_parts, ${JSON.stringify(parts)}::jsonb) end
    where d.state = 'read' and d.id in (select design_id from parts where id = any(${parts}::uuid[]))`.execute(db);
}

export function noSuchPart(): Unusable {
  return new Unusable('no-such-part', 'There is no such part.', 'Go back to the ledger.');
}

/** Rules of receivers as they are now, each asked for once. */
function rulesAtHand(db: Database): (recipe: Recipe) => Promise<Recipe> {
  const known = new Map<string, ReturnType<typeof rulesOfNow>>();
  return async (recipe) => {
    const { receiver } = recipe;
    const key = typeof receiver === 'string' ? receiver : JSON.stringify(receiver);
    const rules = known.get(key) ?? rulesOfNow(db, receiver);
    known.set(key, rules);
    return { ...recipe, receiver: await rules };
  };
}

/** What is to stand in a part: a recipe with its receiver's rules. */
const settledFields = async (fields: PartFields, rules: (recipe: Recipe) => Promise<Recipe>): Promise<PartFields> =>
  fields.recipe ? { ...fields, recipe: await rules(fields.recipe) } : fields;

/** How the columns of a part come out of a change's JSON. */
const columnKinds = {
  recipe: 'jsonb',
  name: 'text',
  quantity: 'int',
  left_out: 'boolean',
  place: 'jsonb',
  removed: 'boolean',
  number: 'text',
  material: 'text',
  thickness: 'double precision',
  variant: 'text',
  ways: 'jsonb',
  change: 'jsonb',
  summary: 'jsonb',
  findings: 'jsonb',
  geometry_sha256: 'text',
  view_sha256: 'text',
  design_id: 'uuid',
  position: 'int',
  origin: 'jsonb', // prettier-ignore
} as const;

/** Parts of a change that are put into the database with one statement. */
const atOnce = 500;

/** Puts new fields into parts: a statement for some hundred of them, whatever each of them changes. Gives their versions. */
async function apply(db: Database, changes: { part: string; fields: PartFields }[]): Promise<Map<string, number>> {
  const versions = new Map<string, number>();
  const rules = rulesAtHand(db);
  const rows: { id: string; same: boolean; to: Record<string, unknown> }[] = [];
  for (const { part, fields } of changes) {
    const { shape, source, ...plain } = await settledFields(fields, rules);
    // A part that only moved to the next revision of its source is the part it was: its files stay fresh. So is one that was told what it is for.
    const same = !shape && Object.keys(plain).every((key) => key === 'change' || key === 'ways');
    rows.push({ id: part, same, to: { ...plain, ...shape, ...source } });
  }
  for (let from = 0; from < rows.length; from += atOnce) {
    const some = rows.slice(from, from + atOnce);
    const columns = Object.entries(columnKinds).filter(([name]) => some.some((row) => name in row.to));
    const sets = columns.map(([name, kind]) => {
      const value = kind === 'jsonb' ? sql`nullif(d.to -> ${sql.lit(name)}, 'null'::jsonb)` : sql`(d.to ->> ${sql.lit(name)})::${sql.raw(kind)}`;
      return sql`${sql.ref(name)} = case when d.to ? ${sql.lit(name)} then ${value} else p.${sql.ref(name)} end`;
    });
    const done = await sql<{
      id: string;
      version: number;
    }>`update parts p set ${sql.join([...sets, sql`version = p.version + case when d.same then 0 else 1 end`])}
      from jsonb_to_recordset(${JSON.stringify(some)}::jsonb) as d(id uuid, same boolean, "to" jsonb) where p.id = d.id
      returning p.id, p.version`.execute(db);
    for (const { id, version } of done.rows) versions.set(id, version);
  }
  return versions;
}
