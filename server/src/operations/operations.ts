import { Unusable } from 'tall-kite/base/finding';
import type { PartSummary } from 'tall-kite/model/design';
import { firstRecipe, type Recipe } from 'tall-kite/recipe/recipe';
import { identityRows } from 'tall-kite/geometry/rows';
import type { Database } from '../database/connect.ts';
import type { Failure } from '../database/failure.ts';
import type { OperationState, PartFields } from '../database/tables.ts';
import { announce } from '../live/announce.ts';
import { noSuchPart, Overtaken, recordChange, type PartDelta } from '../parts/change.ts';
import type { Receiver } from 'tall-kite/receivers/receivers';
import { rulesOfNow } from '../stores/rules.ts';
import { receiversOf } from '../stores/receivers.ts';
import { enqueue } from '../queue/enqueue.ts';
import { operationOf, partsOf, type Gives } from 'tall-kite/operations/registry';
import type { OperationKind, OperationReport, OperationRequest } from './requests.ts';

/** An operation as the pages see it. */
export interface OperationView {
  id: string;
  kind: OperationKind;
  /** What comes of it: something to keep or drop, something told, or a file. */
  gives: Gives;
  request: OperationRequest;
  parts: string[];
  state: OperationState;
  progress: number;
  doing: string;
  report: OperationReport | null;
  /** Names and figures of the parts that it would make. */
  made: {
    name: string;
    kind: PartSummary['kind'];
    triangles: number | null;
    volume: number;
    size: [number, number, number];
    thumb: string | null;
    view: string;
  }[];
  inPlace: boolean;
  places: string | null;
  failure: Failure | null;
  /** A part changed after this was computed. */
  stale: boolean;
  createdAt: string;
}

/** Asks for an operation: a row and a task in one transaction. What was ready of the same kind for the same parts goes. */
export async function askForOperation(db: Database, jobId: string, asked: OperationRequest): Promise<string> {
  // A file is held against the rules that its receiver has now, not those that a page once fetched.
  const request = 'receiver' in asked ? { ...asked, receiver: await rulesOfNow(db, asked.receiver) } : asked;
  const wanted = partsOf(request);
  const file = operationOf(request.kind).gives === 'file';
  return db.transaction().execute(async (trx) => {
    const parts = await trx
      .selectFrom('parts')
      .select(['id', 'version'])
      .where('job_id', '=', jobId)
      .where('removed', '=', false)
      .where('id', 'in', wanted)
      .execute();
    if (parts.length !== wanted.length) throw noSuchPart();
    const versions = Object.fromEntries(parts.map((p) => [p.id, p.version]));
    const old = await trx
      .selectFrom('operations')
      .select(['id', 'parts'])
      .where('job_id', '=', jobId)
      .where('kind', '=', request.kind)
      .where('state', 'in', ['ready', 'failed', 'cancelled'])
      .execute();
    const same = old.filter((o) => !file && o.parts.length === wanted.length && o.parts.every((p) => wanted.includes(p)));
    if (same.length > 0)
      await trx
        .deleteFrom('operations')
        .where(
          'id',
          'in',
          same.map((o) => o.id),
        )
        .execute();
    const { id } = await trx
      .insertInto('operations')
      .values({
        job_id: jobId,
        kind: request.kind,
        request: JSON.stringify(request),
        parts: JSON.stringify(wanted),
        versions: JSON.stringify(versions),
        state: 'queued',
      })
      .returning('id')
      .executeTakeFirstOrThrow();
    await enqueue(trx, 'operate', id);
    await announce(trx, jobId);
    return id;
  });
}

