import type { TreeNode } from 'tall-kite/model/design';
import { sql, type Selectable } from 'kysely';
import { Unusable } from 'tall-kite/base/finding';
import { stepsOfThread, threadOf, type StepState, type Strand } from 'tall-kite/steps/registry';
import { worstOf, type MadePart, type PartState } from 'tall-kite/steps/step';
import type { WayId } from 'tall-kite/steps/way';
import { groupedBy } from 'tall-kite/base/sets';
import type { Database } from '../database/connect.ts';
import { propertiesOf } from '../parts/properties.ts';
import type { Failure } from '../database/failure.ts';
import type { DesignState, FilesTable, FileState, JobCounts, JobsTable, RevisionChange } from '../database/tables.ts';
import { operationViews, type OperationView } from '../operations/operations.ts';
import type { Finding } from 'tall-kite/base/finding';
import type { PartSummary } from 'tall-kite/model/design';
import type { Recipe } from 'tall-kite/recipe/recipe';
import type { Evidence } from 'tall-kite/prove/evidence';

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

export interface FileView {
  id: string;
  state: FileState;
  fileName: string | null;
  bytes: number | null;
  sha256: string | null;
  evidence: Evidence | null;
  failure: Failure | null;
  recipe: Recipe;
  /** The part changed after this file was asked for. */
  stale: boolean;
  createdAt: string;
}

