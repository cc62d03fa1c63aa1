/** What a computation may cost: silence, memory, a thread that others hurt; who takes which task; what is written down of it. */
import { closeSync, existsSync, mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, statSync, writeFileSync, writeSync } from 'node:fs';
import { spawnSync } from 'node:child_process';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Readable } from 'node:stream';
import { sql } from 'kysely';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { HeavyThread, Lost } from '../dist/heavy/heavy.js';
import { pictureOfPart } from '../src/heavy/pictures.ts';
import { jobView } from '../src/jobs/jobs.ts';
import { connect } from '../src/database/connect.ts';
import { mayTryAgain, mostSilentEnds, notTooOften } from '../dist/queue/again.js';
import { tasks } from '../dist/queue/tasks.js';
import { taskName } from '../src/queue/enqueue.ts';
import { errorOnLine, hidden, idsNow, withIds } from '../src/standing/log.ts';
import { Batch, syncFolder } from '../src/storage/batch.ts';
import { Blobs, hashOf } from '../src/storage/blobs.ts';
import { diskTrouble } from '../src/storage/disk.ts';
import { allRead, dataFile, makeWorld, manyBoxes, type World } from './world.ts';

let world: World;
beforeAll(async () => {
  world = await makeWorld();
});
afterAll(() => world?.close());
const folder = (name: string) => mkdtempSync(join(tmpdir(), `tall-kite-${name}-`));
const read = async (heavy: HeavyThread, fileName: string, bytes: Uint8Array) => {
  const stored = await world.blobs.put([bytes]);
  return heavy.call('read', { sha256: stored.sha256, fileName, bytes: stored.bytes, choices: null });
};
const thrownBy = async (work: Promise<unknown>): Promise<Lost> => work.then(() => expect.unreachable('it was done'), (thrown: Lost) => thrown); // prettier-ignore
const helm = dataFile('Helix.stl');

