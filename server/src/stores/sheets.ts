import { Unusable } from 'tall-kite/base/finding';
import type { StockSheet } from 'tall-kite/cutlist/how';
import { sheetSchema } from 'tall-kite/cutlist/schema';
import type { Database } from '../database/connect.ts';

/** A kind of sheet, or a remnant, that is kept for reuse. */
export interface StoredSheet {
  id: string;
  sheet: StockSheet;
}

/** Checks a sheet that comes from outside. @throws Unusable with the field and the limit. */
export function checkSheet(input: unknown): StockSheet {
  const { value, error } = sheetSchema.validate(input, { convert: false });
  if (error) throw new Unusable('bad-sheet', `${error.message}.`.replace(/\.\.$/, '.'), 'Correct the value; nothing was changed.');
  return value;
}

/** Sheets in the stores: remnants first, then by name. */
export async function storedSheets(db: Database): Promise<StoredSheet[]> {
  const rows = await db.selectFrom('stock_sheets').select(['id', 'content']).where('removed', '=', false).orderBy('changed_at').execute();
  const list = rows.map((r) => ({ id: r.id, sheet: r.content }));
  return list.sort((a, b) => Number(b.sheet.remnant) - Number(a.sheet.remnant) || (a.sheet.name < b.sheet.name ? -1 : a.sheet.name > b.sheet.name ? 1 : 0));
}

/** Puts a sheet into the stores. */
export async function addSheet(db: Database, sheet: StockSheet): Promise<string> {
  const { id } = await db
    .insertInto('stock_sheets')
    .values({ content: JSON.stringify(sheet), changed_at: new Date() })
    .returning('id')
    .executeTakeFirstOrThrow();
  return id;
}

/** Takes a sheet off the stores, or brings it back. */
export async function removeSheet(db: Database, id: string, removed: boolean): Promise<void> {
  const done = await db.updateTable('stock_sheets').set({ removed }).where('id', '=', id).executeTakeFirst();
  if (done.numUpdatedRows === 0n) throw new Unusable('no-such-sheet', 'That sheet is not there.', 'Reload the page.');
}
