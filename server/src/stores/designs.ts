import { isDeepStrictEqual } from 'node:util';
import { Readable } from 'node:stream';
import { sql } from 'kysely';
import { usualChoices, type ReadChoices } from 'tall-kite/model/choices';
import { Unusable } from 'tall-kite/base/finding';
import { formats } from 'tall-kite/formats/registry';
import { mostBytes } from 'tall-kite/pipeline/read';
import type { Recipe } from 'tall-kite/recipe/recipe';
import type { Database } from '../database/connect.ts';
import { shownName } from '../designs/designs.ts';
import { announce } from '../live/announce.ts';
import type { KeptFigures } from '../heavy/shelve.ts';
import { enqueue } from '../queue/enqueue.ts';
import type { Blobs } from '../storage/blobs.ts';

/** A design in the stores, as a card shows it. */
export interface KeptDesign {
  id: string;
  fileName: string;
  shelf: string | null;
  tags: string[];
  bytes: number;
  state: 'queued' | 'kept' | 'failed';
  figures: KeptFigures | null;
  failure: { message: string; remedy: string } | null;
  /** Whether there is a picture; its address has `of` in it so that a new one is fetched. */
  picture: string | null;
  revision: number;
  /** It came from a job with the recipes of its parts. */
  recipes: boolean;
  keptAt: string;
}

export interface KeptPage {
  total: number;
  /** So many are given at a time. */
  perPage: number;
  entries: KeptDesign[];
  /** Those that are still being read, in the whole stores. */
  reading: number;
  shelves: Shelf[];
  tags: { tag: string; count: number }[];
}

export interface Shelf {
  id: string;
  name: string;
  count: number;
}

/** What is looked for. */
export interface Wanted {
  text?: string;
  /** Id of a shelf; 'none': those on no shelf; absent: all. */
  shelf?: string;
  tag?: string;
  page?: number;
}

/** So many are given at a time. */
export const pageOfDesigns = 60;
const mostTags = 20;

const cardColumns = ['id', 'file_name', 'shelf_id', 'tags', 'bytes', 'state', 'figures', 'failure', 'picture', 'revision', 'recipes', 'created_at'] as const;

type Row = {
  id: string;
  file_name: string;
  shelf_id: string | null;
  tags: string[];
  bytes: number;
  state: KeptDesign['state'];
  figures: KeptFigures | null;
  failure: { message: string; remedy: string } | null;
  picture: string | null;
  revision: number;
  recipes: (Recipe | null)[] | null;
  created_at: Date;
};

const cardOf = (row: Row): KeptDesign => ({
  id: row.id,
  fileName: row.file_name,
  shelf: row.shelf_id,
  tags: row.tags,
  bytes: row.bytes,
  state: row.state,
  figures: row.figures,
  failure: row.failure && { message: row.failure.message, remedy: row.failure.remedy },
  picture: row.picture,
  revision: row.revision,
  recipes: row.recipes !== null,
  keptAt: row.created_at.toISOString(),
});

/** Designs in the stores by name, a page at a time: only newest revisions, none that were taken away. */
export async function keptDesigns(db: Database, { text = '', shelf, tag, page = 0 }: Wanted): Promise<KeptPage> {
  let query = db.selectFrom('kept_designs').where('removed', '=', false).where('replaced_by', 'is', null);
  for (const word of text.trim().toLowerCase().split(/\s+/).filter(Boolean).slice(0, 8)) {
    const like = `%${word.replace(/[\\%_]/g, '\\$&')}%`;
    query = query.where((e) => e.or([e(sql`lower(file_name)`, 'like', like), e(sql`lower(tags::text)`, 'like', like)]));
  }
  if (shelf === 'none')
    query = query.where((e) =>
      e.or([e('shelf_id', 'is', null), e('shelf_id', 'in', e.selectFrom('shelves').select('shelves.id').where('shelves.removed', '=', true))]),
    );
  else if (shelf) query = query.where('shelf_id', '=', shelf);
  if (tag) query = query.where(sql<boolean>`tags @> ${JSON.stringify([tag])}::jsonb`);
  const { count } = await query.select((e) => e.fn.countAll<string>().as('count')).executeTakeFirstOrThrow();
  const rows = await query
    .select(cardColumns)
    .orderBy(sql`lower(file_name)`)
    .orderBy('id')
    .offset(page * pageOfDesigns)
    .limit(pageOfDesigns)
    .execute();
  const reading = await db
    .selectFrom('kept_designs')
    .select((e) => e.fn.countAll<string>().as('count'))
    .where('state', '=', 'queued')
    .where('removed', '=', false)
    .executeTakeFirstOrThrow();
  const tags = await sql<{ tag: string; count: string }>`select t as tag, count(*) as count from kept_designs, jsonb_array_elements_text(tags) as t
    where not removed and replaced_by is null group by t order by count(*) desc, t limit 60`.execute(db);
  return {
    total: Number(count),
    perPage: pageOfDesigns,
    entries: rows.map((r) => cardOf(r as Row)),
    reading: Number(reading.count),
    shelves: await shelves(db),
    tags: tags.rows.map((r) => ({ tag: r.tag, count: Number(r.count) })),
  };
}

