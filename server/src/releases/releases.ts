import { access } from 'node:fs/promises';
import { sql } from 'kysely';
import Joi from 'joi';
import { Unusable, type Severity } from 'tall-kite/base/finding';
import { comparedParts, type PartChange } from 'tall-kite/release/manifest';
import type { Clash } from 'tall-kite/release/names';
import { planned, type Plan } from 'tall-kite/release/plan';
import type { ReleaseRecipe } from 'tall-kite/release/recipe';
import type { Evidence } from 'tall-kite/prove/evidence';
import { aboutRow, heldBack } from 'tall-kite/release/run';
import { checkRelease } from 'tall-kite/release/schema';
import type { Receiver } from 'tall-kite/receivers/receivers';
import { safeFileName } from 'tall-kite/recipe/recipe';
import type { Database } from '../database/connect.ts';
import type { Failure } from '../database/failure.ts';
import { announce } from '../live/announce.ts';
import type { Blobs } from '../storage/blobs.ts';
import { releaseParts } from './parts.ts';
import type { ReleaseOptions, ReleasePart } from './tables.ts';

export const program = 'tall-kite 0.1.0';

/** So many rows of a preview are shown. */
const previewed = 300;

export interface Wish {
  recipe: ReleaseRecipe;
  options: ReleaseOptions;
}

const wishSchema = Joi.object({
  recipe: Joi.object().required(),
  options: Joi.object({ folder: Joi.boolean().default(false), deliver: Joi.boolean().default(false), evenSo: Joi.boolean().default(false) }).default({
    folder: false,
    deliver: false,
    evenSo: false,
  }),
});

/** Checks a release that is asked for. @throws Unusable with the field and the limit. */
export function checkWish(input: unknown, receivers: readonly Receiver[]): Wish {
  const { value, error } = wishSchema.validate(input);
  if (error) throw new Unusable('bad-release', `The release can't be used: ${error.message}.`, 'Correct that field.');
  const recipe = checkRelease(value.recipe, receivers);
  // Rules that came along with a recipe give way to those in the stores.
  const lines = recipe.lines.map((l) => ({ ...l, receiver: receivers.find((r) => r.id === l.receiver.id) ?? l.receiver }));
  return { recipe: checkRelease({ ...recipe, lines }, receivers), options: value.options };
}

export interface PlanView {
  files: number;
  skipped: number;
  /** The first rows: what goes where under which name. */
  rows: { key: string; part: string; receiver: string; name: string; clashes: boolean; why: string | null }[];
  clashes: Clash[];
}

async function planOf(db: Database, jobId: string, recipe: ReleaseRecipe, preview: boolean): Promise<Plan & { given: Map<string, ReleasePart> }> {
  const job = await db.selectFrom('jobs').select('name').where('id', '=', jobId).executeTakeFirst();
  if (!job) throw new Unusable('no-such-job', 'There is no such job.', 'Go back to the list of jobs.');
  const { parts, sources } = await releaseParts(db, jobId);
  const whole = { ...recipe, job: recipe.job || job.name };
  return { ...planned(parts, sources, whole, { program, preview }), given: new Map(parts.map((p) => [p.key, p])) };
}

/** What a release would make, without making it: names and clashes. */
export async function previewRelease(db: Database, jobId: string, recipe: ReleaseRecipe): Promise<PlanView> {
  const plan = await planOf(db, jobId, recipe, true);
  const skipped = plan.rows.filter((r) => r.skip).length;
  const clashing = new Set(plan.clashes.flatMap((c) => c.rows));
  // Rows that clash come first, so that they are seen.
  const order = plan.rows.map((row, i) => ({ row, i })).sort((a, b) => Number(clashing.has(b.i)) - Number(clashing.has(a.i)) || a.i - b.i);
  return {
    files: plan.rows.length - skipped,
    skipped,
    rows: order.slice(0, previewed).map(({ row, i }) => ({
      key: row.key,
      part: aboutRow(row).part,
      receiver: aboutRow(row).receiver,
      name: row.name,
      clashes: clashing.has(i),
      why: row.skip?.message ?? null,
    })),
    clashes: plan.clashes.slice(0, 20),
  };
}

/** A file of an earlier release. */
interface Before {
  sha256: string;
  bytes: number;
  verdict: Severity;
  evidence: Evidence;
  file_id: string | null;
}

