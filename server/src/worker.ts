import { run, runMigrations } from 'graphile-worker';
import { sql } from 'kysely';
import { connect } from './database/connect.ts';
import { HeavyThread } from './heavy/heavy.ts';
import { tasks } from './queue/tasks.ts';
import { settingsFrom } from './settings/settings.ts';

/** A worker counts as dead when it has not been seen for this long, ms. */
const deadAfter = 12_000;
const beat = 3_000;

const settings = settingsFrom();
const { db, pool } = connect(settings.databaseUrl, 4);
await runMigrations({ pgPool: pool });
const heavy = new HeavyThread(settings.dataDir);
const runner = await run({
  connectionString: settings.databaseUrl,
  concurrency: 1,
  noHandleSignals: true,
  pollInterval: 1000,
  taskList: tasks(db, heavy),
  logger: quiet(),
});

const own = new Set<string>();
runner.events.on('worker:create', ({ worker }) => own.add(worker.workerId));
runner.events.on('job:start', ({ worker }) => own.add(worker.workerId));

/** Says that this process lives, and gives the tasks of dead ones back to the queue. */
async function heartbeat(): Promise<void> {
  for (const workerId of own) {
    await sql`insert into workers (worker_id) values (${workerId}) on conflict (worker_id) do update set seen_at = now()`.execute(db);
  }
  const dead = await sql<{ id: string }>`
    select distinct j.locked_by as id from graphile_worker._private_jobs j
    left join workers w on w.worker_id = j.locked_by
    where j.locked_by is not null
      and coalesce(w.seen_at, j.locked_at) < now() - ${`${deadAfter} milliseconds`}::interval`.execute(db);
  const ids = dead.rows.map((row) => row.id).filter((id) => !own.has(id));
  if (ids.length > 0) await sql`select graphile_worker.force_unlock_workers(${ids}::text[])`.execute(db);
}

const timer = setInterval(() => void heartbeat().catch((error) => console.error(`Heartbeat: ${error.message}`)), beat);
await heartbeat();

function quiet() {
  return new (class {
    scope() {
      return this;
    }
    error(message: string) {
      console.error(message);
    }
    warn() {}
    info() {}
    debug() {}
  })() as never;
}

async function stop(): Promise<void> {
  clearInterval(timer);
  await Promise.race([runner.stop(), new Promise((resolve) => setTimeout(resolve, 3000))]);
  await heavy.close();
  await db.destroy().catch(() => {});
  process.exit(0);
}
process.on('SIGTERM', () => void stop());
process.on('SIGINT', () => void stop());
console.log('Worker ready.');
