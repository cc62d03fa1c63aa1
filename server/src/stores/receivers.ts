import { sql } from 'kysely';
import { Unusable } from 'tall-kite/base/finding';
import { noReceiver, receiverIn, type Receiver } from 'tall-kite/receivers/receivers';
import type { Database } from '../database/connect.ts';
import { announce } from '../live/announce.ts';
import { Overtaken } from '../parts/change.ts';

/** A machine as the pages see it. */
export interface StoredReceiver {
  rules: Receiver;
  version: number;
  /** Offered to no new part; its files and releases keep it. */
  archived: boolean;
  changedAt: string;
  /** How many parts of all jobs go to it. */
  parts: number;
}

/** The rules of all machines in the order of the stores, archived ones only when asked for. */
export async function receiversOf(db: Database, archived = false): Promise<Receiver[]> {
  const rows = await db.selectFrom('receivers').select(['rules', 'archived']).orderBy('position').orderBy('id').execute();
  return rows.filter((r) => archived || !r.archived).map((r) => r.rules);
}

/** All machines with what is known of their use. */
export async function storedReceivers(db: Database): Promise<StoredReceiver[]> {
  const rows = await db.selectFrom('receivers').selectAll().orderBy('position').orderBy('id').execute();
  const used = await sql<{ id: string; n: number }>`select recipe->'receiver'->>'id' as id, count(*)::int as n from parts where not removed group by 1`.execute(
    db,
  );
  const parts = new Map(used.rows.map((r) => [r.id, r.n]));
  return rows.map((r) => ({
    rules: r.rules,
    version: r.version,
    archived: r.archived,
    changedAt: r.changed_at.toISOString(),
    parts: parts.get(r.id) ?? 0,
  }));
}

/** A machine's rules as they are now, archived or not. @throws Unusable when there is none. */
export async function receiverById(db: Database, id: string): Promise<Receiver> {
  return receiverIn(await receiversOf(db, true), id);
}

/** Keeps a new machine. @throws Unusable when its id or name is taken. */
export async function addReceiver(db: Database, rules: Receiver): Promise<void> {
  if (rules.id === noReceiver.id) throw taken(rules);
  const { last } = await db.selectFrom('receivers').select((eb) => eb.fn.max('position').as('last')).executeTakeFirstOrThrow(); // prettier-ignore
  await unique(rules, () =>
    db
      .insertInto('receivers')
      .values({ id: rules.id, name: rules.name, rules: JSON.stringify(rules), position: (last ?? 0) + 1 })
      .execute(),
  );
}

/**
 * Changes a machine's rules. Every part that goes to it takes the new ones, so files written by the old ones are stale.
 * @throws Overtaken when somebody changed it since.
 */
export async function changeReceiver(db: Database, id: string, version: number, rules: Receiver): Promise<void> {
  if (rules.id !== id) throw new Unusable('other-receiver', "A receiver's id stays what it is.", 'Add another receiver instead.');
  await db.transaction().execute(async (trx) => {
    const done = await unique(rules, () =>
      trx
        .updateTable('receivers')
        .set({ name: rules.name, rules: JSON.stringify(rules), version: version + 1, changed_at: new Date() })
        .where('id', '=', id)
        .where('version', '=', version)
        .executeTakeFirst(),
    );
    if (done.numUpdatedRows === 0n) throw new Overtaken();
    const { rows } = await sql<{ job_id: string }>`update parts set recipe = jsonb_set(recipe, '{receiver}', ${JSON.stringify(rules)}::jsonb),
      version = version + 1 where recipe->'receiver'->>'id' = ${id} returning job_id`.execute(trx);
    for (const job of new Set(rows.map((r) => r.job_id))) await announce(trx, job);
  });
}

/** Archives a machine, or brings it back. Parts that go to it keep it. */
export async function archiveReceiver(db: Database, id: string, archived: boolean): Promise<void> {
  const { numUpdatedRows } = await db.updateTable('receivers').set({ archived, changed_at: new Date() }).where('id', '=', id).executeTakeFirst();
  if (numUpdatedRows === 0n) throw new Unusable('no-such-receiver', 'There is no such receiver.', 'Go back to the list of receivers.');
}

const taken = ({ id, name }: Receiver) =>
  new Unusable('name-taken', `There is a receiver "${name}" or one with the id "${id}" already.`, 'Give it another name.');

/** Id and name stand once in the stores; the database holds it, and this says it in a sentence. */
async function unique<T>(rules: Receiver, work: () => Promise<T>): Promise<T> {
  try {
    return await work();
  } catch (thrown) {
    if ((thrown as { code?: string }).code !== '23505') throw thrown;
    throw taken(rules);
  }
}