/** Bytes made before from the same inputs, by input. */
async function madeBefore(db: Database, blobs: Blobs, jobId: string, inputs: string[]) {
  const found = new Map<string, Before>();
  for (let i = 0; i < inputs.length; i += 1000) {
    const rows = await db
      .selectFrom('release_files')
      .distinctOn('input')
      .select(['input', 'sha256', 'bytes', 'verdict', 'evidence', 'file_id'])
      .where('job_id', '=', jobId)
      .where('sha256', 'is not', null)
      .where('state', 'in', ['made', 'same'])
      .where('input', 'in', inputs.slice(i, i + 1000))
      .execute();
    for (const { input, sha256, bytes, verdict, evidence, file_id } of rows) {
      const there = await access(blobs.path(sha256!)).then(
        () => true,
        () => false,
      );
      if (there) found.set(input, { sha256: sha256!, bytes: bytes!, verdict: verdict!, evidence: evidence!, file_id });
    }
  }
  return found;
}

/** Puts a task for each row that waits into the queue. People's own work goes before it. */
export async function enqueueFiles(db: Database, releaseId: string): Promise<void> {
  await sql`select count(graphile_worker.add_job('release-file', json_build_object('id', id::text), max_attempts := 5, job_key := 'release-file:' || id, priority := 10))
    from (select id from release_files where release_id = ${releaseId} and state = 'queued' order by position) waiting`.execute(db);
}

/**
 * Begins a release: rows and tasks in one transaction. What an earlier release of the job made from the same inputs is not made again.
 * @throws Unusable when nothing is chosen, names clash, or a run of the job is still going on.
 */
export async function beginRelease(db: Database, blobs: Blobs, jobId: string, wish: Wish): Promise<string> {
  const plan = await planOf(db, jobId, wish.recipe, false);
  const inputs = [...new Set(plan.rows.filter((r) => !r.skip).map((r) => r.input))];
  const known = await madeBefore(db, blobs, jobId, inputs);
  const id = await db.transaction().execute(async (trx) => {
    const job = await trx.selectFrom('jobs').select('name').where('id', '=', jobId).forUpdate().executeTakeFirstOrThrow();
    const last = await trx
      .selectFrom('releases')
      .select(['id', 'number', 'state', 'head'])
      .where('job_id', '=', jobId)
      .orderBy('number', 'desc')
      .executeTakeFirst();
    if (last?.state === 'running') throw new Unusable('still-running', `Release ${last.number} of this job is still going on.`, 'Wait for it, or cancel it.');
    const changes: PartChange[] | null = last ? comparedParts(last.head.parts, plan.prints) : null;
    const number = (last?.number ?? 0) + 1;
    const release = await trx
      .insertInto('releases')
      .values({
        job_id: jobId,
        number,
        recipe: JSON.stringify(wish.recipe),
        options: JSON.stringify(wish.options),
        head: JSON.stringify(plan.manifest),
        changes: changes && JSON.stringify(changes),
        state: 'running',
        folder: null,
      })
      .returning('id')
      .executeTakeFirstOrThrow();
    if (wish.options.folder) await giveFolder(trx, release.id, `${safeFileName(job.name)}_${number}`);
    const rows = plan.rows.map((row, position) => ({
      release_id: release.id,
      job_id: jobId,
      position,
      name: row.name,
      parts: JSON.stringify(row.parts.map((p) => plan.given.get(p.key))),
      line: JSON.stringify(row.line),
      title: row.title,
      bed: row.bed && JSON.stringify(row.bed),
      input: row.input,
      ...beginning(row.skip, known.get(row.input), wish.options),
    }));
    for (let i = 0; i < rows.length; i += 100) await trx.insertInto('release_files').values(rows.slice(i, i + 100)).execute(); // prettier-ignore
    await enqueueFiles(trx, release.id);
    await enqueueDeliveries(trx, release.id);
    await announce(trx, jobId);
    return release.id;
  });
  await settleRelease(db, id);
  return id;
}

/** Gives a release its folder. Jobs may share a name: the second one's folder tells itself apart. */
async function giveFolder(trx: Database, releaseId: string, plain: string): Promise<void> {
  const taken = await trx.selectFrom('releases').select('id').where('folder', '=', plain).executeTakeFirst();
  const folder = taken ? `${plain}_${releaseId.slice(0, 8)}` : plain;
  await trx.updateTable('releases').set({ folder }).where('id', '=', releaseId).execute();
}

/** What a row begins with: skipped, the very bytes of an earlier release, or to be made. */
function beginning(skip: Failure | null, before: Before | undefined, options: ReleaseOptions) {
  const nothing = { verdict: null, sha256: null, bytes: null, evidence: null, file_id: null, delivery: 'none' } as const;
  if (skip) return { ...nothing, state: 'skipped', failure: JSON.stringify(skip), verdict: 'look' } as const;
  if (!before) return { ...nothing, state: 'queued', failure: null } as const;
  const { verdict, sha256, bytes, evidence, file_id } = before;
  return {
    state: 'same',
    failure: null,
    verdict,
    sha256,
    bytes,
    evidence: JSON.stringify(evidence),
    file_id,
    delivery: deliveryOf(evidence, options),
  } as const;
}

