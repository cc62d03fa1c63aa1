import { EventEmitter } from 'node:events';
import { run, runMigrations, type Runner } from 'graphile-worker';
import { sql } from 'kysely';
import { connect } from './database/connect.ts';
import { HeavyThread } from './heavy/heavy.ts';
import { patient } from './queue/again.ts';
import { tasks } from './queue/tasks.ts';
import { sweepReleases } from './releases/tasks.ts';
import { log } from './standing/log.ts';
import { settingsFrom } from './settings/settings.ts';
import { sweep } from './standing/sweep.ts';

/** A worker counts as dead when it has not been seen for this long, ms. */
const deadAfter = 12_000;
const beat = 3_000;

const settings = settingsFrom();
const { db, pool } = connect(settings.databaseUrl, 4);
await patient(() => runMigrations({ pgPool: pool }));
const heavy = new HeavyThread(settings.dataDir);

/** Names under which this process holds tasks: the queue locks them by its pool's name. */
const own = new Set<string>();
let runner: Runner | null = null;
let stopping = false;
let beats = 0;

/** Says that this process lives, and gives the tasks of dead ones back to the queue. */
async function heartbeat(): Promise<void> {
  for (const id of own) {
    await sql`insert into workers (worker_id) values (${id}) on conflict (worker_id) do update set seen_at = now()`.execute(db);
  }
  const dead = await sql<{ id: string }>`
    select distinct j.locked_by as id from graphile_worker._private_jobs j
    left join workers w on w.worker_id = j.locked_by
    where j.locked_by is not null
      and coalesce(w.seen_at, j.locked_at) < now() - ${`${deadAfter} milliseconds`}::interval`.execute(db);
  await giveBack(dead.rows.map((row) => row.id).filter((id) => !own.has(id)));
  if (beats++ % 4 === 0) await sweepReleases(db);
  // Once an hour by one of the workers; at the start there is more to do.
  if (beats % 1200 === 100) await sweep(db, settings.dataDir);
}

async function giveBack(ids: string[]): Promise<void> {
  if (ids.length > 0) await sql`select graphile_worker.force_unlock_workers(${ids}::text[])`.execute(db);
}

const timer = setInterval(() => void heartbeat().catch((err) => log.warn({ err }, 'heartbeat missed')), beat);

/** Takes tasks until the queue's own connection is lost for good; what it held then goes back. */
async function work(): Promise<void> {
  const events = new EventEmitter();
  const names: string[] = [];
  events.on('pool:create', ({ workerPool }: { workerPool: { id: string } }) => {
    names.push(workerPool.id);
    own.add(workerPool.id);
  });
  try {
    runner = await run({
      connectionString: settings.databaseUrl,
      concurrency: 1,
      noHandleSignals: true,
      pollInterval: 1000,
      taskList: tasks(db, heavy, settings),
      logger: quiet(),
      events,
    });
    await heartbeat();
    log.info('worker ready');
    await runner.promise;
  } catch (thrown) {
    log.warn({ err: thrown }, 'the queue was lost');
  }
  runner = null;
  for (const name of names) own.delete(name);
  if (!stopping) await patient(() => giveBack(names)).catch(() => {});
}

function quiet() {
  return new (class {
    scope() {
      return this;
    }
    error(message: string) {
      log.warn({ queue: true }, message);
    }
    warn() {}
    info() {}
    debug() {}
  })() as never;
}

async function stop(): Promise<void> {
  stopping = true;
  clearInterval(timer);
  await Promise.race([runner?.stop(), new Promise((resolve) => setTimeout(resolve, 3000))]);
  await heavy.close();
  await db.destroy().catch(() => {});
  process.exit(0);
}
process.on('SIGTERM', () => void stop());
process.on('SIGINT', () => void stop());

while (!stopping) {
  await work();
  if (!stopping) await new Promise((resolve) => setTimeout(resolve, 1000));
}