/** What became of a file that was to be kept. */
export interface Kept {
  id: string;
  /** The name under which the stores have the same bytes, read in the same way, already; null when they had not. */
  double: string | null;
  /** Those had other recipes; they have these now. */
  renewed?: boolean;
}

export interface Keeping {
  shelf?: string | null;
  tags?: string[];
  /** The design whose next revision it is. */
  replaces?: string;
  recipes?: (Recipe | null)[] | null;
  /** How it is read; as usual where nothing is said. */
  choices?: ReadChoices | null;
}

/** @throws Unusable unless something here opens files of that ending. */
function checkEnding(fileName: string): void {
  const ending = /\.([^.]+)$/.exec(fileName.toLowerCase())?.[1] ?? '';
  if (formats.some((f) => f.endings.includes(ending))) return;
  throw new Unusable('unknown-ending', `"${fileName}" is no design that is opened here.`, 'Keep designs: STEP, STL, DXF and the others that Help names.');
}

/** Bytes on their way in; `announced`: how many were said to come. */
export interface Incoming {
  name: string;
  source: Readable;
  announced: number | null;
}

/** Takes a file into the stores and has it read for its figures and picture. The same bytes are kept once. @throws Unusable for what is no design */
export async function keepDesign(db: Database, blobs: Blobs, { name, source, announced }: Incoming, how: Keeping): Promise<Kept> {
  const fileName = shownName(name);
  checkEnding(fileName);
  const { sha256, bytes } = await blobs.take(source, mostBytes, announced);
  return keepStored(db, { fileName, sha256, bytes }, how);
}

/** The design of the stores with the same bytes, read in the same way, which gets these recipes where it had others; null when there is none. */
async function keptAlready(trx: Database, sha256: string, choices: string | null, recipes: string | null): Promise<Kept | null> {
  const same = await trx
    .selectFrom('kept_designs')
    .select(['id', 'file_name', sql<boolean>`recipes is distinct from ${recipes}::jsonb`.as('other')])
    .where('sha256', '=', sha256)
    .where(sql<boolean>`choices is not distinct from ${choices}::jsonb`)
    .where('removed', '=', false)
    .where('replaced_by', 'is', null)
    .executeTakeFirst();
  if (!same) return null;
  if (recipes === null || !same.other) return { id: same.id, double: same.file_name };
  await trx.updateTable('kept_designs').set({ recipes, changed_at: new Date() }).where('id', '=', same.id).execute();
  return { id: same.id, double: same.file_name, renewed: true };
}

/** The same for bytes that are stored already. */
export function keepStored(db: Database, file: { fileName: string; sha256: string; bytes: number }, how: Keeping): Promise<Kept> {
  return db.transaction().execute(async (trx) => {
    const choices = unusual(how.choices ?? null);
    const recipes = how.recipes ? JSON.stringify(how.recipes) : null;
    const there = await keptAlready(trx, file.sha256, choices, recipes);
    if (there) return there;
    const old = how.replaces ? await currentRow(trx, how.replaces) : null;
    const { id } = await trx
      .insertInto('kept_designs')
      .values({
        file_name: file.fileName,
        sha256: file.sha256,
        bytes: file.bytes,
        state: 'queued',
        recipes,
        choices,
        ...(old ? fromBefore(old, how) : { shelf_id: how.shelf ?? null, tags: JSON.stringify(checkTags(how.tags ?? [])), revision: 1 }),
      })
      .returning('id')
      .executeTakeFirstOrThrow();
    if (old) await trx.updateTable('kept_designs').set({ replaced_by: id, changed_at: new Date() }).where('id', '=', old.id).execute();
    await enqueue(trx, 'shelve', id, file.bytes);
    return { id, double: null };
  });
}

/** What the next revision of a design has from the one before: its place and tags; its recipes and how it is read, where the new one brings none. */
function fromBefore(old: Awaited<ReturnType<typeof currentRow>>, how: Keeping) {
  const { shelf_id, tags, revision, recipes, choices } = old;
  return {
    shelf_id,
    tags: JSON.stringify(tags),
    revision: revision + 1,
    ...(how.recipes || !recipes ? {} : { recipes: JSON.stringify(recipes) }),
    ...(how.choices !== undefined || !choices ? {} : { choices: JSON.stringify(choices) }),
  };
}

