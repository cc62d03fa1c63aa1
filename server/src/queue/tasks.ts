import type { JobHelpers, Task, TaskList } from 'graphile-worker';
import type { Selectable } from 'kysely';
import { asUnusable } from 'tall-kite/base/finding';
import { keepOperation } from '../operations/operations.ts';
import { operationOf, withKeptFont } from 'tall-kite/operations/registry';
import { originOf, partValues, revise } from '../parts/revise.ts';
import { releaseTasks } from '../releases/tasks.ts';
import type { Settings } from '../settings/settings.ts';
import { fontById } from '../stores/fonts.ts';
import { receiversOf } from '../stores/receivers.ts';
import { log, withIds } from '../standing/log.ts';
import { databaseAway, mayTryAgain, notTooOften, patient } from './again.ts';
import { shortTasks } from './enqueue.ts';
import type { PartSummary } from 'tall-kite/model/design';
import type { Recipe } from 'tall-kite/recipe/recipe';
import type { Database } from '../database/connect.ts';
import type { DesignsTable } from '../database/tables.ts';
import type { HeavyThread, ReadResult } from '../heavy/heavy.ts';
import { usualChoices, type ReadChoices } from 'tall-kite/model/choices';
import type { OperationPart } from '../heavy/part.ts';
import { announce } from '../live/announce.ts';

/** The tasks of a worker process. Each can be run again from the start after a crash: results are put in one transaction. */
export function tasks(db: Database, heavy: HeavyThread, settings: Settings): TaskList {
  const read: Task = (payload, helpers) => readDesignTask(db, heavy, (payload as { id: string }).id, helpers);
  const shelve: Task = (payload, helpers) => shelveTask(db, heavy, (payload as { id: string }).id, helpers);
  const all: TaskList = {
    'read-design': read,
    'read-design-large': read,
    shelve,
    'shelve-large': shelve,
    'write-file': (payload, helpers) => writeFileTask(db, heavy, (payload as { id: string }).id, helpers),
    operate: (payload, helpers) => operateTask(db, heavy, (payload as { id: string }).id, helpers),
    ...releaseTasks(db, heavy, settings),
  };
  return logged(settings.short ? Object.fromEntries(shortTasks.map((name) => [name, all[name]])) : all);
}

/** Tasks that tell in the log when they begin and how they end, under their own id and that of the request that asked for them. */
function logged(list: TaskList): TaskList {
  const told = (name: string, task: Task): Task =>
    function (payload, helpers) {
      const { id, request } = payload as { id?: string; request?: string };
      return withIds({ task: helpers.job.id, request }, async () => {
        const from = performance.now();
        log.info({ name, of: id, attempt: helpers.job.attempts }, 'task begun');
        try {
          await task(payload, helpers);
          log.info({ name, of: id, ms: Math.round(performance.now() - from) }, 'task ended');
        } catch (thrown) {
          log.warn({ name, of: id, ms: Math.round(performance.now() - from), err: thrown }, 'task is tried again');
          throw thrown;
        }
      });
    };
  return Object.fromEntries(Object.entries(list).map(([name, task]) => [name, told(name, task as Task)]));
}

async function readDesignTask(db: Database, heavy: HeavyThread, id: string, helpers: JobHelpers): Promise<void> {
  // Asked and taken in one statement: a run that waited for the database may end in between, and what it read is not to be read over again.
  const design = await db.updateTable('designs').set({ state: 'reading' }).where('id', '=', id).where('state', '!=', 'read').returningAll().executeTakeFirst();
  if (!design) return;
  await announce(db, design.job_id);
  try {
    notTooOften(helpers);
    const choices = await patient(() => choicesFor(db, design));
    const read = await heavy.call('read', { sha256: design.sha256, fileName: design.file_name, bytes: design.bytes, choices }, (progress, doing) => {
      void db
        .updateTable('designs')
        .set({ progress, doing })
        .where('id', '=', id)
        .where('state', '=', 'reading')
        .execute()
        .then(() => announce(db, design.job_id))
        .catch(() => {});
    });
    await patient(() => storeRead(db, design, read));
  } catch (thrown) {
    if (mayTryAgain(thrown, helpers)) throw thrown;
    const { code, message, remedy } = asUnusable(thrown);
    await db
      .updateTable('designs')
      .set({ state: 'failed', failure: JSON.stringify({ code, message, remedy }) })
      .where('id', '=', id)
      .where('state', '=', 'reading')
      .execute();
    await announce(db, design.job_id);
  }
}