/** Operations of a job that still matter: at work, ready to be kept, reports and files; the newest last. */
export async function operationViews(db: Database, jobId: string): Promise<OperationView[]> {
  const rows = await db
    .selectFrom('operations')
    .selectAll()
    .where('job_id', '=', jobId)
    .where('state', 'not in', ['kept', 'dropped'])
    .orderBy('created_at')
    .execute();
  if (rows.length === 0) return [];
  const parts = await db.selectFrom('parts').select(['id', 'version']).where('job_id', '=', jobId).execute();
  const versions = new Map(parts.map((p) => [p.id, p.version]));
  return rows.map((row) => ({
    id: row.id,
    kind: row.kind,
    gives: operationOf(row.kind).gives,
    request: shortened(row.request),
    parts: row.parts,
    state: row.state,
    progress: row.progress,
    doing: row.doing,
    report: row.result ? withoutRows(row.result.report) : null,
    made: (row.result?.made ?? []).map((m) => ({
      name: m.name,
      kind: m.summary.kind,
      triangles: m.summary.triangles,
      volume: m.summary.volume,
      size: sizeOf(m.summary),
      thumb: m.summary.thumb ?? null,
      view: m.view,
    })),
    inPlace: row.result?.inPlace ?? false,
    places: row.result?.places ?? null,
    failure: row.failure,
    stale: Object.entries(row.versions).some(([id, version]) => versions.get(id) !== version),
    createdAt: row.created_at.toISOString(),
  }));
}

/** Rows of a cut list hold outlines: they are asked for on their own. */
const withoutRows = ({ cutList: _, ...report }: OperationReport): OperationReport => report;

/** Where parts lie is not told again with every look at a job. */
const shortened = (request: OperationRequest): OperationRequest => (request.kind === 'nest' ? { ...request, laid: null } : request);

/** The whole report of an operation. @throws Unusable when it is not there or not done */
export async function reportOf(db: Database, id: string): Promise<OperationReport> {
  const row = await db.selectFrom('operations').select('result').where('id', '=', id).executeTakeFirst();
  if (!row?.result) throw new Unusable('no-such-operation', 'That is not there any more.', 'Reload the page.');
  return row.result.report;
}

const sizeOf = ({ box }: PartSummary) => [0, 1, 2].map((k) => box.max[k] - box.min[k]) as [number, number, number];

/** Whether what comes of it is kept: by a person, or at once. */
const isKept = (kind: OperationKind): boolean => ['proposal', 'kept at once'].includes(operationOf(kind).gives);

/**
 * Keeps a proposal: the part takes its new shape, or new parts come and the old ones are left out. One change, undone as one. Gives the new parts.
 * @throws Overtaken when a part changed since, Unusable when there is nothing to keep.
 */
export async function keepOperation(db: Database, operationId: string): Promise<{ made: string[] }> {
  return db.transaction().execute(async (trx) => {
    const row = await trx.selectFrom('operations').selectAll().where('id', '=', operationId).forUpdate().executeTakeFirst();
    if (!row || row.state !== 'ready' || !row.result || !isKept(row.kind))
      throw new Unusable('nothing-to-keep', 'There is nothing to keep any more.', 'Ask for it again.');
    const parts = await trx.selectFrom('parts').selectAll().where('id', 'in', row.parts).forUpdate().execute();
    if (parts.length !== row.parts.length || parts.some((p) => p.version !== row.versions[p.id] || p.removed)) throw new Overtaken();
    const first = parts.find((p) => p.id === row.parts[0])!;
    const deltas: PartDelta[] = [];
    const fresh: string[] = [];
    if (row.result.inPlace && row.result.made.length === 1) {
      const [made] = row.result.made;
      const after: PartFields = {
        shape: { summary: made.summary, findings: made.findings, geometry_sha256: made.geometry, view_sha256: made.view },
        name: made.name,
      };
      const before: PartFields = {
        shape: { summary: first.summary, findings: first.findings, geometry_sha256: first.geometry_sha256, view_sha256: first.view_sha256 },
        name: first.name,
      };
      deltas.push({ part: first.id, before, after });
    } else if (row.result.made.length > 0) {
      const { most } = await trx
        .selectFrom('parts')
        .select((eb) => eb.fn.max('position').as('most'))
        .where('design_id', '=', first.design_id)
        .executeTakeFirstOrThrow();
      const receivers = await receiversOf(trx);
      for (const [i, made] of row.result.made.entries()) {
        const recipe = recipeOfMade(made.summary, first, receivers);
        const { id } = await trx
          .insertInto('parts')
          .values({
            job_id: row.job_id,
            design_id: first.design_id,
            position: most + 1 + i,
            name: made.name,
            quantity: made.summary.quantity,
            summary: JSON.stringify(made.summary),
            findings: JSON.stringify(made.findings),
            geometry_sha256: made.geometry,
            view_sha256: made.view,
            recipe: JSON.stringify(recipe),
            place: JSON.stringify(made.summary.format === 'made here' ? identityRows : first.place),
            made_from: row.result.beside ? first.id : null,
          })
          .returning('id')
          .executeTakeFirstOrThrow();
        deltas.push({ part: id, before: { removed: true }, after: { removed: false } });
        fresh.push(id);
      }
      if (!row.result.beside) for (const part of parts) deltas.push({ part: part.id, before: { left_out: part.left_out }, after: { left_out: true } });
    } else throw new Unusable('nothing-to-keep', 'Nothing had to be changed.', 'Go on with the next step.');
    const { verb } = operationOf(row.kind);
    await recordChange(trx, row.job_id, `${verb} ${first.name}`.slice(0, 80), deltas);
    await trx.updateTable('operations').set({ state: 'kept' }).where('id', '=', operationId).execute();
    await announce(trx, row.job_id);
    return { made: fresh };
  });
}

