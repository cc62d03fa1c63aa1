import { sql, type Selectable } from 'kysely';
import { Unusable, type Finding } from 'tall-kite/base/finding';
import type { TreeNode } from 'tall-kite/model/design';
import type { Database } from '../database/connect.ts';
import type { Failure } from '../database/failure.ts';
import type { DesignsTable, DesignState, JobCounts, JobsTable } from '../database/tables.ts';
import { operationViews, type OperationView } from '../operations/operations.ts';
import { tallyOf, type Tally } from './book.ts';
import { partIds, partViews, viewsInSlices, type PartView } from './part-views.ts';

export interface JobRow extends JobCounts {
  id: string;
  name: string;
  changedAt: string;
  /** When it was removed; null for one that is there. */
  removedAt: string | null;
}

export interface DesignView {
  id: string;
  fileName: string;
  bytes: number;
  sha256: string;
  state: DesignState;
  /** While it is read: how far, 0 to 1, and at what. */
  progress: number;
  doing: string;
  format: string | null;
  version: string | null;
  unit: string | null;
  tree: TreeNode[];
  findings: Finding[];
  failure: Failure | null;
  /** The design that this one is, or will be, the next revision of. */
  replaces: string | null;
}

export interface JobView {
  id: string;
  name: string;
  designs: DesignView[];
  parts: PartView[];
  operations: OperationView[];
  undo: string | null;
  redo: string | null;
}

/** Makes a job. @throws Unusable when the name is empty or too long. */
export async function makeJob(db: Database, name: string): Promise<string> {
  const plain = name.trim();
  if (plain.length === 0 || plain.length > 120) throw new Unusable('bad-name', 'A job needs a name of 1 to 120 characters.', 'Type a shorter or longer name.');
  const { id } = await db.insertInto('jobs').values({ name: plain }).returning('id').executeTakeFirstOrThrow();
  return id;
}

/** Which jobs of a list are wanted. */
export interface JobsAsked {
  from: number;
  many: number;
  /** A piece of the name; empty for all. */
  search: string;
  removed: boolean;
}

/** How long a removed job can be brought back, days. */
export const keptDays = 30;

/** Most jobs of one page of the list. */
const mostJobs = 200;

/** What is counted of each part of a job. */
export type Counting = (db: Database, jobId: string) => Promise<Tally[]>;

/** Looks at every part. A process that remembers jobs has a quicker way. */
const countAnew: Counting = async (db, jobId) => {
  const tallies: Tally[] = [];
  for await (const views of viewsInSlices(db, jobId, await partIds(db, jobId))) tallies.push(...views.map(tallyOf));
  return tallies;
};

/**
 * One page of the jobs, the one changed last first, with what is ready in each, and how many there are in all.
 * @param counting how the parts of a job that changed are counted.
 */
export async function listJobs(db: Database, asked: Partial<JobsAsked> = {}, counting = countAnew): Promise<{ jobs: JobRow[]; total: number }> {
  const { from = 0, many = 50, search = '', removed = false } = asked;
  const like = `%${search.replace(/[%_\\]/g, '\\$&')}%`;
  const wanted = db
    .selectFrom('jobs')
    .where('removed_at', removed ? 'is not' : 'is', null)
    .$if(search !== '', (q) => q.where('name', 'ilike', like));
  const rows = await wanted
    .selectAll()
    .select((eb) => eb.fn.countAll<number>().over().as('total'))
    .orderBy('changed_at', 'desc')
    .orderBy('id')
    .offset(from)
    .limit(Math.min(mostJobs, many))
    .execute();
  // A page beyond the last one has no row to tell it.
  const total = rows[0]?.total ?? (from === 0 ? 0 : (await wanted.select((eb) => eb.fn.countAll<number>().as('total')).executeTakeFirstOrThrow()).total);
  const jobs: JobRow[] = [];
  for (const job of rows) {
    const counts = job.counts ?? (await counted(db, job, counting));
    jobs.push({ id: job.id, name: job.name, changedAt: job.changed_at.toISOString(), removedAt: job.removed_at?.toISOString() ?? null, ...counts });
  }
  return { jobs, total };
}