describe('a computation that is lost', () => {
  test('too much memory: told with the limit, at once by a fresh thread, once more after other work', async () => {
    const heavy = new HeavyThread(world.dataDir, { memory: 50e6 });
    try {
      const first = await thrownBy(read(heavy, 'a.obj', manyBoxes(3000)));
      expect(first).toBeInstanceOf(Lost);
      expect(first).toMatchObject({ code: 'heavy-memory', again: false });
      expect(first.message).toBe('This was given up: it took more than 50.0 MB of memory.');
      expect(heavy.running).toBe(false);
    } finally {
      await heavy.close();
    }
    const wide = new HeavyThread(world.dataDir, { memory: 1e12 });
    try {
      expect((await read(wide, 'Helix.stl', helm)).parts).toHaveLength(1);
      (wide as unknown as { limits: { memory: number } }).limits.memory = 50e6;
      expect(await thrownBy(read(wide, 'a.obj', manyBoxes(3001)))).toMatchObject({ code: 'heavy-memory', again: true });
      (wide as unknown as { limits: { memory: number } }).limits.memory = 1e12;
      expect((await read(wide, 'Helix.stl', helm)).parts).toHaveLength(1);
    } finally {
      await wide.close();
    }
  });
  test('silence is counted by the time it had, not by the clock; with ten times the time it is lost all the same', async () => {
    // A limit that the start of the thread alone takes longer than: lost.
    const short = new HeavyThread(world.dataDir, { readSilenceMs: 5, readSilencePerMbMs: 0 });
    expect(await thrownBy(read(short, 'Helix.stl', helm))).toMatchObject({ code: 'heavy-silent', again: false });
    await short.close();
    // Nothing works here at all: a call that is never answered ends at ten times its limit.
    const asleep = new HeavyThread(world.dataDir, { silenceMs: 200 });
    (asleep as unknown as { start(): unknown }).start = () => ({ postMessage() {}, terminate: async () => 0 });
    const from = performance.now();
    expect(await thrownBy(asleep.call('receive', { sha256: 'x', fileName: 'x', receiver: {} as never }))).toMatchObject({ code: 'heavy-silent' });
    expect(performance.now() - from).toBeGreaterThan(250);
  });
  test('is tried again only where other work can have been the cause, and not for ever', () => {
    const helpers = (attempts: number) => ({ job: { attempts } }) as never;
    const lost = (again: boolean) => new Lost('heavy-silent', 'It was given up.', 'Bring it in again.', again);
    expect([mayTryAgain(lost(true), helpers(1)), mayTryAgain(lost(false), helpers(1)), mayTryAgain(new Error('x'), helpers(1))]).toEqual([true, false, false]);
    expect([mayTryAgain(lost(true), helpers(mostSilentEnds - 1)), mayTryAgain(lost(true), helpers(mostSilentEnds))]).toEqual([true, false]);
    expect(() => notTooOften(helpers(mostSilentEnds))).not.toThrow();
    expect(() => notTooOften(helpers(mostSilentEnds + 1))).toThrow('6 times its worker ended');
  });
  test('what the database was away for is tried again, as often as what is lost', () => {
    const away = Object.assign(new Error('the database system is not yet accepting connections'), { code: '57P03' });
    const helpers = (attempts: number) => ({ job: { attempts } }) as never;
    expect([mostSilentEnds - 1, mostSilentEnds].map((attempts) => mayTryAgain(away, helpers(attempts)))).toEqual([true, false]);
    expect(mayTryAgain(Object.assign(new Error('no such column'), { code: '42703' }), helpers(1))).toBe(false);
  });
  test('a design that was read while the database was away is there when it is back', async () => {
    const jobId = await world.job();
    const id = await world.bring(jobId, 'Helix.stl');
    let away = 3;
    // The first transactions find a database that is just starting.
    const flaky = new Proxy(world.db, {
      get(db, key) {
        if (key === 'transaction' && away > 0)
          return () => ({ execute: async () => { away--; throw Object.assign(new Error('the database system is not yet accepting connections'), { code: '57P03' }); } }); // prettier-ignore
        const own = Reflect.get(db, key) as unknown;
        return typeof own === 'function' ? (own.bind(db) as unknown) : own;
      },
    });
    const heavy = new HeavyThread(world.dataDir);
    const task = tasks(flaky, heavy, { short: false } as never)['read-design']!;
    await task({ id }, { job: { id: '1', attempts: 1, max_attempts: 25 } } as never);
    await heavy.close();
    expect(away).toBe(0);
    const design = await world.db.selectFrom('designs').select(['state', 'failure']).where('id', '=', id).executeTakeFirstOrThrow();
    expect(design).toEqual({ state: 'read', failure: null });
    expect((await world.db.selectFrom('parts').select('id').where('design_id', '=', id).execute()).length).toBe(1);
  });
  test('a second run that begins while the first one keeps what it read does not read over it', async () => {
    const jobId = await world.job();
    const id = await world.bring(jobId, 'Helix.stl');
    const heavy = new HeavyThread(world.dataDir);
    const task = () => tasks(world.db, heavy, { short: false } as never)['read-design']!({ id }, { job: { id: '1', attempts: 1, max_attempts: 25 } } as never);
    await task();
    const ids = async () => (await world.db.selectFrom('parts').select('id').where('design_id', '=', id).execute()).map((p) => p.id);
    const before = await ids();
    expect(before.length).toBe(1);
    await world.db.updateTable('designs').set({ state: 'reading' }).where('id', '=', id).execute();
    // The first run's transaction is under way when the second run begins, and ends while that waits for the row.
    const other = connect(world.url, 2);
    let second: unknown;
    await other.db.transaction().execute(async (trx) => {
      await trx.updateTable('designs').set({ state: 'read' }).where('id', '=', id).execute();
      second = task();
      await expect.poll(async () => (await sql<{ n: number }>`select count(*)::int as n from pg_locks where not granted`.execute(world.db)).rows[0].n, { timeout: 5000 }).toBeGreaterThan(0); // prettier-ignore
    });
    await second;
    await other.db.destroy();
    await heavy.close();
    expect(await ids()).toEqual(before);
  });
  test('a design that takes its worker with it every time is set aside with the reason', async () => {
    const jobId = await world.job();
    await world.bring(jobId, 'Helix.stl');
    await sql`update graphile_worker._private_jobs set attempts = ${mostSilentEnds}`.execute(world.db);
    const worker = world.worker();
    const { designs } = await world.until(jobId, allRead);
    expect(designs[0]).toMatchObject({ state: 'failed', failure: { code: 'heavy-crashed', message: '6 times its worker ended while it was at it.'.replace(/^/, 'This was given up: ') } }); // prettier-ignore
    worker.kill('SIGKILL');
  });
});

