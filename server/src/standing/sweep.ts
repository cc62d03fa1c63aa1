import { readdir, rm, stat } from 'node:fs/promises';
import { join } from 'node:path';
import { sql } from 'kysely';
import type { Database } from '../database/connect.ts';
import { keptDays } from '../jobs/jobs.ts';

/** What was taken away for good. */
export interface Swept {
  jobs: number;
  designs: number;
  releases: number;
  files: number;
  bytes: number;
}

/** Files younger than this stay: somebody may be about to write the row that speaks of them. */
const settled = 24 * 3600 * 1000;
/** Only one process sweeps at a time. The number is ours. */
const lock = 748_201;

/**
 * Takes away what nobody can come back to: jobs, designs and releases removed longer ago than they are kept, stored files that no row speaks of, uploads that broke off,
 * workers long gone. Null when another process is at it.
 */
export async function sweep(db: Database, dataDir: string, now = Date.now()): Promise<Swept | null> {
  return db.connection().execute(async (one) => {
    const { rows } = await sql<{ mine: boolean }>`select pg_try_advisory_lock(${lock}) as mine`.execute(one);
    if (!rows[0].mine) return null;
    try {
      const old = new Date(now - keptDays * 24 * 3600 * 1000);
      const { numDeletedRows } = await one.deleteFrom('jobs').where('removed_at', '<', old).executeTakeFirst();
      const designs = await one.deleteFrom('designs').where('removed_at', '<', old).executeTakeFirst();
      const releases = await sweepReleases(one, old);
      await one
        .deleteFrom('workers')
        .where('seen_at', '<', new Date(now - settled))
        .execute();
      const spoken = await hashesSpokenOf(one);
      const stored = await sweepFolder(join(dataDir, 'blobs'), now, (name) => spoken.has(name));
      const broken = await sweepFolder(join(dataDir, 'incoming'), now, () => false);
      return {
        jobs: Number(numDeletedRows),
        designs: Number(designs.numDeletedRows),
        releases,
        files: stored.files + broken.files,
        bytes: stored.bytes + broken.bytes,
      };
    } finally {
      await sql`select pg_advisory_unlock(${lock})`.execute(one);
    }
  });
}

/** Releases removed before a day, with their files. The last one of a job stays as an empty row, so that no number is given twice. */
async function sweepReleases(db: Database, before: Date): Promise<number> {
  await sql`delete from release_files where release_id in (select id from releases where removed_at < ${before})`.execute(db);
  const { rows } = await sql`delete from releases r where removed_at < ${before}
    and exists (select 1 from releases n where n.job_id = r.job_id and n.number > r.number) returning id`.execute(db);
  return rows.length;
}

/** Every hash that a row speaks of, in columns of their own and inside of JSON: whatever looks like one keeps its file. */
async function hashesSpokenOf(db: Database): Promise<Set<string>> {
  const columns = await sql<{ t: string; c: string }>`select table_name as t, column_name as c from information_schema.columns
    where table_schema = 'public' and data_type in ('text', 'jsonb', 'json')`.execute(db);
  const found = new Set<string>();
  for (const { t, c } of columns.rows) {
    const { rows } = await sql<{ hash: string }>`select distinct m[1] as hash from ${sql.table(t)},
      regexp_matches(${sql.ref(c)}::text, '[0-9a-f]{64}', 'g') as m`.execute(db);
    for (const { hash } of rows) found.add(hash);
  }
  return found;
}

/** Removes files of a folder and of those in it that are old enough and not kept. */
async function sweepFolder(folder: string, now: number, kept: (name: string) => boolean): Promise<{ files: number; bytes: number }> {
  const out = { files: 0, bytes: 0 };
  for (const entry of await readdir(folder, { withFileTypes: true }).catch(() => [])) {
    const path = join(folder, entry.name);
    if (entry.isDirectory()) {
      const inner = await sweepFolder(path, now, kept);
      out.files += inner.files;
      out.bytes += inner.bytes;
    } else if (!kept(entry.name)) {
      const { mtimeMs, size } = await stat(path);
      if (now - mtimeMs < settled) continue;
      await rm(path, { force: true });
      out.files++;
      out.bytes += size;
    }
  }
  return out;
}
