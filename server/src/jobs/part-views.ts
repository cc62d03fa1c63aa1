import { sql, type Selectable } from 'kysely';
import { Unusable, type Finding } from 'tall-kite/base/finding';
import { groupedBy } from 'tall-kite/base/sets';
import type { PartSummary } from 'tall-kite/model/design';
import type { Evidence } from 'tall-kite/prove/evidence';
import type { Recipe } from 'tall-kite/recipe/recipe';
import { stepsOfThread, threadOf, type StepState, type Strand } from 'tall-kite/steps/registry';
import type { MadePart, PartState } from 'tall-kite/steps/step';
import type { WayId } from 'tall-kite/steps/way';
import type { Database } from '../database/connect.ts';
import type { Failure } from '../database/failure.ts';
import type { FilesTable, FileState, RevisionChange } from '../database/tables.ts';
import { propertiesOf } from '../parts/properties.ts';

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

/** Ids of a job's parts in the order of their designs, as the ledger shows them. */
export async function partIds(db: Database, jobId: string): Promise<string[]> {
  const rows = await db
    .selectFrom('parts')
    .innerJoin('designs', 'designs.id', 'parts.design_id')
    .select('parts.id')
    .where('parts.job_id', '=', jobId)
    .where('parts.removed', '=', false)
    .orderBy('designs.created_at')
    .orderBy('designs.id')
    .orderBy('parts.position')
    .execute();
  return rows.map((r) => r.id);
}

/** Views are made so many at a time: between them others are served. */
const slice = 400;

/** The views of a list of parts, a few hundred at a time, in the order of the list; parts that are not there any more are left out. */
export async function* viewsInSlices(db: Database, jobId: string, ids: readonly string[]): AsyncGenerator<PartView[]> {
  for (let from = 0; from < ids.length; from += slice) {
    const wanted = ids.slice(from, from + slice);
    const found = new Map((await partViews(db, jobId, wanted)).map((v) => [v.id, v]));
    yield wanted.flatMap((id) => found.get(id) ?? []);
    await new Promise((others) => setImmediate(others));
  }
}

/** The parts of a job in the order of their designs, or some of them, each with its last file. */
export async function partViews(db: Database, jobId: string, wanted?: readonly string[]): Promise<PartView[]> {
  let query = db
    .selectFrom('parts')
    .innerJoin('designs', 'designs.id', 'parts.design_id')
    .selectAll('parts')
    .select(['designs.file_name as design_name', 'designs.created_at as design_created'])
    .where('parts.job_id', '=', jobId)
    .where('parts.removed', '=', false);
  if (wanted) query = query.where((eb) => eb.or([eb('parts.id', 'in', wanted), eb('parts.made_from', 'in', wanted)]));
  const rows = await query.orderBy('designs.created_at').orderBy('designs.id').orderBy('parts.position').execute();
  if (rows.length === 0) return [];
  const files = await db
    .selectFrom('files')
    .distinctOn('part_id')
    .selectAll()
    .where('job_id', '=', jobId)
    .$if(wanted !== undefined, (q) =>
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
  if (!wanted) return views;
  const asked = new Set(wanted);
  return views.filter((v) => asked.has(v.id));
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