/** Parts are put into the database so many at a time: one by one, ten thousand of them wait for ten thousand answers. */
const atOnce = 200;

/** Keeps what was read as parts. Done again after an outage that swallowed the answer, it finds that it was done. */
async function storeRead(db: Database, design: Selectable<DesignsTable>, read: ReadResult): Promise<void> {
  const { id } = design;
  await db.transaction().execute(async (trx) => {
    const still = await trx.selectFrom('designs').select('state').where('id', '=', id).forUpdate().executeTakeFirst();
    if (!still || still.state === 'read') return;
    await trx.deleteFrom('parts').where('design_id', '=', id).execute();
    const before = design.replaces && (await trx.selectFrom('designs').select('id').where('id', '=', design.replaces).executeTakeFirst());
    if (before) await revise(trx, design, before.id, read.parts);
    else {
      const receivers = await receiversOf(trx);
      const rows = read.parts.map((part, position) => ({
        job_id: design.job_id,
        design_id: id,
        position,
        variant: design.variant,
        ...partValues(part, receivers),
        ...recipeFrom(design.recipes, position, part),
        origin: JSON.stringify(originOf(part, design.file_name, position + 1)),
      }));
      for (let from = 0; from < rows.length; from += atOnce)
        await trx
          .insertInto('parts')
          .values(rows.slice(from, from + atOnce))
          .execute();
    }
    const { format, version, unit, tree, findings } = read;
    await trx
      .updateTable('designs')
      .set({ state: 'read', format, version, unit, tree: JSON.stringify(tree), findings: JSON.stringify(findings), failure: null })
      .where('id', '=', id)
      .execute();
    await announce(trx, design.job_id);
  });
}

/** The recipe that a part brings with it from the stores, if its kind is still the same. */
function recipeFrom(recipes: (Recipe | null)[] | null, position: number, part: { summary: PartSummary }): { recipe?: string } {
  const recipe = recipes?.[position];
  return recipe && Boolean(recipe.drawing) === (part.summary.kind === 'drawing') ? { recipe: JSON.stringify(recipe) } : {};
}

async function shelveTask(db: Database, heavy: HeavyThread, id: string, helpers: JobHelpers): Promise<void> {
  const kept = await db.selectFrom('kept_designs').select(['sha256', 'file_name', 'bytes', 'state', 'choices']).where('id', '=', id).executeTakeFirst();
  if (kept?.state !== 'queued') return;
  try {
    notTooOften(helpers);
    const { figures, picture } = await heavy.call('shelve', { sha256: kept.sha256, fileName: kept.file_name, bytes: kept.bytes, choices: kept.choices });
    await patient(() =>
      db
        .updateTable('kept_designs')
        .set({ state: 'kept', figures: JSON.stringify(figures), picture, failure: null })
        .where('id', '=', id)
        .execute(),
    );
  } catch (thrown) {
    if (mayTryAgain(thrown, helpers)) throw thrown;
    const { code, message, remedy } = asUnusable(thrown);
    await db
      .updateTable('kept_designs')
      .set({ state: 'failed', failure: JSON.stringify({ code, message, remedy }) })
      .where('id', '=', id)
      .execute();
  }
}

/** Choices of a design; the next revision of a picture is seen in the way in which the last one was. */
async function choicesFor(db: Database, design: { choices: ReadChoices | null; replaces: string | null }): Promise<ReadChoices | null> {
  if (!design.replaces) return design.choices;
  const before = await db.selectFrom('parts').select('summary').where('design_id', '=', design.replaces).where('removed', '=', false).execute();
  const trace = before.find((p) => p.summary.traced)?.summary.traced?.choice;
  return trace ? { ...(design.choices ?? usualChoices), trace } : design.choices;
}