/** What made here becomes of goes to the same receiver while it is of the same kind; a drawing of a solid, or a solid of a drawing, begins anew. */
function recipeOfMade(made: PartSummary, from: { summary: PartSummary; recipe: Recipe }, receivers: readonly Receiver[]): Recipe {
  const sameKind = (made.kind === 'drawing') === (from.summary.kind === 'drawing');
  if (made.format !== 'made here') return from.recipe;
  // A block of stock goes where it has room, not where its relief went.
  return sameKind && !made.relief ? { ...firstRecipe(made, receivers), receiver: from.recipe.receiver } : firstRecipe(made, receivers);
}

/** Drops a proposal or a report, or gives up one at work. */
export async function dropOperation(db: Database, operationId: string): Promise<void> {
  const row = await db.selectFrom('operations').select(['job_id', 'state']).where('id', '=', operationId).executeTakeFirst();
  if (!row) return;
  const working = row.state === 'queued' || row.state === 'working';
  await db
    .updateTable('operations')
    .set({ state: working ? 'cancelled' : 'dropped' })
    .where('id', '=', operationId)
    .execute();
  await announce(db, row.job_id);
}

/** A written file of several parts. @throws Unusable when there is none. */
export async function operationFile(db: Database, operationId: string) {
  const row = await db.selectFrom('operations').select(['result', 'state']).where('id', '=', operationId).executeTakeFirst();
  const file = row?.result?.report.file;
  if (!file || row?.state !== 'ready') throw new Unusable('no-such-file', 'There is no such written file.', 'Go back and write it.');
  return file;
}

/** A copy of a part beside it, a spacing away along X. One change that can be undone. */
export async function copyPart(db: Database, partId: string, spacing: number): Promise<string> {
  return db.transaction().execute(async (trx) => {
    const part = await trx.selectFrom('parts').selectAll().where('id', '=', partId).where('removed', '=', false).forUpdate().executeTakeFirst();
    if (!part) throw noSuchPart();
    const { most } = await trx
      .selectFrom('parts')
      .select((eb) => eb.fn.max('position').as('most'))
      .where('design_id', '=', part.design_id)
      .executeTakeFirstOrThrow();
    const place = [...part.place];
    place[3] += (part.summary.box.max[0] - part.summary.box.min[0]) * part.recipe.size.factor + spacing;
    const name = `${part.name} copy`.slice(0, 120);
    const { id } = await trx
      .insertInto('parts')
      .values({
        job_id: part.job_id,
        design_id: part.design_id,
        position: most + 1,
        name,
        quantity: part.quantity,
        summary: JSON.stringify({ ...part.summary, name }),
        findings: JSON.stringify(part.findings),
        geometry_sha256: part.geometry_sha256,
        view_sha256: part.view_sha256,
        recipe: JSON.stringify(part.recipe),
        ways: part.ways && JSON.stringify(part.ways),
        place: JSON.stringify(place),
      })
      .returning('id')
      .executeTakeFirstOrThrow();
    await recordChange(trx, part.job_id, `copy ${part.name}`.slice(0, 80), [{ part: id, before: { removed: true }, after: { removed: false } }]);
    await announce(trx, part.job_id);
    return id;
  });
}
