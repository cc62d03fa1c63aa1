import type { JobHelpers, TaskList } from 'graphile-worker';
import { sql } from 'kysely';
import { asUnusable } from 'tall-kite/findings/finding';
import { receiverOf } from 'tall-kite/receivers/receivers';
import type { Recipe } from 'tall-kite/recipe/recipe';
import type { Database } from '../database/connect.ts';
import type { HeavyThread, MakeResult } from '../heavy/heavy.ts';
import { announceRelease } from '../live/announce.ts';
import { mayTryAgain, patient } from '../queue/again.ts';
import type { Settings } from '../settings/settings.ts';
import { Blobs } from '../storage/blobs.ts';
import { fillFolder, putInFolder } from './folder.ts';
import { deliver } from './deliver.ts';
import { settleRelease } from './releases.ts';
import type { ReleaseFilesTable } from './tables.ts';
import type { Selectable } from 'kysely';

type Row = Selectable<ReleaseFilesTable>;

/** The tasks of a release. Each can be run again from the start: files are kept by their hash, and a row is finished once. */
export function releaseTasks(db: Database, heavy: HeavyThread, settings: Settings): TaskList {
  const blobs = new Blobs(settings.dataDir);
  const id = (payload: unknown) => (payload as { id: string }).id;
  return {
    'release-file': (payload, helpers) => releaseFileTask(db, heavy, blobs, settings, id(payload), helpers),
    'deliver-file': (payload, helpers) => deliver(db, blobs, settings, id(payload), helpers),
    'fill-folder': (payload) => fillFolder(db, blobs, settings, id(payload)),
  };
}

async function releaseFileTask(db: Database, heavy: HeavyThread, blobs: Blobs, settings: Settings, id: string, helpers: JobHelpers): Promise<void> {
  const claimed = await patient(() =>
    sql<{ release_id: string }>`update release_files set state = 'making', started_at = coalesce(started_at, now()), seq = nextval('release_seq')
      where id = ${id} and state in ('queued', 'making') returning release_id`.execute(db),
  );
  if (claimed.rows.length === 0) {
    // Made already, by a run that was cut off before it could say so to the queue.
    const row = await db.selectFrom('release_files').select('release_id').where('id', '=', id).executeTakeFirst();
    if (row) await settleRelease(db, row.release_id);
    return;
  }
  const releaseId = claimed.rows[0].release_id;
  await patient(() => announceRelease(db, releaseId));
  const row = await patient(() => db.selectFrom('release_files').selectAll().where('id', '=', id).executeTakeFirstOrThrow());
  let result: MakeResult;
  try {
    const { name, parts, line, title, bed, input } = row;
    result = await heavy.call('make', { key: row.id, name, parts, line, title, bed, input, skip: null });
    const options = await patient(() =>
      db.selectFrom('releases').select(['options', 'job_id', 'number']).where('id', '=', releaseId).executeTakeFirstOrThrow(),
    );
    if (result.made && options.options.folder) await patient(() => putInFolder(db, blobs, settings, releaseId, row.name, result.made!.sha256));
  } catch (thrown) {
    if (mayTryAgain(thrown, helpers)) throw thrown;
    const { code, message, remedy } = asUnusable(thrown);
    await patient(() => finish(db, row, { failed: { code, message, remedy } }));
    await patient(() => settleRelease(db, releaseId));
    return;
  }
  await patient(() => finish(db, row, result));
  await patient(() => settleRelease(db, releaseId));
}

/** Puts what came of a row into the database, once: a row that is finished or cancelled already stays as it is. */
async function finish(db: Database, row: Row, result: MakeResult | { failed: { code: string; message: string; remedy: string } }): Promise<void> {
  await db.transaction().execute(async (trx) => {
    const still = await trx.selectFrom('release_files').select('state').where('id', '=', row.id).forUpdate().executeTakeFirst();
    if (still?.state !== 'making') return;
    const failure = 'failed' in result ? result.failed : (result.skipped ?? null);
    const made = 'made' in result ? result.made : undefined;
    const { options } = await trx.selectFrom('releases').select('options').where('id', '=', row.release_id).executeTakeFirstOrThrow();
    const deliverIt = made !== undefined && options.deliver;
    const fileId = made ? await lightTableRow(trx, row, made) : null;
    await sql`update release_files set state = ${made ? 'made' : 'failed' in result ? 'failed' : 'skipped'}, ended_at = now(), seq = nextval('release_seq'),
      failure = ${failure && JSON.stringify(failure)}::jsonb, verdict = ${made ? made.evidence.verdict : 'failed' in result ? 'stop' : 'look'},
      sha256 = ${made?.sha256 ?? null}, bytes = ${made?.bytes ?? null}::bigint, evidence = ${made ? JSON.stringify(made.evidence) : null}::jsonb,
      file_id = ${fileId}::uuid, delivery = ${deliverIt ? 'waiting' : 'none'} where id = ${row.id}`.execute(trx);
    if (deliverIt) {
      await sql`select graphile_worker.add_job('deliver-file', json_build_object('id', ${row.id}::text), max_attempts := 8, job_key := ${`deliver-file:${row.id}`}, priority := 11)`.execute(trx); // prettier-ignore
    }
    await announceRelease(trx, row.release_id);
  });
}

/** A file of one part, as it is, stands among that part's files too, so that it can be laid on the light table. */
async function lightTableRow(db: Database, row: Row, made: NonNullable<MakeResult['made']>): Promise<string | null> {
  const [part] = row.parts;
  if (row.line.group !== 'each' || (row.line.flatten && part.summary.kind !== 'drawing')) return null;
  const known = await db.selectFrom('parts').select('id').where('id', '=', part.key).executeTakeFirst();
  if (!known) return null;
  const recipe: Recipe = {
    ...part.recipe,
    receiver: receiverOf(row.line.receiver).id,
    file: { ...part.recipe.file, format: row.line.format, unit: row.line.unit },
    ...(row.line.facets ? { facets: { ...part.recipe.facets, ...row.line.facets, preset: null, budget: null } } : {}),
    ...(part.recipe.drawing ? { drawing: { ...part.recipe.drawing, ...row.line.drawing } } : {}),
  };
  const { id } = await db
    .insertInto('files')
    .values({
      job_id: row.job_id,
      part_id: part.key,
      part_version: part.version,
      recipe: JSON.stringify(recipe),
      state: 'written',
      file_name: row.name.split('/').pop()!,
      sha256: made.sha256,
      bytes: made.bytes,
      evidence: JSON.stringify(made.evidence),
    })
    .returning('id')
    .executeTakeFirstOrThrow();
  return id;
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
