import { randomUUID } from 'node:crypto';
import type { JobHelpers, TaskList } from 'graphile-worker';
import { sql, type Selectable } from 'kysely';
import { asUnusable } from 'tall-kite/base/finding';
import type { Recipe } from 'tall-kite/recipe/recipe';
import { heldBack } from 'tall-kite/release/run';
import type { Database } from '../database/connect.ts';
import type { HeavyThread, MakeResult } from '../heavy/heavy.ts';
import type { Failure } from '../database/failure.ts';
import { announceRelease, channel } from '../live/announce.ts';
import { mayTryAgain, patient } from '../queue/again.ts';
import type { Settings } from '../settings/settings.ts';
import { Blobs } from '../storage/blobs.ts';
import { fillFolder, putInFolder } from './folder.ts';
import { deliver } from './deliver.ts';
import type { Means } from './means.ts';
import { deliveryOf, settleRelease } from './releases.ts';
import type { ReleaseFilesTable, ReleaseOptions } from './tables.ts';

type Row = Selectable<ReleaseFilesTable>;

/** The tasks of a release. Each can be run again from the start: files are kept by their hash, and a row is finished once. */
export function releaseTasks(db: Database, heavy: HeavyThread, settings: Settings): TaskList {
  const means: Means = { db, blobs: new Blobs(settings.dataDir), settings };
  const id = (payload: unknown) => (payload as { id: string }).id;
  return {
    'release-file': (payload, helpers) => releaseFileTask(means, heavy, id(payload), helpers),
    'deliver-file': (payload, helpers) => deliver(means, id(payload), helpers),
    'fill-folder': (payload) => fillFolder(means, id(payload)),
  };
}

async function releaseFileTask(means: Means, heavy: HeavyThread, id: string, helpers: JobHelpers): Promise<void> {
  const { db } = means;
  const row = await patient(() => claim(db, id));
  if (!row) {
    // Made already, by a run that was cut off before it could say so to the queue.
    const { release_id } = (await db.selectFrom('release_files').select('release_id').where('id', '=', id).executeTakeFirst()) ?? {};
    if (release_id) await settleRelease(db, release_id);
    return;
  }
  let result: Result;
  let takeBack: (() => Promise<void>) | null = null;
  try {
    const { name, parts, line, title, bed, input } = row;
    const done = await heavy.call('make', { key: row.id, name, parts, line, title, bed, input, skip: null });
    const { made } = done;
    if (made && row.options.folder && !heldBack(made.evidence, row.options.evenSo ?? false))
      takeBack = await patient(() => putInFolder(means, row.release_id, { name: row.name, sha256: made.sha256 }));
    result = done;
  } catch (thrown) {
    if (mayTryAgain(thrown, helpers)) throw thrown;
    const { code, message, remedy } = asUnusable(thrown);
    result = { failed: { code, message, remedy } };
  }
  await patient(() => finish(db, row, result));
  if (takeBack && (await patient(() => stateOf(db, id))) === 'cancelled') await takeBack();
  await patient(() => settleRelease(db, row.release_id));
}

const stateOf = async (db: Database, id: string) => (await db.selectFrom('release_files').select('state').where('id', '=', id).executeTakeFirst())?.state;

type Claimed = Row & { options: ReleaseOptions };

/** Takes a row that waits, or that a run was cut off with, and tells that it is being made; null when there is nothing to do. */
async function claim(db: Database, id: string): Promise<Claimed | null> {
  const { rows } = await sql<Claimed>`
    with claimed as (
      update release_files set state = 'making', started_at = coalesce(started_at, now()), seq = nextval('release_seq')
      where id = ${id} and state in ('queued', 'making') returning *)
    select claimed.*, releases.options, pg_notify(${channel}, 'release:' || claimed.release_id)
    from claimed join releases on releases.id = claimed.release_id`.execute(db);
  return rows[0] ?? null;
}

type Result = MakeResult | { failed: Failure };

