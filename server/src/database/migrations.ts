import { sql, type Kysely, type Migration, Migrator } from 'kysely';
import { runMigrations } from 'graphile-worker';
import type pg from 'pg';
import type { Database } from './connect.ts';

const first: Migration = {
  async up(db: Kysely<unknown>) {
    const id = (name = 'id') => sql`${sql.raw(name)} uuid primary key default gen_random_uuid()`;
    await sql`create table jobs (${id()}, name text not null, created_at timestamptz not null default now(),
      changed_at timestamptz not null default now())`.execute(db);
    await sql`create table designs (${id()}, job_id uuid not null references jobs on delete cascade, file_name text not null,
      bytes bigint not null, sha256 text not null, state text not null check (state in ('queued','reading','read','failed')),
      format text, version text, unit text, tree jsonb, findings jsonb, failure jsonb,
      created_at timestamptz not null default now())`.execute(db);
    await sql`create table parts (${id()}, job_id uuid not null references jobs on delete cascade,
      design_id uuid not null references designs on delete cascade, position int not null, name text not null,
      quantity int not null check (quantity > 0), summary jsonb not null, findings jsonb not null, geometry_sha256 text not null,
      view_sha256 text not null, recipe jsonb not null, left_out boolean not null default false,
      version int not null default 1, unique (design_id, position))`.execute(db);
    await sql`create table files (${id()}, job_id uuid not null references jobs on delete cascade,
      part_id uuid not null references parts on delete cascade, part_version int not null, recipe jsonb not null,
      state text not null check (state in ('queued','writing','written','failed')), file_name text, sha256 text, bytes bigint,
      evidence jsonb, failure jsonb, created_at timestamptz not null default now())`.execute(db);
    await sql`create table changes (id bigint primary key generated always as identity, job_id uuid not null references jobs on delete cascade,
      part_id uuid not null references parts on delete cascade, what text not null, before jsonb not null, after jsonb not null,
      undone boolean not null default false, created_at timestamptz not null default now())`.execute(db);
    await sql`create table workers (worker_id text primary key, seen_at timestamptz not null default now())`.execute(db);
    await sql`create index on designs (job_id)`.execute(db);
    await sql`create index on parts (job_id)`.execute(db);
    await sql`create index on files (part_id, created_at desc)`.execute(db);
    await sql`create index on changes (job_id, id)`.execute(db);
  },
};

/** Brings the database to this version of the program, the queue's own tables too. */
export async function migrate(db: Database, pool: pg.Pool): Promise<void> {
  const migrator = new Migrator({ db, provider: { getMigrations: async () => ({ '001-first-slice': first }) } });
  const { error } = await migrator.migrateToLatest();
  if (error) throw error;
  await runMigrations({ pgPool: pool });
}