describe('lanes', () => {
  test('large designs have a name of their own in the queue, from just above the limit', () => {
    expect([taskName('read-design', 2_000_000), taskName('read-design', 2_000_001), taskName('shelve', 2_000_001)]).toEqual(['read-design', 'read-design-large', 'shelve-large']); // prettier-ignore
    expect([taskName('write-file', 1e9), taskName('operate')]).toEqual(['write-file', 'operate']);
  });
  test('a worker for short work leaves large designs to others', async () => {
    const other = await makeWorld(undefined, { LANE: 'short' });
    try {
      const jobId = await other.job();
      // Two million bytes and a little.
      await other.bring(jobId, 'large.obj', Buffer.concat([manyBoxes(20), Buffer.from(`#${'x'.repeat(2_000_000)}\n`)]));
      await other.bring(jobId, 'Helix.stl');
      other.worker();
      const { designs } = await other.until(jobId, (j) => j.designs.some((d) => d.state === 'read'));
      expect(designs.map((d) => [d.fileName, d.state])).toEqual([['large.obj', 'queued'], ['Helix.stl', 'read']]); // prettier-ignore
    } finally {
      await other.close();
    }
  });
});

describe('the log', () => {
  test('ids reach whatever is done under them, also later and within', async () => {
    expect(idsNow()).toEqual({});
    await withIds({ request: 'r1' }, async () => {
      await new Promise((done) => setImmediate(done));
      expect(idsNow()).toEqual({ request: 'r1' });
      withIds({ task: '7' }, () => expect(idsNow()).toEqual({ request: 'r1', task: '7' }));
    });
    expect(idsNow()).toEqual({});
  });
  test('a task bears the request that asked for it, and so do its lines in the log', async () => {
    const jobId = await world.job();
    await withIds({ request: 'abcd1234' }, () => world.bring(jobId, 'Helix.stl'));
    const worker = world.worker();
    let said = '';
    worker.stdout!.on('data', (chunk) => (said += chunk));
    await world.until(jobId, allRead);
    // Tasks that earlier tests left for another try are none of its own.
    const own = () => said.split('\n').slice(0, -1).filter((l) => l.includes('"msg":"task ') && l.includes('abcd1234')).map((l) => JSON.parse(l) as Record<string, unknown>); // prettier-ignore
    await expect.poll(() => own().length, { timeout: 10_000 }).toBe(2);
    const lines = own();
    expect(lines.map((l) => [l.msg, l.name, l.request, l.attempt])).toEqual([['task begun', 'read-design', 'abcd1234', 1], ['task ended', 'read-design', 'abcd1234', undefined]]); // prettier-ignore
    expect(lines[0].task).toBe(lines[1].task);
    worker.kill('SIGKILL');
  });
  test('secrets are hidden wherever they stand', () => {
    expect(hidden('{"err":"postgres://u:geheim@h/d geheim"}', ['geheim'])).toBe('{"err":"postgres://u:[hidden]@h/d [hidden]"}');
  });
  test('of an error its message, place and code are on a line, not what a library hangs on it', () => {
    const lost = Object.assign(new Error('terminating connection', { cause: new Error('killed') }), { code: '57P01', client: { secretKey: 313192999 } });
    expect(errorOnLine(lost)).toEqual({ type: 'Error', message: 'terminating connection', stack: lost.stack, code: '57P01', cause: 'killed' });
    expect(errorOnLine(Object.assign(new TypeError('x'), { code: { a: 1 } }))).not.toHaveProperty('code');
    expect(errorOnLine('no error at all')).toBe('no error at all');
  });
  test('a log that is too long is put aside while others write to it; so many older ones stay', async () => {
    const { openLog } = (await import(new URL('../../scripts/log-file.mjs', import.meta.url).href)) as {
      openLog(dir: string, limits: { mostBytes: number; older: number }): { fd: number; path: string; turn(): boolean };
    };
    const at = folder('log');
    const { fd, path, turn } = openLog(at, { mostBytes: 10, older: 2 });
    writeSync(fd, '0123456789');
    expect(turn()).toBe(false);
    for (const letter of ['a', 'b', 'c']) {
      writeSync(fd, letter.repeat(11));
      expect(turn()).toBe(true);
    }
    writeSync(fd, 'end');
    expect([path, `${path}.1`, `${path}.2`].map((p) => readFileSync(p, 'utf8'))).toEqual(['end', 'c'.repeat(11), 'b'.repeat(11)]);
    expect(existsSync(`${path}.3`)).toBe(false);
    closeSync(fd);
  });
});

