import { Unusable } from 'tall-kite/base/finding';
import { noReceiver, type Receiver } from 'tall-kite/receivers/receivers';
import type { Database } from '../database/connect.ts';

/**
 * The rules that a machine has now in the stores, whatever a page or an old change held of them. One that is kept nowhere keeps its own.
 * @throws Unusable for an id that is not in the stores.
 */
export async function rulesOfNow(db: Database, asked: Receiver | string): Promise<Receiver> {
  const id = typeof asked === 'string' ? asked : asked.id;
  const row = await db.selectFrom('receivers').select('rules').where('id', '=', id).executeTakeFirst();
  if (row) return row.rules;
  if (typeof asked !== 'string') return asked;
  if (id !== noReceiver.id) throw new Unusable('no-such-receiver', `There is no receiver "${id}".`, 'Choose one of those in the list of receivers.');
  return noReceiver;
}
