import { sql, type Selectable } from 'kysely';
import { identityRows } from 'tall-kite/geometry/rows';
import { changesOf, pairedParts } from 'tall-kite/release/manifest';
import { printOf } from 'tall-kite/release/plan';
import { firstRecipe, type Recipe } from 'tall-kite/recipe/recipe';
import type { Receiver } from 'tall-kite/receivers/receivers';
import { receiversOf } from '../stores/receivers.ts';
import type { Database } from '../database/connect.ts';
import type { PartFields, PartOrigin, PartsTable } from '../database/tables.ts';
import type { ReadResult } from '../heavy/heavy.ts';
import { recordChange, type PartDelta } from './change.ts';

type Row = Selectable<PartsTable>;

/** What a source held, remembered with the part for the next revision. */
export function originOf(part: ReadResult['parts'][number], fileName: string, body: number): PartOrigin {
  const { summary, geometry } = part;
  // Only its size counts here, and that is the same for every receiver.
  const recipe = firstRecipe(summary, []);
  const { quantity } = summary;
  const about = { key: '', source: fileName, body, summary, recipe, shape: geometry, place: identityRows, quantity, number: '', variant: '', material: '', thickness: null }; // prettier-ignore
  return { ...printOf(about), body };
}

/** What a row of parts takes of a part that was read. */
export function partValues(part: ReadResult['parts'][number], receivers: readonly Receiver[]) {
  return {
    name: part.summary.name,
    quantity: part.summary.quantity,
    summary: JSON.stringify(part.summary),
    findings: JSON.stringify(part.findings),
    geometry_sha256: part.geometry,
    view_sha256: part.view,
    recipe: JSON.stringify(firstRecipe(part.summary, receivers)),
    place: JSON.stringify(part.summary.places?.[0] ?? identityRows),
  };
}

const shapeOf = (row: Row) => ({ summary: row.summary, findings: row.findings, geometry_sha256: row.geometry_sha256, view_sha256: row.view_sha256 });

/** Parts of the revision before that one body of its source became. */
interface Group {
  name: string;
  variant: string;
  shape: string;
  rows: Row[];
  origin: PartOrigin;
}

/** A part of the next revision. */
interface Fresh {
  part: ReadResult['parts'][number];
  origin: PartOrigin;
}

/**
 * Puts the next revision of a source in the place of the last: parts are matched by name and shape and keep their recipes, properties and
 * variants; what changed, is new or is gone is told at each. One change that undo takes back.
 */
export async function revise(
  trx: Database,
  design: { id: string; job_id: string; file_name: string },
  replaces: string,
  read: ReadResult['parts'],
): Promise<void> {
  const rows = await trx
    .selectFrom('parts')
    .selectAll()
    .where('design_id', '=', replaces)
    .where('removed', '=', false)
    .orderBy('position')
    .forUpdate()
    .execute();
  const receivers = await receiversOf(trx);
  const { groups, made } = grouped(rows);
  const fresh = read.map((part, i) => ({ name: part.summary.name, variant: '', shape: part.geometry, part, origin: originOf(part, design.file_name, i + 1) }));
  const deltas: PartDelta[] = [];
  let position = 0;
  let changed = false;
  for (const [old, now] of pairedParts(groups, fresh)) {
    if (!now) {
      changed = true;
      for (const row of old!.rows) {
        deltas.push({ part: row.id, before: { left_out: row.left_out, change: row.change }, after: { left_out: true, change: { state: 'gone', what: [] } } });
      }
      continue;
    }
    if (!old) {
      const origin = JSON.stringify(now.origin);
      const { id } = await trx
        .insertInto('parts')
        .values({
          job_id: design.job_id,
          design_id: design.id,
          position: position++,
          ...partValues(now.part, receivers),
          origin,
          change: JSON.stringify({ state: 'new', what: [] }),
        }) // prettier-ignore
        .returning('id')
        .executeTakeFirstOrThrow();
      deltas.push({ part: id, before: { removed: true }, after: { removed: false } });
      continue;
    }
    if (old.shape !== now.shape) changed = true;
    for (const row of old.rows) deltas.push(nextOf(row, old, now, { design: design.id, position: position++, receivers }));
  }
  // Made here from some of its parts: whether what changed is in it is not known.
  const older = { state: 'old' as const, what: ['made from the revision before'] };
  for (const row of made) {
    const before: PartFields = { source: { design_id: row.design_id, position: row.position, origin: null }, change: row.change };
    deltas.push({
      part: row.id,
      before,
      after: { source: { design_id: design.id, position: position++, origin: null }, change: changed ? older : row.change },
    });
  }
  // What was joined with parts of other designs may stand among theirs.
  const afresh = new Set(deltas.filter((d) => d.after.change?.state === 'changed' || d.after.change?.state === 'gone').map((d) => d.part));
  for (const row of await madeOf(trx, design.job_id, afresh))
    if (row.design_id !== replaces) deltas.push({ part: row.id, before: { change: row.change }, after: { change: older } });
  await recordChange(trx, design.job_id, `next revision: ${design.file_name}`.slice(0, 80), deltas);
}

