import { Unusable } from 'tall-kite/base/finding';
import type { BendTable } from 'tall-kite/sheet/rules';
import { bendTableSchema } from 'tall-kite/sheet/schema';
import type { Database } from '../database/connect.ts';
import { namedStore } from './named.ts';

const kept = namedStore<BendTable>('bend_tables', 'bend table');

/** A bend table as the pages see it. */
export interface StoredBends {
  id: string;
  version: number;
  table: BendTable;
  removed: boolean;
  changedAt: string;
}

/** Checks a bend table that comes from outside. @throws Unusable with the field and the limit. */
export function checkBendTable(input: unknown): BendTable {
  const { value, error } = bendTableSchema.validate(input, { convert: false });
  if (error) throw new Unusable('bad-table', `${error.message}.`.replace(/\.\.$/, '.'), 'Correct the value; nothing was changed.');
  return value;
}

/** All bend tables, by name; taken-away ones only when asked for. */
export const bendTables = async (db: Database, removed = false): Promise<StoredBends[]> =>
  (await kept.list(db, removed)).map(({ content, ...rest }) => ({ ...rest, table: content }));

export const { add: addBendTable, change: changeBendTable, remove: removeBendTable } = kept;
