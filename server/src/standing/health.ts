import { constants } from 'node:fs';
import { access, readFile, statfs } from 'node:fs/promises';
import { join } from 'node:path';
import { sql } from 'kysely';
import type { Severity } from 'tall-kite/base/finding';
import { bytesText } from 'tall-kite/base/figures';
import type { Database } from '../database/connect.ts';
import type { Settings } from '../settings/settings.ts';

/** One thing that has to be well, with the figure that decides and what to do when it is not. */
export interface Check {
  what: string;
  mark: Severity;
  figure: string;
  sentence: string;
}

/** A process that the supervisor keeps running, as it writes it beside the data. */
export interface Kept {
  name: string;
  state: 'starting' | 'up' | 'waiting' | 'stopped';
  /** Since when it is in that state. */
  since: string;
  /** How often it was begun again, and why last. */
  restarts: number;
  last: string | null;
}

/** How the installation is. `ok`: it can be used; single things may still be for looking. */
export interface Health {
  ok: boolean;
  checks: Check[];
  figures: Figures;
  /** Empty when no supervisor runs on the data folder. */
  processes: Kept[];
}

/** What the supervisor of a data folder wrote of its processes. Source: scripts/run.mjs */
export async function processesOf(dataDir: string): Promise<Kept[]> {
  try {
    const { children } = JSON.parse(await readFile(join(dataDir, 'status.json'), 'utf8')) as { children: Kept[] };
    return children.map(({ name, state, since, restarts, last }) => ({ name, state, since, restarts, last }));
  } catch {
    return [];
  }
}

/** What is measured, for machines that watch. */
export interface Figures {
  databaseMs: number | null;
  diskFree: number | null;
  workers: number | null;
  waiting: number | null;
  /** Age of the oldest task that nobody has taken, s. */
  oldestWaiting: number | null;
  inboxes: boolean | null;
}

/** Free space under which it is said, and under which nothing more should be written, bytes. Common practice, no source. */
export const littleSpace = 5e9;
export const noSpace = 500e6;
/** A worker is alive when it was seen within this, s; it says so every 3 s. */
const seenWithin = 15;
/** A task that waits longer without a worker is told, s. */
export const longWait = 120;

const ages = (seconds: number): string =>
  seconds < 120 ? `${Math.round(seconds)} s` : seconds < 7200 ? `${Math.round(seconds / 60)} min` : `${Math.round(seconds / 3600)} h`;

const away = { mark: 'stop' as const, figure: 'away', sentence: 'It is begun again by itself; if this lasts, look at what the start printed.' };

function disk(free: number): Check {
  const mark = free < noSpace ? 'stop' : free < littleSpace ? 'look' : 'clear';
  const sentence = mark === 'clear' ? '' : 'Make room on the disk of the data folder: files can not be written any more when it is full.';
  return { what: 'Disk', mark, figure: `${bytesText(free)} free`, sentence };
}

function workersCheck(alive: number): Check {
  const sentence = alive === 0 ? 'Nothing is read or written meanwhile; what was asked for waits and is done later.' : '';
  return { what: 'Workers', mark: alive === 0 ? 'stop' : 'clear', figure: `${alive} alive`, sentence };
}

function tasks(waiting: number, oldest: number): Check {
  const long = waiting > 0 && oldest > longWait;
  const figure = waiting === 0 ? 'none waits' : `${waiting} wait, the oldest for ${ages(oldest)}`;
  return { what: 'Tasks', mark: long ? 'look' : 'clear', figure, sentence: long ? 'There is more to do than the workers do; it is done in turn.' : '' };
}

/** What the measured figures mean, in words. @example judged({ ...figures, workers: 0 }, true).find((c) => c.what === 'Workers')!.mark // 'stop' */
export function judged({ databaseMs, diskFree, workers, waiting, oldestWaiting, inboxes }: Figures, writable: boolean): Check[] {
  return [
    databaseMs === null ? { what: 'Database', ...away } : { what: 'Database', mark: 'clear', figure: `answers in ${databaseMs.toFixed(0)} ms`, sentence: '' },
    ...(diskFree === null ? [] : [disk(diskFree)]),
    ...(writable
      ? []
      : [{ what: 'Data folder', mark: 'stop' as const, figure: 'not writable', sentence: 'Give this user the right to write there, then start again.' }]),
    ...(workers === null ? [] : [workersCheck(workers)]),
    ...(waiting === null ? [] : [tasks(waiting, oldestWaiting ?? 0)]),
    ...(inboxes === null ? [] : [inboxes ? { what: 'Inboxes', mark: 'clear' as const, figure: 'answer', sentence: '' } : { what: 'Inboxes', ...away }]),
  ];
}

/** Measures everything, each with a limit of time, so that one that hangs does not hide the others. */
export async function healthOf(db: Database, settings: Settings): Promise<Health> {
  const [database, disk, writable, inboxes] = await Promise.all([
    within(2000, () => fromDatabase(db)),
    within(2000, () => statfs(settings.dataDir)),
    within(2000, () => access(settings.dataDir, constants.W_OK).then(() => true)),
    settings.inboxUrl ? within(2000, () => fetch(settings.inboxUrl!).then(() => true)) : Promise.resolve(undefined),
  ]);
  const figures: Figures = {
    databaseMs: database?.databaseMs ?? null,
    workers: database?.workers ?? null,
    waiting: database?.waiting ?? null,
    oldestWaiting: database?.oldestWaiting ?? null,
    diskFree: disk ? disk.bavail * disk.bsize : null,
    inboxes: inboxes === undefined ? null : inboxes === true,
  };
  const checks = judged(figures, writable === true);
  return {
    ok: checks.every((c) => c.mark !== 'stop' || c.what === 'Workers' || c.what === 'Inboxes'),
    checks,
    figures,
    processes: await processesOf(settings.dataDir),
  };
}

async function fromDatabase(db: Database): Promise<Pick<Figures, 'databaseMs' | 'workers' | 'waiting' | 'oldestWaiting'>> {
  const began = performance.now();
  const { rows } = await sql<{ workers: number; waiting: number; oldest: number | null }>`
    select (select count(*) from workers where seen_at > now() - make_interval(secs => ${seenWithin}))::int as workers,
      count(*)::int as waiting, extract(epoch from now() - min(run_at))::float8 as oldest
    from graphile_worker._private_jobs where locked_at is null and run_at <= now() and attempts < max_attempts`.execute(db);
  const [{ workers, waiting, oldest }] = rows;
  return { databaseMs: performance.now() - began, workers, waiting, oldestWaiting: oldest };
}

/** What a work gives, or null when it fails or takes longer. */
async function within<T>(ms: number, work: () => Promise<T>): Promise<T | null> {
  let timer: NodeJS.Timeout | undefined;
  const late = new Promise<null>((done) => (timer = setTimeout(() => done(null), ms)));
  try {
    return await Promise.race([work(), late]);
  } catch {
    return null;
  } finally {
    clearTimeout(timer);
  }
}