describe('many small files at once', () => {
  const bytes = (text: string) => new TextEncoder().encode(text);
  test('each is there under its hash when done, none before; doubles are kept once; what is there stays', async () => {
    const blobs = new Blobs(folder('batch'));
    const old = await blobs.put([bytes('old')]);
    const batch = new Batch(blobs);
    const stored = [
      await batch.put([bytes('one')]),
      await batch.put([bytes('t'), bytes('wo')]),
      await batch.put([bytes('one')]),
      await batch.put([bytes('old')]),
    ];
    expect(existsSync(blobs.path(stored[0].sha256))).toBe(false);
    await batch.done();
    for (const { sha256, bytes: size } of stored) {
      expect(await hashOf(blobs.path(sha256))).toBe(sha256);
      expect(statSync(blobs.path(sha256)).size).toBe(size);
      expect(statSync(blobs.path(sha256)).mode & 0o777).toBe(0o600);
    }
    expect(stored[3]).toEqual(old);
    expect(readdirSync(blobs.incoming)).toEqual([]);
  });
  test('one that a crash cut short under its name is put right', async () => {
    const blobs = new Blobs(folder('batch'));
    const { sha256 } = await blobs.put([bytes('whole')]);
    writeFileSync(blobs.path(sha256), 'who');
    const batch = new Batch(blobs);
    await batch.put([bytes('whole')]);
    await batch.done();
    expect(readFileSync(blobs.path(sha256), 'utf8')).toBe('whole');
  });
  test('where one call for all is not to be had each is made to stay by itself; where it fails nothing has a name', async () => {
    const blobs = new Blobs(folder('batch'));
    const asked: string[] = [];
    const batch = new Batch(blobs, async (at) => (asked.push(at), false));
    const { sha256 } = await batch.put([bytes('x')]);
    await batch.done();
    expect([asked.length, readFileSync(blobs.path(sha256), 'utf8')]).toEqual([2, 'x']);
    const broken = new Batch(blobs, async () => {
      throw new Error('no');
    });
    const lost = await broken.put([bytes('y')]);
    await expect(broken.done()).rejects.toThrow('no');
    expect(existsSync(blobs.path(lost.sha256))).toBe(false);
    expect(readdirSync(blobs.incoming)).toEqual([]);
    expect(await syncFolder('/nowhere-at-all')).toBe(false);
  });
});

