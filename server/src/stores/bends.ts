import { Unusable } from 'tall-kite/base/finding';
import type { BendTable } from 'tall-kite/sheet/rules';
import { bendTableSchema } from 'tall-kite/sheet/schema';
import type { Database } from '../database/connect.ts';
import { Overtaken } from '../parts/change.ts';

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
export async function bendTables(db: Database, removed = false): Promise<StoredBends[]> {
  const rows = await db.selectFrom('bend_tables').selectAll().where('removed', '=', removed).orderBy('name').execute();
  return rows.map((r) => ({ id: r.id, version: r.version, table: r.content, removed: r.removed, changedAt: r.changed_at.toISOString() }));
}

/** Keeps a new bend table. @throws Unusable when the name is taken. */
export async function addBendTable(db: Database, table: BendTable): Promise<string> {
  const { id } = await named(table.name, () =>
    db
      .insertInto('bend_tables')
      .values({ name: table.name, content: JSON.stringify(table), changed_at: new Date() })
      .returning('id')
      .executeTakeFirstOrThrow(),
  );
  return id;
}

/** Changes a bend table. @throws Overtaken when somebody changed it since. */
export async function changeBendTable(db: Database, id: string, version: number, table: BendTable): Promise<void> {
  const done = await named(table.name, () =>
    db
      .updateTable('bend_tables')
      .set({ name: table.name, content: JSON.stringify(table), version: version + 1, changed_at: new Date() })
      .where('id', '=', id)
      .where('version', '=', version)
      .executeTakeFirst(),
  );
  if (done.numUpdatedRows === 0n) throw new Overtaken();
}

/** Takes a bend table away, or brings it back. */
export async function removeBendTable(db: Database, id: string, removed: boolean): Promise<void> {
  const row = await db.selectFrom('bend_tables').select('name').where('id', '=', id).executeTakeFirst();
  if (!row) throw new Unusable('no-such-table', 'That bend table is not there.', 'Reload the page.');
  await named(row.name, () => db.updateTable('bend_tables').set({ removed, changed_at: new Date() }).where('id', '=', id).executeTakeFirst());
}

/** A name stands once in the stores; the database holds it, and this says it in a sentence. */
async function named<T>(name: string, work: () => Promise<T>): Promise<T> {
  try {
    return await work();
  } catch (thrown) {
    if ((thrown as { code?: string }).code !== '23505') throw thrown;
    throw new Unusable('name-taken', `There is a bend table "${name}" already.`, 'Give it another name.');
  }
}