/** Whether a file that is made goes to its receiver's inbox. */
export function deliveryOf(evidence: Evidence, options: ReleaseOptions): 'waiting' | 'none' {
  return options.deliver && !heldBack(evidence, options.evenSo ?? false) ? 'waiting' : 'none';
}

/** Puts a task for each delivery that waits into the queue. */
export async function enqueueDeliveries(db: Database, releaseId: string): Promise<void> {
  await sql`select count(graphile_worker.add_job('deliver-file', json_build_object('id', id::text), max_attempts := 8, job_key := 'deliver-file:' || id, priority := 11))
    from release_files where release_id = ${releaseId} and delivery = 'waiting' and sha256 is not null`.execute(db);
}

/** Ends a release whose rows are all done, and has its manifest put beside files in the folder. Safe to call at any time. */
export async function settleRelease(db: Database, releaseId: string): Promise<void> {
  const ended = await sql<{ job_id: string }>`
    with ended as (
      update releases set state = 'done', ended_at = now() where id = ${releaseId} and state = 'running'
        and not exists (select 1 from release_files where release_id = ${releaseId} and state in ('queued', 'making'))
      returning id, job_id, options)
    select job_id, ${fillFolder} from ended`.execute(db);
  for (const { job_id } of ended.rows) await announce(db, job_id);
}

/** Has manifest and report put beside the files in the folder, where there is one: a column of a query over ended releases. */
const fillFolder = sql`case when (options->>'folder')::boolean then
  graphile_worker.add_job('fill-folder', json_build_object('id', id::text), max_attempts := 5, job_key := 'fill-folder:' || id)::text end`;

/** Cancels what is not made yet; what is made stays. */
export async function cancelRelease(db: Database, releaseId: string): Promise<void> {
  await db.transaction().execute(async (trx) => {
    const { rows } = await sql<{ job_id: string }>`
      with ended as (update releases set state = 'cancelled', ended_at = now() where id = ${releaseId} and state = 'running' returning id, job_id, options)
      select job_id, ${fillFolder} from ended`.execute(trx);
    const [release] = rows;
    if (!release) return;
    await sql`select count(graphile_worker.remove_job('release-file:' || id)) from release_files where release_id = ${releaseId} and state = 'queued'`.execute(
      trx,
    );
    await sql`update release_files set state = 'cancelled', seq = nextval('release_seq') where release_id = ${releaseId} and state in ('queued', 'making')`.execute(
      trx,
    );
    await announce(trx, release.job_id);
  });
}

/** Has what failed or was cancelled made again, and failed deliveries sent again. @throws Unusable when there is nothing to do again. */
export async function retryRelease(db: Database, releaseId: string): Promise<void> {
  await db.transaction().execute(async (trx) => {
    const release = await trx.selectFrom('releases').selectAll().where('id', '=', releaseId).forUpdate().executeTakeFirst();
    if (!release) throw noSuchRelease();
    const again = await sql`update release_files set state = 'queued', failure = null, started_at = null, ended_at = null, seq = nextval('release_seq')
      where release_id = ${releaseId} and state in ('failed', 'cancelled') returning id`.execute(trx);
    const sent = await sql`update release_files set delivery = 'waiting', delivery_said = null, seq = nextval('release_seq')
      where release_id = ${releaseId} and delivery = 'failed' returning id`.execute(trx);
    if (again.rows.length === 0 && sent.rows.length === 0)
      throw new Unusable('nothing-failed', 'Nothing of this release failed.', 'There is nothing to do again.');
    if (again.rows.length > 0) await trx.updateTable('releases').set({ state: 'running', ended_at: null }).where('id', '=', releaseId).execute();
    await enqueueFiles(trx, releaseId);
    await enqueueDeliveries(trx, releaseId);
    await announce(trx, release.job_id);
  });
}

/** Removes a release that has ended, or brings one back. @throws Unusable when there is none, or it is still running */
export async function setReleaseRemoved(db: Database, releaseId: string, removed: boolean): Promise<void> {
  const { numUpdatedRows } = await db
    .updateTable('releases')
    .set({ removed_at: removed ? new Date() : null })
    .where('id', '=', releaseId)
    .where('removed_at', removed ? 'is' : 'is not', null)
    .where('state', '!=', 'running')
    .executeTakeFirst();
  if (numUpdatedRows > 0n) return;
  const release = await db.selectFrom('releases').select('state').where('id', '=', releaseId).executeTakeFirst();
  if (release?.state === 'running') throw new Unusable('still-running', 'This release is still going on.', 'Cancel it, or wait for its end; then remove it.');
  throw noSuchRelease();
}

export const noSuchRelease = () => new Unusable('no-such-release', 'There is no such release.', 'Go back to the list of releases.');