/** Choices that are not the usual ones, as the table takes them. */
const unusual = (choices: ReadChoices | null): string | null => (choices === null || isDeepStrictEqual(choices, usualChoices) ? null : JSON.stringify(choices));

const gone = () => new Unusable('no-such-design', 'That design is not in the stores any more.', 'Reload the page.');

async function currentRow(db: Database, id: string) {
  const row = await db.selectFrom('kept_designs').selectAll().where('id', '=', id).where('removed', '=', false).forUpdate().executeTakeFirst();
  if (!row) throw gone();
  if (row.replaced_by) throw new Unusable('replaced-already', 'That design has a next revision already.', 'Choose that one as the one to replace.');
  return row;
}

/** Tags as they are kept: short, without doubles. @throws Unusable for too many or too long ones */
export function checkTags(tags: readonly string[]): string[] {
  const out = [...new Set(tags.map((t) => t.trim()).filter((t) => t !== ''))];
  if (out.length > mostTags || out.some((t) => t.length > 40 || /[\0-\x1f]/.test(t)))
    throw new Unusable('bad-tags', `A design has up to ${mostTags} tags of up to 40 letters.`, 'Use fewer or shorter ones.');
  return out;
}

/** A design of a job into the stores, as it was read there and with the recipes of what is in it: of several parts of one body that of the first. */
export async function keepFromJob(db: Database, designId: string, how: Keeping): Promise<Kept> {
  const design = await db
    .selectFrom('designs')
    .select(['id', 'file_name', 'sha256', 'bytes', 'state', 'choices'])
    .where('id', '=', designId)
    .executeTakeFirst();
  if (design?.state !== 'read') throw new Unusable('not-read', 'Only a design that was read can be kept.', 'Wait until it is read, or bring it in again.');
  const parts = await db
    .selectFrom('parts')
    .select(['recipe', 'origin', 'summary'])
    .where('design_id', '=', designId)
    .where('made_from', 'is', null)
    .where('removed', '=', false)
    .orderBy('position')
    .execute();
  // Places in the ledger are no bodies of the file: variants, copies and what was made stand between and behind them.
  const recipes: (Recipe | null)[] = [];
  for (const { recipe, origin } of parts) if (origin) recipes[origin.body - 1] ??= recipe;
  const trace = parts.find((p) => p.origin && p.summary.traced)?.summary.traced?.choice;
  const choices = trace ? { ...(design.choices ?? usualChoices), trace } : design.choices;
  const { file_name: fileName, sha256, bytes } = design;
  return keepStored(db, { fileName, sha256, bytes }, { ...how, choices, recipes: recipes.length > 0 ? Array.from(recipes, (r) => r ?? null) : null });
}

/** A design of the stores into a job, with its recipes. */
export async function takeIntoJob(db: Database, jobId: string, keptId: string): Promise<string> {
  const kept = await db.selectFrom('kept_designs').select(['file_name', 'sha256', 'bytes', 'recipes', 'choices']).where('id', '=', keptId).executeTakeFirst();
  if (!kept) throw gone();
  const job = await db.selectFrom('jobs').select('id').where('id', '=', jobId).executeTakeFirst();
  if (!job) throw new Unusable('no-such-job', 'There is no such job.', 'Go back to the list of jobs.');
  return db.transaction().execute(async (trx) => {
    const { id } = await trx
      .insertInto('designs')
      .values({
        job_id: jobId,
        file_name: kept.file_name,
        bytes: kept.bytes,
        sha256: kept.sha256,
        state: 'queued',
        choices: kept.choices && JSON.stringify(kept.choices),
        replaces: null,
        variant: '',
        recipes: kept.recipes && JSON.stringify(kept.recipes),
      })
      .returning('id')
      .executeTakeFirstOrThrow();
    await enqueue(trx, 'read-design', id, kept.bytes);
    await announce(trx, jobId);
    return id;
  });
}

/** A design with all that is known of it. */
export interface KeptDetails extends KeptDesign {
  revisions: { id: string; revision: number; fileName: string; bytes: number; keptAt: string }[];
  /** Jobs in which this design or an older revision of it is. */
  used: { id: string; name: string; revision: number }[];
}