/** Copies and variants of one body of the source go together; what people made of several has no body of its own. */
function grouped(rows: readonly Row[]): { groups: Group[]; made: Row[] } {
  const groups = new Map<string, Group>();
  const made: Row[] = [];
  for (const row of rows) {
    if (!row.origin) {
      made.push(row);
      continue;
    }
    const key = `${row.origin.body} ${row.origin.name}`;
    const known = groups.get(key);
    if (known) known.rows.push(row);
    else groups.set(key, { name: row.origin.name, variant: '', shape: row.origin.shape, rows: [row], origin: row.origin });
  }
  return { groups: [...groups.values()], made };
}

/** Parts of a job that were made from some of these parts, or from what was made of them, as the job's history tells. */
async function madeOf(trx: Database, jobId: string, sources: ReadonlySet<string>): Promise<Row[]> {
  // Parts that only a revision left out are not what the new ones were made from.
  const { rows: kept } = await sql<{ fresh: string[]; spent: string[] }>`
    select array(select p->>'part' from jsonb_array_elements(parts) p where p->'after'->'removed' = 'false') as fresh,
      array(select p->>'part' from jsonb_array_elements(parts) p where p->'after'->'left_out' = 'true' and not p->'after' ? 'change') as spent
    from changes where job_id = ${jobId} and not undone and parts @> '[{"after": {"removed": false}}]' order by id`.execute(trx);
  const from = new Set(sources);
  const made: string[] = [];
  for (const { fresh, spent } of kept) {
    if (!spent.some((part) => from.has(part))) continue;
    made.push(...fresh.filter((part) => !from.has(part)));
    for (const part of fresh) from.add(part);
  }
  if (made.length === 0) return [];
  return trx.selectFrom('parts').selectAll().where('id', 'in', made).where('removed', '=', false).forUpdate().execute();
}

/** What becomes of one part when its body's next revision comes. */
function nextOf(row: Row, old: Group, now: Fresh, to: { design: string; position: number; receivers: readonly Receiver[] }): PartDelta {
  const what = changesOf(old.origin, now.origin);
  const before: PartFields = { source: { design_id: row.design_id, position: row.position, origin: row.origin }, change: row.change };
  const after: PartFields = { source: { design_id: to.design, position: to.position, origin: now.origin }, change: { state: what.length > 0 ? 'changed' : 'same', what } }; // prettier-ignore
  if (old.shape !== now.part.geometry) {
    const again = row.summary.made ?? [];
    after.change = { state: 'changed', what: [...what, ...(again.length > 0 ? [`to be done again: ${again.join(', ')}`] : [])] };
    before.shape = shapeOf(row);
    after.shape = { summary: now.part.summary, findings: now.part.findings, geometry_sha256: now.part.geometry, view_sha256: now.part.view };
    const recipe = recipeAfter(row, now.part, to.receivers);
    if (recipe !== row.recipe) [before.recipe, after.recipe] = [row.recipe, recipe];
  }
  // A quantity that nobody changed here follows the source.
  if (old.origin.quantity !== now.origin.quantity && row.quantity === old.origin.quantity) [before.quantity, after.quantity] = [row.quantity, now.origin.quantity]; // prettier-ignore
  return { part: row.id, before, after };
}

/** The recipe that a part keeps with its next shape: meanings of single contours go by number, and the numbers are others now. */
function recipeAfter(row: Row, part: ReadResult['parts'][number], receivers: readonly Receiver[]): Recipe {
  if ((row.summary.kind === 'drawing') !== (part.summary.kind === 'drawing')) return firstRecipe(part.summary, receivers);
  const { drawing } = row.recipe;
  if (!drawing || Object.keys(drawing.byContour).length === 0) return row.recipe;
  return { ...row.recipe, drawing: { ...drawing, byContour: {} } };
}
