import type { Selectable } from 'kysely';
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
  // Copies and variants of one body of the source go together.
  const groups = new Map<string, { name: string; variant: string; shape: string; rows: Row[]; origin: PartOrigin }>();
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
  const fresh = read.map((part, i) => ({ name: part.summary.name, variant: '', shape: part.geometry, part, origin: originOf(part, design.file_name, i + 1) }));
  const deltas: PartDelta[] = [];
  let position = 0;
  let changed = false;
  for (const [old, now] of pairedParts([...groups.values()], fresh)) {
    if (!now) {
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
    const what = changesOf(old.origin, now.origin);
    for (const row of old.rows) {
      const before: PartFields = { source: { design_id: row.design_id, position: row.position, origin: row.origin }, change: row.change };
      const after: PartFields = { source: { design_id: design.id, position: position++, origin: now.origin }, change: { state: what.length > 0 ? 'changed' : 'same', what } }; // prettier-ignore
      if (old.shape !== now.shape) {
        changed = true;
        const again = row.summary.made ?? [];
        after.change = { state: 'changed', what: [...what, ...(again.length > 0 ? [`to be done again: ${again.join(', ')}`] : [])] };
        before.shape = shapeOf(row);
        after.shape = { summary: now.part.summary, findings: now.part.findings, geometry_sha256: now.part.geometry, view_sha256: now.part.view };
        const recipe = recipeAfter(row, now.part, receivers);
        if (recipe !== row.recipe) [before.recipe, after.recipe] = [row.recipe, recipe];
      }
      // A quantity that nobody changed here follows the source.
      if (old.origin.quantity !== now.origin.quantity && row.quantity === old.origin.quantity) [before.quantity, after.quantity] = [row.quantity, now.origin.quantity]; // prettier-ignore
      deltas.push({ part: row.id, before, after });
    }
  }
  for (const row of made) {
    const before: PartFields = { source: { design_id: row.design_id, position: row.position, origin: null }, change: row.change };
    const change = changed ? { state: 'old' as const, what: ['made from the revision before'] } : row.change;
    deltas.push({ part: row.id, before, after: { source: { design_id: design.id, position: position++, origin: null }, change } });
  }
  await recordChange(trx, design.job_id, `next revision: ${design.file_name}`.slice(0, 80), deltas);
}

/** The recipe that a part keeps with its next shape: meanings of single contours go by number, and the numbers are others now. */
function recipeAfter(row: Row, part: ReadResult['parts'][number], receivers: readonly Receiver[]): Recipe {
  if ((row.summary.kind === 'drawing') !== (part.summary.kind === 'drawing')) return firstRecipe(part.summary, receivers);
  const { drawing } = row.recipe;
  if (!drawing || Object.keys(drawing.byContour).length === 0) return row.recipe;
  return { ...row.recipe, drawing: { ...drawing, byContour: {} } };
}