test('small pictures: made with the first sixty parts, of the others when they are asked for, and kept then; parts that go in two hundred at a time are all there', async () => {
  const jobId = await world.job();
  await world.bring(jobId, 'boxes.obj', manyBoxes(201));
  const worker = world.worker();
  const { parts } = await world.until(jobId, allRead, 90);
  worker.kill('SIGKILL');
  expect(parts.map((p) => p.summary.picture !== undefined)).toEqual(parts.map((_, i) => i < 60));
  expect(parts.map((p) => p.name)).toEqual(Array.from({ length: 201 }, (_, i) => `Box ${i + 1}`));
  const last = parts[200];
  const made = await pictureOfPart(world.db, world.blobs, last.id);
  // "RIFF", then WEBP from the ninth byte. Source: WebP Container Specification.
  const bytes = await world.blobs.read(made);
  expect([bytes.toString('latin1', 0, 4), bytes.toString('latin1', 8, 12)]).toEqual(['RIFF', 'WEBP']);
  const [after] = (await jobView(world.db, jobId)).parts.slice(200);
  expect(after).toMatchObject({ version: last.version, summary: { picture: made } });
  expect(await pictureOfPart(world.db, world.blobs, last.id)).toBe(made);
  expect(await pictureOfPart(world.db, world.blobs, parts[0].id)).toBe(parts[0].summary.picture);
  await expect(pictureOfPart(world.db, world.blobs, jobId)).rejects.toMatchObject({ code: 'no-such-part' });
});

describe('a disk that takes nothing', () => {
  test.each([
    ['ENOSPC', 'disk-full'],
    ['EDQUOT', 'disk-full'],
    ['EROFS', 'disk-closed'],
    ['EACCES', 'disk-closed'],
  ])('%s is told as %s', (code, said) => {
    expect(diskTrouble(Object.assign(new Error('x'), { code }))).toMatchObject({ code: said, message: expect.stringMatching(/nothing was kept\.$/) as string });
  });
  test('anything else is as it was', () => {
    const other = new Error('x');
    expect(diskTrouble(other)).toBe(other);
    expect(diskTrouble(null)).toBeNull();
  });
  // A real disk of 1 MB, where this user may make one.
  const disk = folder('disk');
  const made = spawnSync('mount', ['-t', 'tmpfs', '-o', 'size=1m', 'tmpfs', disk]).status === 0;
  afterAll(() => {
    spawnSync('umount', [disk]);
    rmSync(disk, { recursive: true, force: true });
  });
  test.runIf(made)('full: an upload, a written file and a batch are refused in a sentence, and leave nothing; with room again they are taken', async () => {
    const blobs = new Blobs(disk);
    const large = Buffer.alloc(3_000_000, 7);
    await expect(blobs.take(Readable.from([large]), 1e9)).rejects.toMatchObject({ code: 'disk-full' });
    await expect(blobs.put([large])).rejects.toMatchObject({ code: 'disk-full' });
    const batch = new Batch(blobs);
    await expect(batch.put([large])).rejects.toMatchObject({ code: 'disk-full' });
    batch.drop();
    expect(readdirSync(blobs.incoming)).toEqual([]);
    expect((await blobs.put([large.subarray(0, 1000)])).bytes).toBe(1000);
  });
  test.runIf(made)('only to be read: the same', async () => {
    const blobs = new Blobs(join(disk, 'closed'));
    mkdirSync(join(disk, 'closed', 'incoming'), { recursive: true });
    expect(spawnSync('mount', ['-o', 'remount,ro', disk]).status).toBe(0);
    await expect(blobs.put([new Uint8Array(9)])).rejects.toMatchObject({ code: 'disk-closed' });
    await expect(blobs.take(Readable.from([Buffer.alloc(9)]), 1e9)).rejects.toMatchObject({ code: 'disk-closed' });
    expect(spawnSync('mount', ['-o', 'remount,rw', disk]).status).toBe(0);
  });
});