/** Counts a job and keeps what was counted, unless it changed meanwhile. */
async function counted(db: Database, job: Selectable<JobsTable>, counting: Counting): Promise<JobCounts> {
  const parts = (await counting(db, job.id)).filter((p) => !p.leftOut);
  const marked = (mark: Tally['mark']) => parts.filter((p) => p.mark === mark).length;
  const { rows } = await sql<{ reading: number; bytes: number }>`
    select (select count(*) from designs where job_id = ${job.id} and state in ('queued','reading'))::int as reading,
      (coalesce((select sum(bytes) from designs where job_id = ${job.id}), 0) + coalesce((select sum(bytes) from files where job_id = ${job.id}), 0)
        + coalesce((select sum(bytes) from release_files where job_id = ${job.id}), 0))::float8 as bytes`.execute(db);
  const counts: JobCounts = {
    parts: parts.length,
    clear: marked('clear'),
    look: marked('look'),
    stop: marked('stop'),
    written: parts.filter((p) => p.written).length,
    ...rows[0],
  };
  await db
    .updateTable('jobs')
    .set({ counts: JSON.stringify(counts) })
    .where('id', '=', job.id)
    .where(sql`date_trunc('milliseconds', changed_at)`, '=', job.changed_at)
    .execute();
  return counts;
}

/** Removes a job with all that hangs on it; for `keptDays` it can be brought back. @throws Unusable when there is no such job. */
export async function removeJob(db: Database, jobId: string): Promise<void> {
  const { numUpdatedRows } = await db
    .updateTable('jobs')
    .set({ removed_at: new Date() })
    .where('id', '=', jobId)
    .where('removed_at', 'is', null)
    .executeTakeFirst();
  if (numUpdatedRows === 0n) throw noSuchJob();
}

/** Brings a removed job back. @throws Unusable when there is none any more. */
export async function bringBackJob(db: Database, jobId: string): Promise<void> {
  const { numUpdatedRows } = await db
    .updateTable('jobs')
    .set({ removed_at: null })
    .where('id', '=', jobId)
    .where('removed_at', 'is not', null)
    .executeTakeFirst();
  if (numUpdatedRows === 0n) throw noSuchJob();
}

const noSuchJob = () => new Unusable('no-such-job', 'There is no such job.', 'Go back to the list of jobs.');

/**
 * A job with its parts.
 * @param whole the part whose file comes with all its evidence; those of others come without, and without any when it is "none".
 * @throws Unusable when there is no such job.
 */
export async function jobView(db: Database, jobId: string, whole: string | null = null): Promise<JobView> {
  const head = await jobHead(db, jobId);
  const designs = await designViews(db, jobId);
  const parts = await partViews(db, jobId);
  if (whole !== null) for (const part of parts) if (part.id !== whole && part.file) part.file.evidence = null;
  return { ...head, designs, parts };
}

/** What there is of a job beside its parts and designs. @throws Unusable when there is no such job. */
export async function jobHead(db: Database, jobId: string): Promise<Omit<JobView, 'designs' | 'parts'>> {
  const job = await db.selectFrom('jobs').select(['id', 'name']).where('id', '=', jobId).where('removed_at', 'is', null).executeTakeFirst();
  if (!job) throw noSuchJob();
  const undo = await db.selectFrom('changes').select('what').where('job_id', '=', jobId).where('undone', '=', false).orderBy('id', 'desc').executeTakeFirst();
  const redo = await db.selectFrom('changes').select('what').where('job_id', '=', jobId).where('undone', '=', true).orderBy('id').executeTakeFirst();
  return { id: job.id, name: job.name, operations: await operationViews(db, jobId), undo: undo?.what ?? null, redo: redo?.what ?? null };
}

/** The designs of a job in the order in which they came. */
export async function designViews(db: Database, jobId: string): Promise<DesignView[]> {
  const designs = await db.selectFrom('designs').selectAll().where('job_id', '=', jobId).where('removed_at', 'is', null).orderBy('created_at').execute();
  return designs.map(designView);
}

const designView = (d: Selectable<DesignsTable>): DesignView => ({
  id: d.id,
  fileName: d.file_name,
  bytes: d.bytes,
  sha256: d.sha256,
  state: d.state,
  progress: d.progress,
  doing: d.doing,
  format: d.format,
  version: d.version,
  unit: d.unit,
  tree: d.tree ?? [],
  findings: d.findings ?? [],
  failure: d.failure,
  replaces: d.replaces,
});