export interface PartView {
  id: string;
  designId: string;
  designName: string;
  name: string;
  quantity: number;
  leftOut: boolean;
  number: string;
  material: string;
  /** mm. */
  thickness: number | null;
  variant: string;
  /** What became of it at the last revision of its source. */
  change: RevisionChange | null;
  /** Where it stands among the others: 12 numbers, mm. */
  place: number[];
  /** Hash of its drawing: another one means another shape. */
  view: string;
  version: number;
  summary: PartSummary;
  findings: Finding[];
  recipe: Recipe;
  file: FileView | null;
  /** What a person said that it is for; null while nobody has. */
  ways: WayId[] | null;
  /** The part that it was made of here. */
  madeFrom: string | null;
  steps: StepState[];
  strands: Strand[];
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

/** One page of the jobs, the one changed last first, with what is ready in each, and how many there are in all. */
export async function listJobs(db: Database, asked: Partial<JobsAsked> = {}): Promise<{ jobs: JobRow[]; total: number }> {
  const { from = 0, many = 50, search = '', removed = false } = asked;
  const like = `%${search.replace(/[%_\\]/g, '\\$&')}%`;
  const wanted = db
    .selectFrom('jobs')
    .where('removed_at', removed ? 'is not' : 'is', null)
    .$if(search !== '', (q) => q.where('name', 'ilike', like));
  const { total } = await wanted.select((eb) => eb.fn.countAll<number>().as('total')).executeTakeFirstOrThrow();
  const rows = await wanted.selectAll().orderBy('changed_at', 'desc').orderBy('id').offset(from).limit(Math.min(mostJobs, many)).execute();
  const jobs: JobRow[] = [];
  for (const job of rows) {
    const counts = job.counts ?? (await counted(db, job));
    jobs.push({ id: job.id, name: job.name, changedAt: job.changed_at.toISOString(), removedAt: job.removed_at?.toISOString() ?? null, ...counts });
  }
  return { jobs, total };
}

/** Counts a job and keeps what was counted, unless it changed meanwhile. */
async function counted(db: Database, job: Selectable<JobsTable>): Promise<JobCounts> {
  const parts = (await partViews(db, job.id)).filter((p) => !p.leftOut);
  const worst = (p: PartView) => worstOf(p.steps).mark;
  const { rows } = await sql<{ reading: number; bytes: number }>`
    select (select count(*) from designs where job_id = ${job.id} and state in ('queued','reading'))::int as reading,
      (coalesce((select sum(bytes) from designs where job_id = ${job.id}), 0) + coalesce((select sum(bytes) from files where job_id = ${job.id}), 0)
        + coalesce((select sum(bytes) from release_files where job_id = ${job.id}), 0))::float8 as bytes`.execute(db);
  const counts: JobCounts = {
    parts: parts.length,
    clear: parts.filter((p) => !['stop', 'look'].includes(worst(p))).length,
    look: parts.filter((p) => worst(p) === 'look').length,
    stop: parts.filter((p) => worst(p) === 'stop').length,
    written: parts.filter((p) => p.file?.state === 'written' && !p.file.stale).length,
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
  const job = await db.selectFrom('jobs').selectAll().where('id', '=', jobId).where('removed_at', 'is', null).executeTakeFirst();
  if (!job) throw noSuchJob();
  const designs = await db.selectFrom('designs').selectAll().where('job_id', '=', jobId).orderBy('created_at').execute();
  const parts = await partViews(db, jobId);
  if (whole !== null) for (const part of parts) if (part.id !== whole && part.file) part.file.evidence = null;
  const undo = await db.selectFrom('changes').select('what').where('job_id', '=', jobId).where('undone', '=', false).orderBy('id', 'desc').executeTakeFirst();
  const redo = await db.selectFrom('changes').select('what').where('job_id', '=', jobId).where('undone', '=', true).orderBy('id').executeTakeFirst();
  return {
    id: job.id,
    name: job.name,
    parts,
    operations: await operationViews(db, jobId),
    undo: undo?.what ?? null,
    redo: redo?.what ?? null,
    designs: designs.map((d) => ({
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
    })),
  };
}

/** The parts of a job in the order of their designs, or one of them, each with its last file. */
export async function partViews(db: Database, jobId: string, partId?: string): Promise<PartView[]> {
  let query = db
    .selectFrom('parts')
    .innerJoin('designs', 'designs.id', 'parts.design_id')
    .selectAll('parts')
    .select(['designs.file_name as design_name', 'designs.created_at as design_created'])
    .where('parts.job_id', '=', jobId)
    .where('parts.removed', '=', false);
  if (partId) query = query.where((eb) => eb.or([eb('parts.id', '=', partId), eb('parts.made_from', '=', partId)]));
  const rows = await query.orderBy('designs.created_at').orderBy('designs.id').orderBy('parts.position').execute();
  if (rows.length === 0) return [];
  const files = await db
    .selectFrom('files')
    .distinctOn('part_id')
    .selectAll()
    .where('job_id', '=', jobId)
    .$if(partId !== undefined, (q) =>
      q.where(
        'part_id',
        'in',
        rows.map((r) => r.id),
      ),
    )
    .orderBy('part_id')
    .orderBy(sql`created_at desc`)
    .execute();
  const byPart = new Map(files.map((f) => [f.part_id, f]));
  const views = rows.map((row): PartView => {
    const last = byPart.get(row.id);
    const file = last ? viewOf(last, row.version) : null;
    const part = { name: row.name, quantity: row.quantity, summary: { ...row.summary, name: row.name }, findings: row.findings, recipe: row.recipe };
    return {
      id: row.id,
      designId: row.design_id,
      designName: row.design_name,
      leftOut: row.left_out,
      ...propertiesOf(row),
      change: row.change,
      place: row.place,
      view: row.view_sha256,
      version: row.version,
      file,
      ...part,
      ways: row.ways,
      madeFrom: row.made_from,
      ...threaded({ ...part, ways: row.ways }, file),
    };
  });
  const children = groupedBy(
    views.filter((v) => v.madeFrom !== null && !v.leftOut),
    (v) => v.madeFrom!,
  );
  for (const view of views) {
    const made = children.get(view.id);
    if (made) Object.assign(view, threaded({ ...view, made: made.map(madeOf) }, view.file));
  }
  return partId ? views.filter((v) => v.id === partId) : views;
}

/** The steps of a part, and its strands. */
function threaded(part: PartState, file: FileView | null): Pick<PartView, 'steps' | 'strands'> {
  const thread = threadOf(part, file);
  return { steps: stepsOfThread(thread), strands: thread.strands };
}

/** What stands for a part in the row of the one that it was made of. */
function madeOf({ id, name, summary, steps, strands }: PartView): MadePart {
  const [{ file, received }] = strands;
  return {
    id,
    name,
    kind: summary.kind,
    flat: Boolean(summary.flat),
    spread: Boolean(summary.patch),
    relief: Boolean(summary.relief),
    size: steps.find((s) => s.step === 'Size')!,
    file,
    received,
  };
}

function viewOf(row: Selectable<FilesTable>, partVersion: number): FileView {
  return {
    id: row.id,
    state: row.state,
    fileName: row.file_name,
    bytes: row.bytes,
    sha256: row.sha256,
    evidence: row.evidence,
    failure: row.failure,
    recipe: row.recipe,
    stale: row.part_version !== partVersion,
    createdAt: row.created_at.toISOString(),
  };
}

/** One of a part's files, the last or an earlier one. @throws Unusable when there is none. */
export async function fileView(db: Database, fileId: string): Promise<FileView> {
  const row = await db.selectFrom('files').selectAll().where('id', '=', fileId).executeTakeFirst();
  const part = row && (await db.selectFrom('parts').select('version').where('id', '=', row.part_id).executeTakeFirst());
  if (!row || !part) throw new Unusable('no-such-file', 'There is no such written file.', 'Go back to the ledger.');
  return viewOf(row, part.version);
}