/** What came of a row, as its columns take it. */
function outcomeOf(row: Claimed, result: Result) {
  const nothing = { sha256: null, bytes: null, evidence: null, delivery: 'none' } as const;
  if ('failed' in result) return { ...nothing, state: 'failed', failure: JSON.stringify(result.failed), verdict: 'stop' };
  const { made, skipped } = result;
  if (!made) return { ...nothing, state: 'skipped', failure: skipped ? JSON.stringify(skipped) : null, verdict: 'look' };
  const { sha256, bytes, evidence } = made;
  return {
    state: 'made',
    failure: null,
    verdict: evidence.verdict,
    sha256,
    bytes,
    evidence: JSON.stringify(evidence),
    delivery: deliveryOf(evidence, row.options),
  };
}

/**
 * Puts what came of a row into the database, once and in one statement: a row that is finished or cancelled already stays as it is. A file of
 * one part, as it is, comes to stand among that part's files too, so that it can be laid on the light table.
 */
async function finish(db: Database, row: Claimed, result: Result): Promise<void> {
  const { state, failure, verdict, sha256, bytes, evidence, delivery } = outcomeOf(row, result);
  const [part] = row.parts;
  const shown = state === 'made' && row.line.group === 'each' && !(row.line.flatten && part.summary.kind !== 'drawing');
  await sql`
    with done as (
      update release_files set state = ${state}, ended_at = now(), seq = nextval('release_seq'),
        failure = ${failure}::jsonb, verdict = ${verdict}, sha256 = ${sha256}, bytes = ${bytes}::bigint, evidence = ${evidence}::jsonb,
        file_id = (select ${randomUUID()}::uuid from parts where id = ${shown ? part.key : null}::uuid), delivery = ${delivery}
      where id = ${row.id} and state = 'making' returning id, release_id, job_id, file_id, delivery),
    shown as (
      insert into files (id, job_id, part_id, part_version, recipe, state, file_name, sha256, bytes, evidence)
      select file_id, job_id, ${part.key}::uuid, ${part.version}::int, ${JSON.stringify(recipeOf(row))}::jsonb, 'written', ${row.name.split('/').pop()!}::text,
        ${sha256}::text, ${bytes}::bigint, ${evidence}::jsonb
      from done where file_id is not null)
    select pg_notify(${channel}, 'release:' || release_id),
      case when delivery = 'waiting' then graphile_worker.add_job('deliver-file', json_build_object('id', id::text), max_attempts := 8, job_key := 'deliver-file:' || id, priority := 11) end
    from done`.execute(db);
}

/** The part's recipe as the line wrote it. */
function recipeOf({ parts: [part], line }: Row): Recipe {
  return {
    ...part.recipe,
    receiver: line.receiver,
    file: { ...part.recipe.file, format: line.format, unit: line.unit },
    ...(line.facets ? { facets: { ...part.recipe.facets, ...line.facets, preset: null, budget: null } } : {}),
    ...(part.recipe.drawing ? { drawing: { ...part.recipe.drawing, ...line.drawing } } : {}),
  };
}

/** Rows whose task has gone from the queue or was tried too often: they count as failed, so that a run always ends. */
export async function sweepReleases(db: Database): Promise<void> {
  const failure = JSON.stringify({
    code: 'given-up',
    message: 'The computation stopped several times while this file was made.',
    remedy: 'Look at the part on the light table; then retry what failed.',
  });
  const lost = await sql<{
    release_id: string;
  }>`update release_files f set state = 'failed', verdict = 'stop', failure = ${failure}::jsonb, ended_at = now(), seq = nextval('release_seq')
    where f.state in ('queued', 'making') and not exists
      (select 1 from graphile_worker._private_jobs j where j.key = 'release-file:' || f.id and (j.locked_at is not null or j.attempts < j.max_attempts))
    returning release_id`.execute(db);
  for (const releaseId of new Set(lost.rows.map((r) => r.release_id))) {
    await settleRelease(db, releaseId);
    await announceRelease(db, releaseId);
  }
}
