import { collectDefaultMetrics, Gauge, Registry } from 'prom-client';
import { sql } from 'kysely';
import type { Database } from '../database/connect.ts';
import type { Settings } from '../settings/settings.ts';
import { healthOf, type Figures } from './health.ts';

const names: Record<Exclude<keyof Figures, 'inboxes'>, [name: string, help: string]> = {
  databaseMs: ['tall_kite_database_ms', 'How long the database takes to answer, ms'],
  diskFree: ['tall_kite_disk_free_bytes', 'Free space on the disk of the data folder, bytes'],
  workers: ['tall_kite_workers', 'Workers that are alive'],
  waiting: ['tall_kite_tasks_waiting', 'Tasks that no worker has taken'],
  oldestWaiting: ['tall_kite_task_oldest_seconds', 'Age of the oldest task that no worker has taken, s'],
};

const register = new Registry();
collectDefaultMetrics({ register });
const gauges = Object.fromEntries(Object.entries(names).map(([key, [name, help]]) => [key, new Gauge({ name, help, registers: [register] })]));
const up = new Gauge({ name: 'tall_kite_up', help: '1 when the app can be used', registers: [register] });
const rows = new Gauge({ name: 'tall_kite_rows', help: 'Rows of a table', labelNames: ['table'], registers: [register] });

/** Figures for machines that watch, in the text format of Prometheus. What could not be measured is NaN. */
export async function metricsText(db: Database, settings: Settings): Promise<{ type: string; text: string }> {
  const { ok, figures } = await healthOf(db, settings);
  up.set(ok ? 1 : 0);
  for (const key of Object.keys(names) as (keyof typeof names)[]) gauges[key].set(figures[key] ?? (key === 'oldestWaiting' && figures.waiting === 0 ? 0 : NaN));
  if (figures.databaseMs !== null) {
    // Counts as the planner holds them: a page that is asked every few seconds must not read whole tables.
    const counts = await sql<{ name: string; count: number }>`
      select relname as name, n_live_tup::float8 as count from pg_stat_user_tables where schemaname = 'public' and relname in ('jobs','designs','parts','files','releases','release_files')`.execute(
      db,
    );
    for (const { name, count } of counts.rows) rows.set({ table: name }, count);
  }
  return { type: register.contentType, text: await register.metrics() };
}