/** @throws Unusable when it is not there. */
export async function keptDetails(db: Database, id: string): Promise<KeptDetails> {
  const row = await db.selectFrom('kept_designs').selectAll().where('id', '=', id).executeTakeFirst();
  if (!row) throw gone();
  const chain = await sql<{ id: string; revision: number; file_name: string; bytes: number; sha256: string; created_at: Date }>`with recursive older as (
      select id, revision, file_name, bytes, sha256, created_at from kept_designs where id = ${id}::uuid
      union select k.id, k.revision, k.file_name, k.bytes, k.sha256, k.created_at from kept_designs k join older o on k.replaced_by = o.id)
    select * from older order by revision desc limit 200`.execute(db);
  const used = await db
    .selectFrom('designs')
    .innerJoin('jobs', 'jobs.id', 'designs.job_id')
    .select(['jobs.id', 'jobs.name', 'designs.sha256'])
    .distinct()
    .where(
      'designs.sha256',
      'in',
      chain.rows.map((c) => c.sha256),
    )
    .where('jobs.removed_at', 'is', null)
    .orderBy('jobs.name')
    .limit(100)
    .execute();
  return {
    ...cardOf(row as unknown as Row),
    revisions: chain.rows.map((c) => ({ id: c.id, revision: c.revision, fileName: c.file_name, bytes: c.bytes, keptAt: c.created_at.toISOString() })),
    used: used.map((u) => ({ id: u.id, name: u.name, revision: chain.rows.find((c) => c.sha256 === u.sha256)!.revision })),
  };
}

/** Moves designs to a shelf, gives them other tags, takes them away or brings them back. */
export async function changeKept(
  db: Database,
  ids: readonly string[],
  change: { shelf?: string | null; tags?: string[]; addTag?: string; removed?: boolean },
): Promise<void> {
  if (change.shelf) await shelfRow(db, change.shelf);
  await db.transaction().execute(async (trx) => {
    for (const id of ids) {
      const row = await trx.selectFrom('kept_designs').select(['id', 'tags']).where('id', '=', id).forUpdate().executeTakeFirst();
      if (!row) throw gone();
      const tags = change.tags ?? (change.addTag ? [...row.tags, change.addTag] : null);
      await trx
        .updateTable('kept_designs')
        .set({
          changed_at: new Date(),
          ...(change.shelf !== undefined ? { shelf_id: change.shelf } : {}),
          ...(tags ? { tags: JSON.stringify(checkTags(tags)) } : {}),
          ...(change.removed !== undefined ? { removed: change.removed } : {}),
        })
        .where('id', '=', id)
        .execute();
    }
  });
}

/** The file of a design in the stores. */
export async function keptFile(db: Database, id: string): Promise<{ fileName: string; sha256: string; picture: string | null }> {
  const row = await db.selectFrom('kept_designs').select(['file_name', 'sha256', 'picture']).where('id', '=', id).executeTakeFirst();
  if (!row) throw gone();
  return { fileName: row.file_name, sha256: row.sha256, picture: row.picture };
}

async function shelfRow(db: Database, id: string) {
  const row = await db.selectFrom('shelves').select(['id', 'name']).where('id', '=', id).where('removed', '=', false).executeTakeFirst();
  if (!row) throw new Unusable('no-such-shelf', 'That shelf is not there any more.', 'Reload the page.');
  return row;
}

/** Shelves by name, each with how many designs stand on it. */
export async function shelves(db: Database): Promise<Shelf[]> {
  const { rows } = await sql<{ id: string; name: string; count: string }>`select s.id, s.name, count(k.id) as count from shelves s
    left join kept_designs k on k.shelf_id = s.id and not k.removed and k.replaced_by is null
    where not s.removed group by s.id, s.name order by lower(s.name)`.execute(db);
  return rows.map((r) => ({ id: r.id, name: r.name, count: Number(r.count) }));
}

/** A name for a shelf. @throws Unusable for none, or one that is there */
export async function makeShelf(db: Database, name: unknown): Promise<string> {
  const plain = checkShelfName(name);
  const same = await db
    .selectFrom('shelves')
    .select('id')
    .where(sql`lower(name)`, '=', plain.toLowerCase())
    .where('removed', '=', false)
    .executeTakeFirst();
  if (same) throw new Unusable('shelf-there', `There is a shelf "${plain}" already.`, 'Use that one, or give another name.');
  const { id } = await db.insertInto('shelves').values({ name: plain }).returning('id').executeTakeFirstOrThrow();
  return id;
}

function checkShelfName(name: unknown): string {
  const plain = typeof name === 'string' ? name.replace(/[\0-\x1f\x7f]/g, '').trim() : '';
  if (plain === '' || plain.length > 60) throw new Unusable('bad-name', 'A shelf has a name of up to 60 letters.', 'Type one.');
  return plain;
}

export async function renameShelf(db: Database, id: string, name: unknown): Promise<void> {
  await shelfRow(db, id);
  await db
    .updateTable('shelves')
    .set({ name: checkShelfName(name) })
    .where('id', '=', id)
    .execute();
}

/** Takes a shelf away; what stood on it stays in the stores, on none. Or brings it back, with what stood there and was not moved since. */
export async function removeShelf(db: Database, id: string, removed: boolean): Promise<void> {
  const done = await db.updateTable('shelves').set({ removed }).where('id', '=', id).executeTakeFirst();
  if (done.numUpdatedRows === 0n) throw new Unusable('no-such-shelf', 'That shelf is not there.', 'Reload the page.');
}
