import { Unusable } from 'tall-kite/base/finding';
import type { Database } from '../database/connect.ts';
import { Overtaken } from '../parts/change.ts';

/** Something of the stores that has a name of its own, as the pages see it. */
export interface Stored<T> {
  id: string;
  version: number;
  content: T;
  removed: boolean;
  changedAt: string;
}

/**
 * What is kept by name in a table of the database: a name stands once among what is there; what is taken away can be brought back.
 * @param what what it is, as in 'There is a bend table "x" already.'
 */
export function namedStore<T extends { name: string }>(table: 'bend_tables' | 'materials', what: string) {
  const named = async <R>(name: string, work: () => Promise<R>): Promise<R> => {
    try {
      return await work();
    } catch (thrown) {
      if ((thrown as { code?: string }).code !== '23505') throw thrown;
      throw new Unusable('name-taken', `There is a ${what} "${name}" already.`, 'Give it another name.');
    }
  };
  const values = (content: T) => ({ name: content.name, content: JSON.stringify(content), changed_at: new Date() });
  return {
    /** All, by name; or those that were taken away. */
    async list(db: Database, removed = false): Promise<Stored<T>[]> {
      const rows = await db.selectFrom(table).selectAll().where('removed', '=', removed).orderBy('name').execute();
      return rows.map((r) => ({ id: r.id, version: r.version, content: r.content as unknown as T, removed: r.removed, changedAt: r.changed_at.toISOString() }));
    },
    /** Keeps a new one. @throws Unusable when the name is taken. */
    async add(db: Database, content: T): Promise<string> {
      const { id } = await named(content.name, () => db.insertInto(table).values(values(content)).returning('id').executeTakeFirstOrThrow());
      return id;
    },
    /** Changes one. @throws Overtaken when somebody changed it since. */
    async change(db: Database, id: string, version: number, content: T): Promise<void> {
      const done = await named(content.name, () =>
        db
          .updateTable(table)
          .set({ ...values(content), version: version + 1 })
          .where('id', '=', id)
          .where('version', '=', version)
          .executeTakeFirst(),
      );
      if (done.numUpdatedRows === 0n) throw new Overtaken();
    },
    /** Takes one away, or brings it back. */
    async remove(db: Database, id: string, removed: boolean): Promise<void> {
      const row = await db.selectFrom(table).select('name').where('id', '=', id).executeTakeFirst();
      if (!row) throw new Unusable('not-in-stores', `That ${what} is not there.`, 'Reload the page.');
      await named(row.name, () => db.updateTable(table).set({ removed, changed_at: new Date() }).where('id', '=', id).executeTakeFirst());
    },
  };
}
