import type { PartSummary } from 'tall-kite/model/design';
import { partsListCsv, readPartsList, rowFinder, type PartsRow } from 'tall-kite/release/parts-list';
import type { Recipe } from 'tall-kite/recipe/recipe';
import type { Database } from '../database/connect.ts';
import type { PartFields } from '../database/tables.ts';
import { announce } from '../live/announce.ts';
import { recordChange, type PartDelta } from './change.ts';

/** Number, material and thickness (mm) of a part: what was given, else what its source, flat pattern or sheet says. */
export interface Properties {
  number: string;
  material: string;
  thickness: number | null;
  variant: string;
}

interface Held {
  number: string | null;
  material: string | null;
  thickness: number | null;
  variant: string;
  summary: PartSummary;
  recipe: Recipe;
}

export function propertiesOf({ number, material, thickness, variant, summary, recipe }: Held): Properties {
  const { flat } = summary;
  const stock = recipe.drawing?.stock ?? null;
  return {
    number: number ?? summary.partNumber ?? '',
    material: material ?? (flat?.material || stock?.material || ''),
    thickness: thickness ?? flat?.thickness ?? stock?.thickness ?? null,
    variant,
  };
}

const listed = (db: Database, jobId: string) =>
  db.selectFrom('parts').innerJoin('designs', 'designs.id', 'parts.design_id').selectAll('parts').where('parts.job_id', '=', jobId).where('parts.removed', '=', false).orderBy('designs.created_at').orderBy('parts.position'); // prettier-ignore

export interface ListTaken {
  /** Parts that got something from the list. */
  changed: number;
  rows: number;
  bad: { line: number; why: string }[];
  /** Rows that no part of the job answers to. */
  unused: string[];
}

/**
 * Fills the properties of a job's parts from a parts list, as one change that can be undone. Bad rows are told, the good ones taken.
 * @throws Unusable when the list has no column for number or name.
 */
export async function takePartsList(db: Database, jobId: string, text: string): Promise<ListTaken> {
  const { rows, bad } = readPartsList(text);
  return db.transaction().execute(async (trx) => {
    const used = new Set<PartsRow>();
    const rowOf = rowFinder(rows);
    const deltas: PartDelta[] = [];
    for (const part of await listed(trx, jobId).forUpdate('parts').execute()) {
      const has = propertiesOf(part);
      const row = rowOf({ name: part.name, partNumber: has.number || null, variant: part.variant });
      if (!row) continue;
      used.add(row);
      const after: PartFields = {};
      if (row.number !== '' && row.number !== has.number) after.number = row.number;
      if (row.material !== '' && row.material !== has.material) after.material = row.material;
      if (row.thickness !== null && row.thickness !== has.thickness) after.thickness = row.thickness;
      if (row.quantity !== null && row.quantity !== part.quantity) after.quantity = row.quantity;
      if (Object.keys(after).length === 0) continue;
      const before = Object.fromEntries(Object.keys(after).map((k) => [k, part[k as 'number' | 'material' | 'thickness' | 'quantity']]));
      deltas.push({ part: part.id, before, after });
    }
    if (deltas.length > 0) {
      await recordChange(trx, jobId, `take a parts list (${deltas.length} parts)`, deltas);
      await announce(trx, jobId);
    }
    const unused = rows.filter((r) => !used.has(r)).map((r) => r.number || r.name);
    return { changed: deltas.length, rows: rows.length, bad, unused };
  });
}

/** The job's parts as a parts list, CSV. */
export async function givePartsList(db: Database, jobId: string): Promise<string> {
  const parts = await listed(db, jobId).where('parts.left_out', '=', false).execute();
  return partsListCsv(parts.map((p) => ({ ...propertiesOf(p), name: p.name, quantity: p.quantity })));
}