async function writeFileTask(db: Database, heavy: HeavyThread, id: string, helpers: JobHelpers): Promise<void> {
  const file = await db
    .selectFrom('files')
    .innerJoin('parts', 'parts.id', 'files.part_id')
    .select(['files.job_id', 'files.state', 'files.recipe', 'parts.summary', 'parts.name', 'parts.geometry_sha256'])
    .where('files.id', '=', id)
    .executeTakeFirst();
  if (!file || file.state === 'written') return;
  await db.updateTable('files').set({ state: 'writing' }).where('id', '=', id).where('state', '!=', 'written').execute();
  await announce(db, file.job_id);
  try {
    notTooOften(helpers);
    const summary = { ...file.summary, name: file.name };
    const written = await heavy.call('write', { summary, geometry: file.geometry_sha256, recipe: file.recipe });
    const { fileName, sha256, bytes, evidence } = written;
    await patient(() =>
      db
        .updateTable('files')
        .set({ state: 'written', file_name: fileName, sha256, bytes, evidence: JSON.stringify(evidence), failure: null })
        .where('id', '=', id)
        .execute(),
    );
  } catch (thrown) {
    if (mayTryAgain(thrown, helpers)) throw thrown;
    const { code, message, remedy } = asUnusable(thrown);
    await db
      .updateTable('files')
      .set({ state: 'failed', failure: JSON.stringify({ code, message, remedy }) })
      .where('id', '=', id)
      .execute();
  }
  await announce(db, file.job_id);
}

async function operateTask(db: Database, heavy: HeavyThread, id: string, helpers: JobHelpers): Promise<void> {
  const row = await db.selectFrom('operations').selectAll().where('id', '=', id).executeTakeFirst();
  if (!row) return;
  const keptAtOnce = operationOf(row.kind).gives === 'kept at once';
  // The database went away before it was kept; what can't be kept any more stays a proposal.
  if (row.state === 'ready' && keptAtOnce)
    await keepOperation(db, id).catch((thrown: unknown) => {
      if (databaseAway(thrown)) throw thrown;
    });
  if (!['queued', 'working'].includes(row.state)) return;
  await db.updateTable('operations').set({ state: 'working', progress: 0 }).where('id', '=', id).where('state', '=', 'queued').execute();
  await announce(db, row.job_id);
  const cancel = new Int32Array(new SharedArrayBuffer(4));
  // Whether the person gave up is asked now and then; the thread itself can not be spoken to while it computes.
  const watch = setInterval(() => {
    void db
      .selectFrom('operations')
      .select('state')
      .where('id', '=', id)
      .executeTakeFirst()
      .then((now) => now?.state !== 'working' && Atomics.store(cancel, 0, 1))
      .catch(() => {});
  }, 400);
  try {
    notTooOften(helpers);
    const parts = await patient(() => operationParts(db, row.parts));
    // A request names a font that is kept in the stores; its bytes are fetched when the work is done.
    const request = await withKeptFont(row.request, (font) => patient(async () => (await fontById(db, font)).data));
    const result = await heavy.call('operate', { request, parts, cancel }, (progress, doing) => {
      void db
        .updateTable('operations')
        .set({ progress, doing })
        .where('id', '=', id)
        .where('state', '=', 'working')
        .execute()
        .then(() => announce(db, row.job_id))
        .catch(() => {});
    });
    await patient(() =>
      db
        .updateTable('operations')
        .set({ state: 'ready', progress: 1, doing: '', result: JSON.stringify(result) })
        .where('id', '=', id)
        .where('state', '=', 'working')
        .execute(),
    );
    if (keptAtOnce) await keepOperation(db, id);
  } catch (thrown) {
    if (mayTryAgain(thrown, helpers)) throw thrown;
    const { code, message, remedy } = asUnusable(thrown);
    await db
      .updateTable('operations')
      .set({ state: code === 'cancelled' ? 'cancelled' : 'failed', failure: JSON.stringify({ code, message, remedy }) })
      .where('id', '=', id)
      .where('state', '=', 'working')
      .execute();
  } finally {
    clearInterval(watch);
  }
  await announce(db, row.job_id);
}

/** Parts as an operation takes them, in the order asked for. */
async function operationParts(db: Database, ids: string[]): Promise<OperationPart[]> {
  const rows = await db
    .selectFrom('parts')
    .innerJoin('designs', 'designs.id', 'parts.design_id')
    .selectAll('parts')
    .select('designs.sha256 as source')
    .where('parts.id', 'in', ids)
    .execute();
  return ids.map((id) => {
    const row = rows.find((r) => r.id === id)!;
    const { source, recipe, place } = row;
    return { id, summary: { ...row.summary, name: row.name, quantity: row.quantity }, geometry: row.geometry_sha256, source, recipe, place };
  });
}
