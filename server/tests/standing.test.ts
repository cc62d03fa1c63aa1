/** How it stands: health in words, backup and restore, one supervisor a folder, children begun again. */
import { mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { randomUUID } from 'node:crypto';
import { afterAll, beforeAll, describe, expect, test, vi } from 'vitest';
import { connect } from '../src/database/connect.ts';
import { jobView } from '../src/jobs/jobs.ts';
import { healthOf, processesOf, judged, littleSpace, longWait, noSpace, type Figures } from '../src/standing/health.ts';
import { metricsText } from '../src/standing/metrics.ts';
import { Blobs, hashOf } from '../src/storage/blobs.ts';
import { allRead, makeWorld, type World } from './world.ts';

interface Kept {
  state: { state: string; restarts: number; last: string | null };
  stop(): Promise<void>;
}
const script = async (name: string) => import(new URL(`../../scripts/${name}.mjs`, import.meta.url).href);
const { keep } = (await script('keep')) as {
  keep(name: string, begin: () => Promise<{ ended: Promise<string>; stop(): Promise<void> }>, more?: object): Kept;
};
const { hold, holderOf, bornAt } = (await script('hold')) as {
  hold(folder: string, what: string): () => void;
  holderOf(folder: string): { pid: number } | null;
  bornAt(pid: number): string | null;
};
const { backup, restore, hashesOf } = (await script('backup')) as {
  backup(wish: { databaseUrl: string; dataDir: string; to: string }): Promise<{ files: number; bytes: number; missing: string[] }>;
  restore(wish: { from: string; databaseUrl: string; dataDir: string }): Promise<{ files: number; missing: string[] }>;
  hashesOf(url: string): Set<string>;
};

let world: World;
beforeAll(async () => {
  world = await makeWorld();
});
afterAll(() => world?.close());
const folder = (name: string) => mkdtempSync(join(tmpdir(), `tall-kite-${name}-`));
const well: Figures = { databaseMs: 3, diskFree: 50e9, workers: 2, waiting: 0, oldestWaiting: null, inboxes: true };

describe('health in words', () => {
  const mark = (change: Partial<Figures>, what: string, writable = true) => judged({ ...well, ...change }, writable).find((c) => c.what === what)?.mark;
  test('all well: clear, and nothing to do', () => {
    for (const c of judged(well, true)) expect(c).toMatchObject({ mark: 'clear', sentence: '' });
  });
  test('each limit just inside and just outside', () => {
    expect([mark({ diskFree: littleSpace }, 'Disk'), mark({ diskFree: littleSpace - 1 }, 'Disk')]).toEqual(['clear', 'look']);
    expect([mark({ diskFree: noSpace }, 'Disk'), mark({ diskFree: noSpace - 1 }, 'Disk')]).toEqual(['look', 'stop']);
    expect([mark({ waiting: 5, oldestWaiting: longWait }, 'Tasks'), mark({ waiting: 5, oldestWaiting: longWait + 0.1 }, 'Tasks')]).toEqual(['clear', 'look']);
    expect([mark({ workers: 1 }, 'Workers'), mark({ workers: 0 }, 'Workers')]).toEqual(['clear', 'stop']);
    expect([mark({}, 'Data folder'), mark({}, 'Data folder', false)]).toEqual([undefined, 'stop']);
    expect([mark({ databaseMs: null }, 'Database'), mark({ inboxes: false }, 'Inboxes'), mark({ inboxes: null }, 'Inboxes')]).toEqual([
      'stop',
      'stop',
      undefined,
    ]);
  });
  test('what is not clear says what to do', () => {
    for (const c of judged({ databaseMs: null, diskFree: 1, workers: 0, waiting: 9, oldestWaiting: 9999, inboxes: false }, false)) {
      expect(c.mark, c.what).not.toBe('clear');
      expect(c.sentence, c.what).toMatch(/\.$/);
    }
  });
  test('of a real installation: no worker is told, one that lives is counted, a database that is away keeps it from being used', async () => {
    const settings = { databaseUrl: world.url, dataDir: world.dataDir, releaseDir: null, inboxUrl: null, short: false };
    const before = await healthOf(world.db, settings);
    expect(before.ok).toBe(true);
    expect(before.figures).toMatchObject({ workers: 0, waiting: 0, inboxes: null });
    expect((await metricsText(world.db, settings)).text).toMatch(/^tall_kite_up 1$/m);
    world.worker();
    await vi.waitFor(async () => expect((await healthOf(world.db, settings)).figures.workers).toBe(1), 20_000);
    const away = connect('postgres://nobody:x@127.0.0.1:9/none', 1);
    const after = await healthOf(away.db, { ...settings, inboxUrl: 'http://127.0.0.1:9' });
    expect(after.ok).toBe(false);
    expect(after.checks.filter((c) => c.mark === 'stop').map((c) => c.what)).toEqual(['Database', 'Inboxes']);
    await away.db.destroy();
  });
});

test('processes are those that the supervisor wrote down; none without one, nor from half a file', async () => {
  const at = folder('processes');
  expect(await processesOf(at)).toEqual([]);
  writeFileSync(join(at, 'status.json'), '{"children": [');
  expect(await processesOf(at)).toEqual([]);
  const child = { name: 'The worker', state: 'up', since: '2026-11-30T00:00:00Z', restarts: 2, last: 'code 1' };
  writeFileSync(join(at, 'status.json'), JSON.stringify({ pid: 1, database: 'postgres://u:geheim@h/d', children: [{ ...child, more: 1 }] }));
  expect(await processesOf(at)).toEqual([child]);
});

describe('stored files', () => {
  test('a file that a crash cut short under its name is put right by the next one with these bytes', async () => {
    const blobs = new Blobs(folder('blobs'));
    const whole = new TextEncoder().encode('a whole file');
    const { sha256 } = await blobs.put([whole]);
    writeFileSync(blobs.path(sha256), 'a who');
    expect((await blobs.put([whole])).sha256).toBe(sha256);
    expect(await hashOf(blobs.path(sha256))).toBe(sha256);
    expect(statSync(join(blobs.path(sha256), '..')).mode & 0o777).toBe(0o700);
    expect(statSync(blobs.path(sha256)).mode & 0o777).toBe(0o600);
  });
});

describe('backup and restore', () => {
  let kept: string;
  let jobId: string;
  const empty = async () => {
    const name = `t_${randomUUID().replaceAll('-', '')}`;
    const admin = connect(process.env.DATABASE_URL!, 1);
    await admin.pool.query(`create database ${name}`);
    await admin.db.destroy();
    return process.env.DATABASE_URL!.replace(/\/[^/]*$/, `/${name}`);
  };
  test('while it runs: the database and every file, each under its hash', async () => {
    jobId = await world.job();
    await world.bring(jobId, 'as1-oc-214.stp');
    await world.until(jobId, allRead);
    kept = join(folder('backup'), 'monday');
    const { files, bytes, missing } = await backup({ databaseUrl: world.url, dataDir: world.dataDir, to: kept });
    expect({ files: files > 10, bytes: bytes > 100_000, missing }).toEqual({ files: true, bytes: true, missing: [] });
    await expect(backup({ databaseUrl: world.url, dataDir: world.dataDir, to: kept })).rejects.toThrow('not empty');
  });
  test('into an empty folder and database: the same job, and every file that a row speaks of', async () => {
    const [databaseUrl, dataDir] = [await empty(), folder('restored')];
    const { missing } = await restore({ from: kept, databaseUrl, dataDir });
    expect(missing).toEqual([]);
    const { db } = connect(databaseUrl, 2);
    const [was, is] = [await jobView(world.db, jobId), await jobView(db, jobId)];
    expect(is).toEqual(was);
    const blobs = new Blobs(dataDir);
    const hashes = hashesOf(databaseUrl);
    expect(hashes.size).toBeGreaterThan(10);
    for (const hash of hashes) expect(await hashOf(blobs.path(hash))).toBe(hash);
    await db.destroy();
  });
  test('a byte that changed in the backup, a file that is gone, a backup that was broken off: each is refused by name', async () => {
    const part = readdirSync(join(kept, 'blobs'))[0];
    const [name] = readdirSync(join(kept, 'blobs', part));
    const path = join(kept, 'blobs', part, name);
    const bytes = readFileSync(path);
    writeFileSync(path, Buffer.concat([bytes, Buffer.from('x')]));
    await expect(restore({ from: kept, databaseUrl: await empty(), dataDir: folder('bad') })).rejects.toThrow(`${name} in the backup does not hold`);
    rmSync(path);
    await expect(restore({ from: kept, databaseUrl: await empty(), dataDir: folder('bad') })).rejects.toThrow(/files; \d+ were written/);
    writeFileSync(path, bytes);
    writeFileSync(join(kept, 'database.dump'), 'x');
    await expect(restore({ from: kept, databaseUrl: await empty(), dataDir: folder('bad') })).rejects.toThrow('changed or broken');
    rmSync(join(kept, 'backup.json'));
    await expect(restore({ from: kept, databaseUrl: await empty(), dataDir: folder('bad') })).rejects.toThrow('no whole backup');
  });
  test('a stored file that does not hold what its name says stops a backup', async () => {
    const dataDir = folder('rotten');
    const hash = 'ab'.repeat(32);
    mkdirSync(join(dataDir, 'blobs', 'ab'), { recursive: true });
    writeFileSync(join(dataDir, 'blobs', 'ab', hash), 'rot');
    await expect(backup({ databaseUrl: world.url, dataDir, to: join(folder('b'), 'x') })).rejects.toThrow('does not hold what its name says');
  });
});

describe('one supervisor a folder', () => {
  test('the second is told who holds it; given back it is free', () => {
    const at = folder('held');
    const letGo = hold(at, 'npm start');
    expect(holderOf(at)!.pid).toBe(process.pid);
    letGo();
    expect(holderOf(at)).toBeNull();
    // Another process that lives: our parent.
    writeFileSync(join(at, 'held-by.json'), JSON.stringify({ pid: process.ppid, born: bornAt(process.ppid), what: 'npm start', since: 'monday' }));
    expect(() => hold(at, 'npm start')).toThrow(`is held by process ${process.ppid} (npm start) since monday`);
  });
  test('one that died, a number that another process has now, and half a file hold nothing', () => {
    const at = folder('stale');
    for (const left of [JSON.stringify({ pid: 999_999_999, born: '1' }), JSON.stringify({ pid: process.ppid, born: '1' }), '{"pid":']) {
      writeFileSync(join(at, 'held-by.json'), left);
      expect(holderOf(at)).toBeNull();
      hold(at, 'npm start')();
    }
  });
});

describe('children begun again', () => {
  /** A clock whose waits are over at once, and are kept. */
  const quick = () => {
    const waits: number[] = [];
    let now = 0;
    return { waits, pass: (ms: number) => (now += ms), now: () => now, wait: async (ms: number) => void waits.push(ms) };
  };
  const patience = { first: 500, longest: 4000, settled: 60_000 };
  test('ever longer up to the limit, and from the beginning again after it ran well', async () => {
    const clock = quick();
    let begun = 0;
    let kept: Kept | null = null;
    await new Promise<void>((done) => {
      kept = keep(
        'A worker',
        async () => {
          begun++;
          if (begun === 8) {
            done();
            return { ended: new Promise(() => {}), stop: async () => {} };
          }
          const ending = begun;
          // The sixth runs for a minute before it ends.
          const ended = new Promise<string>((end) => setTimeout(() => end(`code ${ending}`), 1)).then((s) => (clock.pass(ending === 6 ? 60_000 : 10), s));
          return { ended, stop: async () => {} };
        },
        { patience, clock },
      );
    });
    expect(clock.waits).toEqual([500, 1000, 2000, 4000, 4000, 500, 1000]);
    expect(kept!.state).toMatchObject({ restarts: 7, last: 'code 7' });
  });
  test('a start that throws is tried again: the database that can not come up is never given up', async () => {
    const clock = quick();
    let begun = 0;
    await new Promise<void>((done) => {
      keep(
        'The database',
        async () => {
          if (++begun < 5) throw new Error('PostgreSQL stopped at once: no space left');
          done();
          return { ended: new Promise(() => {}), stop: async () => {} };
        },
        { patience, clock },
      );
    });
    expect(begun).toBe(5);
  });
  test('told to stop while a child is being begun, it stops that child too', async () => {
    let begun: (child: { ended: Promise<string>; stop(): Promise<void> }) => void = () => {};
    let stopped = 0;
    const kept = keep('The database', () => new Promise((done) => (begun = done)), { patience });
    const stopping = kept.stop();
    begun({ ended: new Promise(() => {}), stop: async () => void stopped++ });
    await stopping;
    expect({ stopped, state: kept.state.state }).toEqual({ stopped: 1, state: 'stopped' });
  });
  test('told to stop it stops the child and begins nothing more', async () => {
    let [begun, stopped] = [0, 0];
    let end: (s: string) => void = () => {};
    const kept = keep(
      'A worker',
      async () => {
        begun++;
        return { ended: new Promise<string>((done) => (end = done)), stop: async () => (stopped++, end('killed by SIGTERM')) as never };
      },
      { patience },
    );
    await vi.waitFor(() => expect(kept.state.state).toBe('up'));
    await kept.stop();
    expect({ begun, stopped, state: kept.state.state }).toEqual({ begun: 1, stopped: 1, state: 'stopped' });
  });
});
