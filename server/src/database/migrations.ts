import { sql, type Kysely, type Migration, Migrator } from 'kysely';
import { runMigrations } from 'graphile-worker';
import type pg from 'pg';
import { readyReceivers } from 'tall-kite/receivers/ready';
import { noReceiver, takesParts } from 'tall-kite/receivers/receivers';
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

/** Operations on parts, their places among each other, choices before reading, changes of several parts, formats. */
const second: Migration = {
  async up(db: Kysely<unknown>) {
    await sql`alter table designs add column choices jsonb`.execute(db);
    await sql`alter table parts add column place jsonb not null default '[1,0,0,0,0,1,0,0,0,0,1,0]', add column removed boolean not null default false`.execute(
      db,
    );
    await sql`update parts set recipe = jsonb_set(recipe, '{file}', recipe->'file' || '{"format":"stl","quads":false}')`.execute(db);
    await sql`update files set recipe = jsonb_set(recipe, '{file}', recipe->'file' || '{"format":"stl","quads":false}')`.execute(db);
    await sql`alter table changes add column parts jsonb`.execute(db);
    // Old changes hold recipes from before there were formats.
    await sql`update changes set parts = jsonb_build_array(jsonb_build_object('part', part_id,
      'before', case when before ? 'recipe' then jsonb_set(before, '{recipe,file}', before->'recipe'->'file' || '{"format":"stl","quads":false}') else before end,
      'after', case when after ? 'recipe' then jsonb_set(after, '{recipe,file}', after->'recipe'->'file' || '{"format":"stl","quads":false}') else after end))`.execute(
      db,
    );
    await sql`alter table changes drop column part_id, drop column before, drop column after, alter column parts set not null`.execute(db);
    await sql`create table operations (id uuid primary key default gen_random_uuid(), job_id uuid not null references jobs on delete cascade,
      kind text not null, request jsonb not null, parts jsonb not null, versions jsonb not null,
      state text not null check (state in ('queued','working','ready','failed','cancelled','kept','dropped')),
      progress real not null default 0, doing text not null default '', result jsonb, failure jsonb,
      created_at timestamptz not null default now())`.execute(db);
    await sql`create index on operations (job_id, created_at)`.execute(db);
  },
};

/** Bend tables in the stores. */
const third: Migration = {
  async up(db: Kysely<unknown>) {
    await sql`create table bend_tables (id uuid primary key default gen_random_uuid(), name text not null, content jsonb not null,
      removed boolean not null default false, version int not null default 1, changed_at timestamptz not null default now())`.execute(db);
    await sql`create unique index on bend_tables (lower(name)) where not removed`.execute(db);
  },
};

/** Releases, their files and inboxes; properties, variants and revisions of parts. */
const fourth: Migration = {
  async up(db: Kysely<unknown>) {
    await sql`alter table parts add column number text, add column material text, add column thickness double precision,
      add column variant text not null default '', add column origin jsonb, add column change jsonb`.execute(db);
    await sql`alter table designs add column variant text not null default '', add column replaces uuid references designs on delete set null`.execute(db);
    await sql`create table releases (id uuid primary key default gen_random_uuid(), job_id uuid not null references jobs on delete cascade,
      number int not null, recipe jsonb not null, options jsonb not null, head jsonb not null, changes jsonb,
      state text not null check (state in ('running','done','cancelled')), folder text,
      created_at timestamptz not null default now(), ended_at timestamptz, unique (job_id, number))`.execute(db);
    await sql`create unique index on releases (folder)`.execute(db);
    await sql`create sequence release_seq`.execute(db);
    await sql`create table release_files (id uuid primary key default gen_random_uuid(), release_id uuid not null references releases on delete cascade,
      job_id uuid not null references jobs on delete cascade, position int not null, name text not null, parts jsonb not null, line jsonb not null,
      title text not null, bed jsonb, input text not null,
      state text not null check (state in ('queued','making','made','same','skipped','failed','cancelled')),
      sha256 text, bytes bigint, verdict text, evidence jsonb, failure jsonb, file_id uuid references files on delete set null,
      delivery text not null default 'none' check (delivery in ('none','waiting','accepted','refused','failed')), delivery_said text,
      started_at timestamptz, ended_at timestamptz, seq bigint not null default nextval('release_seq'), unique (release_id, position))`.execute(db);
    await sql`create unique index on release_files (release_id, lower(name)) where name <> ''`.execute(db);
    await sql`create index on release_files (release_id, seq)`.execute(db);
    await sql`create index on release_files (release_id) where state in ('queued','making')`.execute(db);
    await sql`create index on release_files (job_id, input) where sha256 is not null`.execute(db);
    await sql`create table inbox (id bigint primary key generated always as identity, receiver text not null, key text unique,
      file_name text not null, sha256 text not null, bytes bigint not null, accepted boolean not null, said text not null, remedy text not null,
      at timestamptz not null default now())`.execute(db);
    await sql`create index on inbox (receiver, id desc)`.execute(db);
  },
};

