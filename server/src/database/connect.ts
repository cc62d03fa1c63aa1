import { Kysely, PostgresDialect } from 'kysely';
import pg from 'pg';
import { log } from '../standing/log.ts';
import type { Tables } from './tables.ts';

export type Database = Kysely<Tables>;

// Counts of bytes come as bigint; all of them fit a double.
pg.types.setTypeParser(pg.types.builtins.INT8, Number);

/** A pool of connections. The caller destroys it. */
export function connect(databaseUrl: string, most = 8): { db: Database; pool: pg.Pool } {
  const pool = new pg.Pool({ connectionString: databaseUrl, max: most });
  pool.on('connect', (client) => client.on('error', () => {}));
  // An idle connection that breaks must not end the process; the next query makes a new one.
  pool.on('error', (err) => log.warn({ err }, 'database connection lost'));
  return { db: new Kysely<Tables>({ dialect: new PostgresDialect({ pool }) }), pool };
}