/** Receivers as rows: the ready ones are copied in, and recipes hold the rules of theirs instead of its id. */
const fifth: Migration = {
  async up(db: Kysely<unknown>) {
    await sql`create table receivers (id text primary key, name text not null, rules jsonb not null, position int not null,
      archived boolean not null default false, version int not null default 1, changed_at timestamptz not null default now())`.execute(db);
    await sql`create unique index on receivers (lower(name))`.execute(db);
    for (const [i, rules] of readyReceivers.entries())
      await sql`insert into receivers (id, name, rules, position) values (${rules.id}, ${rules.name}, ${JSON.stringify(rules)}, ${i + 1})`.execute(db);
    const none = JSON.stringify(noReceiver);
    const rulesOf = (id: string) => sql`coalesce((select rules from receivers r where r.id = ${sql.raw(id)}), ${none}::jsonb)`;
    for (const table of ['parts', 'files'])
      await sql`update ${sql.table(table)} set recipe = jsonb_set(recipe, '{receiver}', ${rulesOf("recipe->>'receiver'")})
        where jsonb_typeof(recipe->'receiver') = 'string'`.execute(db);
    await sql`update operations set request = jsonb_set(request, '{receiver}', ${rulesOf("request->>'receiver'")})
      where jsonb_typeof(request->'receiver') = 'string'`.execute(db);
    await sql`update release_files set line = jsonb_set(line, '{receiver}', ${rulesOf("line->>'receiver'")})
      where jsonb_typeof(line->'receiver') = 'string'`.execute(db);
    const inParts = (column: string, path: string) => sql`update ${sql.raw(column.split('.')[0])} set parts = (select jsonb_agg(
        case when jsonb_typeof(part #> ${path}::text[]) = 'string' then jsonb_set(part, ${path}::text[], ${rulesOf(`part #>> '${path}'`)}) else part end order by n)
        from jsonb_array_elements(parts) with ordinality as each(part, n)) where jsonb_array_length(parts) > 0`;
    for (const side of ['before', 'after']) await inParts('changes.parts', `{${side},recipe,receiver}`).execute(db);
    await inParts('release_files.parts', '{recipe,receiver}').execute(db);
    await sql`update releases set recipe = jsonb_set(recipe, '{lines}', (select jsonb_agg(
        case when jsonb_typeof(line->'receiver') = 'string' then jsonb_set(line, '{receiver}', ${rulesOf("line->>'receiver'")}) else line end order by n)
        from jsonb_array_elements(recipe->'lines') with ordinality as each(line, n)))`.execute(db);
  },
};

/** What a part is for, and which part it was made of. */
const sixth: Migration = {
  async up(db: Kysely<unknown>) {
    await sql`alter table parts add column ways jsonb, add column made_from uuid references parts on delete set null`.execute(db);
    await sql`create index on parts (made_from) where made_from is not null`.execute(db);
  },
};

/** Counts of a job, kept until something of it changes; jobs that were removed and can be brought back. */
const seventh: Migration = {
  async up(db: Kysely<unknown>) {
    await sql`alter table jobs add column counts jsonb, add column removed_at timestamptz`.execute(db);
    await sql`create index on jobs (removed_at, changed_at desc, id)`.execute(db);
  },
};

/** Fonts of people's own; how far a design has been read. */
const eighth: Migration = {
  async up(db: Kysely<unknown>) {
    await sql`create table fonts (id text primary key, name text not null, bytes int not null, data bytea not null,
      removed boolean not null default false, changed_at timestamptz not null default now())`.execute(db);
    await sql`alter table designs add column progress real not null default 0, add column doing text not null default ''`.execute(db);
  },
};

/** Cut lists of jobs: what a person changed, how parts are laid. Sheets and remnants in the stores. */
const ninth: Migration = {
  async up(db: Kysely<unknown>) {
    await sql`create table cut_lists (job_id uuid primary key references jobs on delete cascade, version int not null default 1,
      content jsonb not null, changed_at timestamptz not null default now())`.execute(db);
    await sql`create table stock_sheets (id uuid primary key default gen_random_uuid(), content jsonb not null,
      removed boolean not null default false, changed_at timestamptz not null default now())`.execute(db);
  },
};

/** The ready tube bender and board shop, in stores that were filled before there were such. */
const tenth: Migration = {
  async up(db: Kysely<unknown>) {
    for (const rules of readyReceivers.filter((r) => !takesParts(r)))
      await sql`insert into receivers (id, name, rules, position)
      select ${rules.id}, ${rules.name}, ${JSON.stringify(rules)}::jsonb, coalesce(max(position), 0) + 1 from receivers on conflict do nothing`.execute(db);
  },
};

/** The ready knife table for cloth and film. */
const eleventh: Migration = {
  async up(db: Kysely<unknown>) {
    for (const rules of readyReceivers.filter((r) => r.id === 'dunlin'))
      await sql`insert into receivers (id, name, rules, position)
      select ${rules.id}, ${rules.name}, ${JSON.stringify(rules)}::jsonb, coalesce(max(position), 0) + 1 from receivers on conflict do nothing`.execute(db);
  },
};

/** Designs in the stores, on shelves; recipes that come with a design. */
const twelfth: Migration = {
  async up(db: Kysely<unknown>) {
    await sql`create table shelves (id uuid primary key default gen_random_uuid(), name text not null, removed boolean not null default false)`.execute(db);
    await sql`create table kept_designs (id uuid primary key default gen_random_uuid(), shelf_id uuid references shelves on delete set null,
      file_name text not null, sha256 text not null, bytes bigint not null, tags jsonb not null default '[]', state text not null, figures jsonb, failure jsonb,
      picture text, revision int not null default 1, replaced_by uuid references kept_designs on delete set null, recipes jsonb,
      removed boolean not null default false, created_at timestamptz not null default now(), changed_at timestamptz not null default now())`.execute(db);
    await sql`create index kept_designs_by_name on kept_designs (lower(file_name), id) where not removed and replaced_by is null`.execute(db);
    await sql`create index kept_designs_by_bytes on kept_designs (sha256)`.execute(db);
    await sql`create index kept_designs_by_next on kept_designs (replaced_by)`.execute(db);
    await sql`create index designs_by_bytes on designs (sha256)`.execute(db);
    await sql`alter table designs add column recipes jsonb`.execute(db);
  },
};

/** Materials in the stores. */
const thirteenth: Migration = {
  async up(db: Kysely<unknown>) {
    await sql`create table materials (id uuid primary key default gen_random_uuid(), name text not null, content jsonb not null,
      removed boolean not null default false, version int not null default 1, changed_at timestamptz not null default now())`.execute(db);
    await sql`create unique index on materials (lower(name)) where not removed`.execute(db);
  },
};

/** The transaction that touched a part, a design or the files of a part last, so that a page can be told what changed since it looked. */
const fourteenth: Migration = {
  async up(db: Kysely<unknown>) {
    for (const table of ['parts', 'designs']) await sql`alter table ${sql.table(table)} add column rev bigint not null default 0`.execute(db);
    await sql`create index parts_by_rev on parts (job_id, rev)`.execute(db);
    await sql`create index designs_by_rev on designs (job_id, rev)`.execute(db);
    await sql`create index parts_by_source on parts (made_from) where made_from is not null`.execute(db);
    await sql`create function touched() returns trigger language plpgsql as $$
      begin new.rev := pg_current_xact_id()::text::bigint; return new; end $$`.execute(db);
    await sql`create function part_of_file_touched() returns trigger language plpgsql as $$
      begin update parts set rev = 0 where id = coalesce(new.part_id, old.part_id) and rev <> pg_current_xact_id()::text::bigint; return null; end $$`.execute(
      db,
    );
    await sql`create function source_touched() returns trigger language plpgsql as $$
      begin update parts set rev = 0 where id = old.made_from and rev <> pg_current_xact_id()::text::bigint; return null; end $$`.execute(db);
    for (const table of ['parts', 'designs'])
      await sql`create trigger touched before insert or update on ${sql.table(table)} for each row execute function touched()`.execute(db);
    await sql`create trigger part_touched after insert or update or delete on files for each row execute function part_of_file_touched()`.execute(db);
    await sql`create trigger source_touched after delete on parts for each row when (old.made_from is not null) execute function source_touched()`.execute(db);
  },
};

/** Designs and releases that were removed: kept for a while, brought back when asked. */
const fifteenth: Migration = {
  async up(db: Kysely<unknown>) {
    await sql`alter table designs add column removed_at timestamptz, add column removed_parts jsonb`.execute(db);
    await sql`alter table releases add column removed_at timestamptz`.execute(db);
  },
};

/** Designs in the stores are read as they were in the job they came from. */
const sixteenth: Migration = {
  async up(db: Kysely<unknown>) {
    await sql`alter table kept_designs add column choices jsonb`.execute(db);
  },
};

/** Brings the database to this version of the program, the queue's own tables too. */
export async function migrate(db: Database, pool: pg.Pool): Promise<void> {
  const migrator = new Migrator({
    db,
    provider: {
      getMigrations: async () => ({
        '001-first-slice': first,
        '002-operations': second,
        '003-bend-tables': third,
        '004-releases': fourth,
        '005-receivers': fifth,
        '006-ways': sixth,
        '007-jobs-kept': seventh,
        '008-fonts': eighth,
        '009-cut-lists': ninth,
        '010-benders-and-boards': tenth,
        '011-knife-table': eleventh,
        '012-kept-designs': twelfth,
        '013-materials': thirteenth,
        '014-what-changed': fourteenth,
        '015-removed': fifteenth,
        '016-kept-choices': sixteenth,
      }),
    },
  });
  const { error } = await migrator.migrateToLatest();
  if (error) throw error;
  await runMigrations({ pgPool: pool });
}
