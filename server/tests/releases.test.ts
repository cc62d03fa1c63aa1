import { createHash } from 'node:crypto';
import { existsSync, mkdtempSync, readdirSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { sql } from 'kysely';
import { afterAll, beforeAll, describe, expect, test, vi } from 'vitest';
import { unzipSync, zipSync } from 'fflate';
import { usualBoard } from 'tall-kite/boards/choice';
import { makeBoard } from 'tall-kite/boards/make';
import { contourOf } from 'tall-kite/curves/drawing';
import { circle } from 'tall-kite/curves/segment';
import { nodeEngine } from 'tall-kite/engine/load';
import { nodeKernels } from 'tall-kite/kernel/load';
import type { Manifest } from 'tall-kite/release/manifest';
import { receiveFile } from 'tall-kite/processes/receive';
import { receiverIn } from 'tall-kite/receivers/receivers';
import { readyReceivers } from 'tall-kite/receivers/ready';
import { changePart, changeSeveral, stepHistory } from '../src/parts/change.ts';
import { givePartsList, takePartsList } from '../src/parts/properties.ts';
import { makeVariant } from '../src/parts/variants.ts';
import { bringIn } from '../src/designs/designs.ts';
import { askForOperation, keepOperation } from '../src/operations/operations.ts';
import { Readable } from 'node:stream';
import { jobView, makeJob } from '../src/jobs/jobs.ts';
import { changeReceiver, receiversOf, storedReceivers } from '../src/stores/receivers.ts';
import { winderHandle } from '../../demo/src/tubes.ts';
import { inboxOf } from '../src/releases/inbox.ts';
import { beginRelease, cancelRelease, checkWish, previewRelease, retryRelease, type Wish } from '../src/releases/releases.ts';
import { releaseDocument, releaseView, releaseZip, worstOf, type ReleaseView } from '../src/releases/report.ts';
import { allRead, makeWorld, manyBoxes, type World } from './world.ts';
// @ts-expect-error a plain script
import { startCluster } from '../../scripts/cluster.mjs';

/** So many parts run in a soak; SOAK=1000 makes 2,000 files of them. */
const soak = Number(process.env.SOAK ?? 40);

const both = (more: object = {}, options: object = {}): Wish =>
  checkWish(
    {
      recipe: { revision: 'A', lines: [{ receiver: 'lark', format: 'stl' }, { receiver: 'wren', format: '3mf' }], naming: { file: [{ field: 'part' }, { text: '_' }, { field: 'revision' }], folder: [{ field: 'receiver' }] }, ...more }, // prettier-ignore
      options,
    },
    readyReceivers,
  );
const hashes = (view: ReleaseView) => Object.fromEntries(view.rows.map((r) => [r.name, r.sha256]));

/** Waits for something that may throw until it is there. */
async function until(look: () => boolean): Promise<void> {
  await vi.waitFor(
    () => {
      if (!look()) throw new Error('not within 10 s');
    },
    { timeout: 10_000, interval: 100 },
  );
}

/** Parts of a job: so many boxes, read. */
async function boxes(world: World, count: number): Promise<string> {
  const jobId = await world.job();
  await world.bring(jobId, 'boxes.obj', manyBoxes(count));
  await world.until(jobId, allRead);
  return jobId;
}

/** Waits until the states of the workers' sessions at the database are as looked for. */
async function workerSessions(world: World, look: (states: string[]) => void): Promise<void> {
  await vi.waitFor(
    async () => {
      const { rows } = await sql<{
        state: string;
      }>`select state from pg_stat_activity where datname = current_database() and application_name = 'worker'`.execute(world.db);
      look(rows.map((r) => r.state));
    },
    { timeout: 30_000, interval: 50 },
  );
}

/** Holds a worker while a row is being made: one that is only looked at may have ended the row, and not begun another, when it is killed. */
async function heldInTheMiddle(world: World, worker: ReturnType<World['worker']>, id: string): Promise<void> {
  for (;;) {
    await world.untilReleased(id, (r) => r.counts.made >= 3 && r.counts.making > 0);
    worker.kill('SIGSTOP');
    await workerSessions(world, (states) => expect(states).not.toContain('active'));
    const { counts, state } = await releaseView(world.db, id);
    if (counts.making > 0) return;
    expect(state).toBe('running');
    worker.kill('SIGCONT');
  }
}

/** Each row has one file, whose bytes have the hash that is said, and each stands once among the parts' files. */
async function wholeAndOnce(world: World, view: ReleaseView, rows: number): Promise<void> {
  expect(view.counts).toMatchObject({ rows, made: rows, failed: 0, waiting: 0, making: 0, stop: 0 });
  expect(new Set(view.rows.map((r) => r.name.toLowerCase())).size).toBe(rows);
  for (const row of view.rows) expect(createHash('sha256').update(await world.blobs.read(row.sha256!)).digest('hex')).toBe(row.sha256); // prettier-ignore
  const files = await world.db.selectFrom('files').select((eb) => eb.fn.countAll<number>().as('n')).executeTakeFirstOrThrow(); // prettier-ignore
  expect(files.n).toBe(rows);
}

describe('crashes', () => {
  let undisturbed: Record<string, string | null>;
  beforeAll(async () => {
    const world = await makeWorld();
    world.worker();
    const id = await beginRelease(world.db, world.blobs, await boxes(world, soak), both());
    undisturbed = hashes(await world.untilReleased(id, undefined, 60 + 3 * soak));
    await world.close();
  });
  test('a worker killed in the middle, another at work: the run ends whole, each file once, bytes equal to an undisturbed run', async () => {
    const world = await makeWorld();
    const [first] = [world.worker(), world.worker()];
    const id = await beginRelease(world.db, world.blobs, await boxes(world, soak), both());
    await world.untilReleased(id, (r) => r.counts.made >= 3 && r.counts.making > 0);
    first.kill('SIGKILL');
    const view = await world.untilReleased(id, undefined, 60 + 3 * soak);
    expect(view.state).toBe('done');
    await wholeAndOnce(world, view, 2 * soak);
    expect(hashes(view)).toEqual(undisturbed);
    await world.close();
  });
  test('all workers killed: nothing goes on; a new one ends the run', async () => {
    const world = await makeWorld();
    const first = world.worker();
    const id = await beginRelease(world.db, world.blobs, await boxes(world, soak), both());
    await heldInTheMiddle(world, first, id);
    const gone = new Promise((done) => first.once('exit', done));
    first.kill('SIGKILL');
    await gone;
    // What it was at lies where it fell. Once its last session is over nobody is there who could go on.
    await workerSessions(world, (states) => expect(states).toEqual([]));
    const { counts, state } = await releaseView(world.db, id);
    expect(counts.failed).toBe(0);
    expect(counts.making).toBeGreaterThan(0);
    expect(state).toBe('running');
    world.worker();
    const view = await world.untilReleased(id, undefined, 60 + 3 * soak);
    await wholeAndOnce(world, view, 2 * soak);
    expect(hashes(view)).toEqual(undisturbed);
    await world.close();
  });
  test('PostgreSQL killed in the middle and started again: the same workers end the run, whole, once, and equal', async () => {
    const folder = mkdtempSync(join(tmpdir(), 'tall-kite-crash-'));
    let cluster = await startCluster(folder, { wantedPort: 54530 });
    const { port } = new URL(cluster.url);
    const world = await makeWorld(cluster.url);
    world.worker();
    world.worker();
    const id = await beginRelease(world.db, world.blobs, await boxes(world, soak), both());
    await world.untilReleased(id, (r) => r.counts.made >= 3 && r.counts.making > 0);
    const ended = new Promise((done) => cluster.child.once('exit', done));
    // The server itself: the process that was started is a small one that looks after it.
    const { rows } = await sql<{ pid: string }>`select split_part(pg_read_file('postmaster.pid'), E'\n', 1) as pid`.execute(world.db);
    process.kill(Number(rows[0].pid), 'SIGKILL');
    await ended;
    // Its children end a moment after it.
    const answers = () => releaseView(world.db, id).then(
      () => true,
      () => false,
    ); // prettier-ignore
    await expect.poll(answers, { timeout: 20_000 }).toBe(false);
    cluster = await startCluster(folder, { wantedPort: Number(port) });
    expect(new URL(cluster.url).port).toBe(port);
    const view = await world.untilReleased(id, undefined, 90 + 3 * soak);
    await wholeAndOnce(world, view, 2 * soak);
    expect(hashes(view)).toEqual(undisturbed);
    await world.close();
    await cluster.stop();
    rmSync(folder, { recursive: true, force: true });
  });
});

describe('runs', () => {
  let world: World;
  const inboxPort = 20_000 + (process.pid % 20_000);
  const folder = mkdtempSync(join(tmpdir(), 'tall-kite-folder-'));
  beforeAll(async () => {
    world = await makeWorld(undefined, { RELEASE_DIR: folder, INBOX_URL: `http://127.0.0.1:${inboxPort}` });
    world.worker();
  });
  afterAll(async () => {
    await world.close();
    rmSync(folder, { recursive: true, force: true });
  });

  test('cancelled, what is made stays and the rest waits; retried, it ends whole', async () => {
    const jobId = await boxes(world, 30);
    const id = await beginRelease(world.db, world.blobs, jobId, both({}, { folder: true }));
    await world.untilReleased(id, (r) => r.counts.made >= 2);
    // What is ahead is no stop: a report taken in the middle says that the run goes on.
    const { notMade } = (await releaseDocument(world.db, id)).manifest;
    expect(notMade.length).toBeGreaterThan(0);
    for (const one of notMade) expect(one).toMatchObject({ severity: 'look', message: 'Not made yet, the run goes on.' });
    await cancelRelease(world.db, id);
    const stopped = await releaseView(world.db, id);
    expect(stopped.state).toBe('cancelled');
    expect(stopped.counts.cancelled).toBeGreaterThan(0);
    expect(stopped.counts.waiting + stopped.counts.making).toBe(0);
    // The worker goes on to what comes after it in the queue, and has made nothing of it then.
    await boxes(world, 1);
    expect((await releaseView(world.db, id)).counts).toEqual(stopped.counts);
    // The folder says itself what is in it, and what is not.
    const written = () => JSON.parse(readFileSync(join(folder, stopped.folder!, 'manifest.json'), 'utf8')) as Manifest;
    await until(() => written().files.length === stopped.counts.made);
    expect(written().notMade).toHaveLength(stopped.counts.cancelled);
    await retryRelease(world.db, id);
    const view = await world.untilReleased(id);
    expect(view.counts).toMatchObject({ made: 60, cancelled: 0 });
    await until(() => written().files.length === 60);
    await expect(retryRelease(world.db, id)).rejects.toThrow('Nothing of this release failed');
  });

  test('cancelled after its file went to the folder, before that was entered: the file is taken out again', async () => {
    const id = await beginRelease(world.db, world.blobs, await boxes(world, 20), both({}, { folder: true }));
    const inFolder = (name: string) => existsSync(join(folder, view.folder!, name));
    let view = await world.untilReleased(id, (r) => r.counts.made >= 2);
    let name: string | null = null;
    while (name === null && view.state === 'running') {
      name = await world.db.transaction().execute(async (trx) => {
        // While its row is held here, the worker can put a file where it belongs but can't enter it.
        const row = await trx.selectFrom('release_files').select(['id', 'name']).where('release_id', '=', id).where('state', '=', 'making').forUpdate().executeTakeFirst(); // prettier-ignore
        if (!row) return null;
        await until(() => inFolder(row.name));
        await trx.updateTable('release_files').set({ state: 'cancelled' }).where('id', '=', row.id).execute();
        return row.name;
      });
      view = await releaseView(world.db, id);
    }
    expect(name).not.toBe(null);
    await until(() => !inFolder(name!));
    const ended = await world.untilReleased(id);
    expect(ended.counts).toMatchObject({ rows: 40, made: 39, cancelled: 1 });
    const { manifest } = await releaseDocument(world.db, id);
    expect(manifest.files.map((f) => f.file)).not.toContain(name);
    for (const { file } of manifest.files) expect(inFolder(file)).toBe(true);
    // Tried again, it is there.
    await retryRelease(world.db, id);
    await world.untilReleased(id);
    expect(inFolder(name!)).toBe(true);
  });

  test('a worker says that it lives under the name by which its tasks are held: a long one is not given to another', async () => {
    const id = await beginRelease(world.db, world.blobs, await boxes(world, 20), both());
    let held: string[] = [];
    while (held.length === 0 && (await releaseView(world.db, id)).state === 'running') {
      held = (await sql<{ name: string }>`select distinct locked_by as name from graphile_worker._private_jobs where locked_by is not null`.execute(world.db)).rows.map((r) => r.name); // prettier-ignore
    }
    const alive = (await world.db.selectFrom('workers').select('worker_id').execute()).map((w) => w.worker_id);
    expect(held).toHaveLength(1);
    expect(alive).toContain(held[0]);
    await world.untilReleased(id);
  });

  test('again at the next revision: matched parts keep their settings, only what changed is made, undo takes it back', async () => {
    const jobId = await boxes(world, 4);
    const first = await beginRelease(world.db, world.blobs, jobId, both());
    const before = await world.untilReleased(first);
    const [{ id: part, version, recipe }] = (await jobView(world.db, jobId)).parts;
    await changePart(world.db, part, { version, what: 'turn', fields: { recipe: { ...recipe, file: { ...recipe.file, encoding: 'ascii' } } } });
    const [design] = (await jobView(world.db, jobId)).designs;
    // Box 2 grows, Box 4 goes, a Box 5 comes.
    const five = manyBoxes(5, [1]).toString();
    const source = five.slice(0, five.indexOf('o Box 4')) + five.slice(five.indexOf('o Box 4')).replace(/^o Box 4\n(v [^\n]*\n){8}(f [^\n]*\n){6}/, '').replace(/^f .*$/gm, (f) => f.replace(/\d+/g, (n) => String(Number(n) - 8))); // prettier-ignore
    await bringIn(world.db, world.blobs, { jobId, name: 'boxes-B.obj', source: Readable.from([Buffer.from(source)]), replaces: design.id });
    const job = await world.until(jobId, allRead);
    const state = (name: string) => job.parts.find((p) => p.name === name)?.change;
    expect(state('Box 1')).toEqual({ state: 'same', what: [] });
    expect(state('Box 2')).toMatchObject({ state: 'changed', what: [expect.stringMatching(/^size 11 x 6 x 3.01 to 12 x 6 x 3.01 mm/), expect.stringMatching(/^volume 198.66 to 216.72 mm3/)] }); // prettier-ignore
    expect(state('Box 4')).toEqual({ state: 'gone', what: [] });
    expect(state('Box 5')).toEqual({ state: 'new', what: [] });
    expect(job.parts.find((p) => p.name === 'Box 4')!.leftOut).toBe(true);
    // The same row, with what a person chose.
    expect(job.parts.find((p) => p.name === 'Box 1')).toMatchObject({ id: part, recipe: { file: { encoding: 'ascii' } } });
    const second = await world.untilReleased(await beginRelease(world.db, world.blobs, jobId, both({ revision: 'B' })));
    const states = Object.fromEntries(second.rows.map((r) => [r.name, r.state]));
    // Box 1 is made anew since a person changed how it is written; Box 3 is as it was, under its new name.
    expect(states).toMatchObject({ 'Lark/Box-1_B.stl': 'made', 'Lark/Box-2_B.stl': 'made', 'Lark/Box-3_B.stl': 'same', 'Wren/Box-3_B.3mf': 'same', 'Lark/Box-5_B.stl': 'made' }); // prettier-ignore
    expect(second.rows.find((r) => r.name === 'Lark/Box-3_B.stl')!.sha256).toBe(before.rows.find((r) => r.name === 'Lark/Box-3_A.stl')!.sha256);
    expect(second.changes!.map((c) => [c.part, c.state])).toEqual([['Box 1', 'same'], ['Box 2', 'changed'], ['Box 3', 'same'], ['Box 5', 'new'], ['Box 4', 'gone']]); // prettier-ignore
    expect(await stepHistory(world.db, jobId, 'undo')).toBe('next revision: boxes-B.obj');
    const back = await jobView(world.db, jobId);
    expect(back.parts.map((p) => [p.name, p.leftOut, p.designName])).toEqual([1, 2, 3, 4].map((n) => [`Box ${n}`, false, 'boxes.obj']));
    expect(back.parts[1].summary.volume).toBeCloseTo(198.66, 6);
  });

  test('a part joined with one of another design is told as older when that design comes anew, or has it no more', async () => {
    const jobId = await boxes(world, 2);
    const bring = async (name: string, bytes: Buffer, replaces: string | null = null) => {
      await bringIn(world.db, world.blobs, { jobId, name, source: Readable.from([bytes]), replaces });
      return world.until(jobId, allRead);
    };
    const { parts, designs } = await bring('lid.obj', manyBoxes(1));
    const [[one, two], lid] = [parts.filter((p) => p.designName === 'boxes.obj'), parts.find((p) => p.designName === 'lid.obj')!];
    // What is made stands among the parts of the first one's design: the lid's.
    const joined = async (ids: string[]) => {
      const operation = await askForOperation(world.db, jobId, { kind: 'join', parts: ids });
      await world.until(jobId, (job) => job.operations.some((o) => o.id === operation && o.state === 'ready'));
      return (await keepOperation(world.db, operation)).made[0];
    };
    const pair = await joined([lid.id, two.id]);
    const trio = await joined([pair, one.id]);
    const stateOf = async (id: string) => (await jobView(world.db, jobId)).parts.find((p) => p.id === id)!.change?.state;
    expect([await stateOf(pair), await stateOf(trio)]).toEqual([undefined, undefined]);
    const first = designs.find((d) => d.fileName === 'boxes.obj')!.id;
    // Nothing is another: nothing is older.
    await bring('boxes-B.obj', Buffer.concat([manyBoxes(2), Buffer.from('# B')]), first);
    expect([await stateOf(pair), await stateOf(trio)]).toEqual([undefined, undefined]);
    // Box 1 grows: what it went into is older, the pair of the other two is not.
    const second = (await jobView(world.db, jobId)).designs.find((d) => d.fileName === 'boxes-B.obj')!.id;
    await bring('boxes-C.obj', manyBoxes(2, [0]), second);
    expect([await stateOf(pair), await stateOf(trio)]).toEqual([undefined, 'old']);
    await stepHistory(world.db, jobId, 'undo');
    expect(await stateOf(trio)).toBe(undefined);
    // Box 2 is gone: the pair is older, and so is what the pair went into.
    await bring('boxes-D.obj', manyBoxes(1), second);
    expect([await stateOf(pair), await stateOf(trio)]).toEqual(['old', 'old']);
  });

  test('what is said first of a file is what made its verdict: a claim, else a finding with its remedy', () => {
    const claim = { quantity: 'Volume', unit: 'mm3', designed: 10, received: 10.5, difference: 0.5, tolerance: 1, verdict: 'look' as const };
    const finding = (severity: 'look' | 'stop') => ({ code: 'thin', severity, count: 1, message: `A wall to ${severity} at.`, remedy: 'Thicken it.' });
    const of = (verdict: 'clear' | 'look' | 'stop', claims: (typeof claim)[], findings: ReturnType<typeof finding>[]) => worstOf({ verdict, claims, findings });
    expect(of('clear', [], [])).toEqual({ finding: '', remedy: '' });
    expect(of('look', [claim], [finding('look')])).toEqual({ finding: 'Volume: designed 10, received 10.5 mm3', remedy: '' });
    // A claim that only asks for a look does not hide what stops.
    expect(of('stop', [claim], [finding('look'), finding('stop')])).toEqual({ finding: 'A wall to stop at.', remedy: 'Thicken it.' });
  });

  test('evidence computed again from the zip alone agrees; another reader finds every file whole; two zips are equal', async () => {
    const jobId = await boxes(world, 5);
    const id = await beginRelease(world.db, world.blobs, jobId, both());
    await world.untilReleased(id);
    const zip = async () => {
      const pieces: Uint8Array[] = [];
      for await (const piece of (await releaseZip(world.db, world.blobs, id)).pieces) pieces.push(piece);
      return Buffer.concat(pieces);
    };
    const bytes = await zip();
    expect((await zip()).equals(bytes)).toBe(true);
    const { unzipSync } = await import('fflate');
    const files = unzipSync(bytes);
    const manifest = JSON.parse(Buffer.from(files['manifest.json']).toString()) as Manifest;
    expect(manifest.files).toHaveLength(10);
    for (const f of manifest.files) {
      expect(createHash('sha256').update(files[f.file]).digest('hex')).toBe(f.sha256);
      const got = await receiveFile(files[f.file], f.format as 'stl', receiverIn(readyReceivers, f.format === 'stl' ? 'lark' : 'wren'), nodeKernels);
      const claim = f.claims.find((c) => c.quantity === 'Volume')!;
      expect(got.measures.volume).toBe(claim.received);
      expect(f.verdict).toBe('clear');
    }
  });

  test('files go to the inboxes and to the watched folder; a machine refuses what it can not use, and says why, once', async () => {
    const inboxes = await world.inboxes(inboxPort);
    const jobId = await boxes(world, 2);
    const [small] = (await jobView(world.db, jobId)).parts;
    // Read as inches its longest side is 254 mm: off the bed of the resin printer, on that of the filament printer less so.
    await changePart(world.db, small.id, {
      version: small.version,
      what: 'inches',
      fields: { recipe: { ...small.recipe, size: { reading: 'in', factor: 1 } } },
    });
    const id = await beginRelease(world.db, world.blobs, jobId, both({}, { folder: true, deliver: true, evenSo: true }));
    const view = await world.untilReleased(id, (r) => r.state === 'done' && r.rows.every((row) => row.delivery !== 'waiting'));
    expect(view.rows.map((r) => [r.name, r.delivery])).toEqual([
      ['Lark/Box-1_A.stl', 'refused'],
      ['Wren/Box-1_A.3mf', 'refused'],
      ['Lark/Box-2_A.stl', 'accepted'],
      ['Wren/Box-2_A.3mf', 'accepted'], // prettier-ignore
    ]);
    expect(view.rows[1].deliverySaid).toMatch(/bed|fit/i);
    expect((await inboxOf(world.db, 'wren')).map((e) => [e.fileName, e.accepted])).toEqual([['Box-2_A.3mf', true], ['Box-1_A.3mf', false]]); // prettier-ignore
    const post = (path: string, headers: Record<string, string> = {}) => fetch(`http://127.0.0.1:${inboxPort}${path}`, { method: 'POST', body: 'solid nothing\nendsolid', headers }); // prettier-ignore
    const broken = await post('/inbox/lark?name=broken.stl', { 'Idempotency-Key': 'once' });
    expect(broken.status).toBe(422);
    expect(await broken.json()).toMatchObject({ accepted: false, said: expect.any(String) });
    await post('/inbox/lark?name=broken.stl', { 'Idempotency-Key': 'once' });
    expect((await inboxOf(world.db, 'lark')).filter((e) => e.fileName === 'broken.stl')).toHaveLength(1);
    expect((await post('/inbox/nobody?name=x.stl')).status).toBe(404);
    expect((await post('/inbox/lark?name=x.stl', { Origin: 'http://elsewhere.example' })).status).toBe(403);
    inboxes.kill('SIGKILL');
    // The folder holds the same bytes, the manifest and the report.
    const own = join(folder, view.folder!);
    await until(() => readdirSync(own).includes('report.csv'));
    // Another job of this name has a folder of its own.
    expect(readdirSync(folder).filter((name) => name.startsWith('Test-job_1')).length).toBeGreaterThan(1);
    for (const row of view.rows) expect(createHash('sha256').update(readFileSync(join(own, row.name))).digest('hex')).toBe(row.sha256); // prettier-ignore
    const { manifest } = await releaseDocument(world.db, id);
    expect(JSON.parse(readFileSync(join(own, 'manifest.json'), 'utf8'))).toEqual(JSON.parse(JSON.stringify(manifest)));
    expect(readdirSync(own).sort()).toEqual(['Lark', 'Wren', 'manifest.json', 'report.csv']);
  });

  test('a bender gets the tables of its tubes and nothing else; one that it can not bend is refused with the bend', async () => {
    const inboxes = await world.inboxes(inboxPort);
    const jobId = await makeJob(world.db, 'Tubes');
    const handle = await winderHandle();
    await bringIn(world.db, world.blobs, { jobId, name: handle.name, source: Readable.from([Buffer.from(handle.bytes)]) });
    await world.until(jobId, (j) => j.parts.length === 1);
    const run = async () => {
      const wish = checkWish(
        { recipe: { lines: [{ receiver: 'curlew', format: 'step' }] }, options: { deliver: true, evenSo: true } },
        await receiversOf(world.db),
      );
      const id = await beginRelease(world.db, world.blobs, jobId, wish);
      const view = await world.untilReleased(id, (r) => r.state === 'done' && r.rows.every((row) => row.delivery !== 'waiting'));
      return view.rows.map((r) => [r.delivery, r.deliverySaid]);
    };
    // 16 mm tube, four bends of radius 32, as it was drawn.
    expect(await run()).toEqual([['accepted', expect.stringMatching(/^tube 16 x 1.5, 4 bends, \d+\.\d mm developed$/)]]);
    expect((await inboxOf(world.db, 'curlew')).map((e) => [e.fileName, e.accepted])).toEqual([['R1_bends.csv', true]]);
    const { rules, version } = (await storedReceivers(world.db)).find((r) => r.rules.id === 'curlew')!;
    await changeReceiver(world.db, 'curlew', version, { ...rules, bender: { ...rules.bender!, dies: [31, 45] } });
    expect(await run()).toEqual([['refused', expect.stringContaining('no die has radius 32 mm; the nearest has 31 mm')]]);
    inboxes.kill('SIGKILL');
  });

  test('a board shop takes a zip of layers at its inbox, and refuses one without an outline, and what is no zip', async () => {
    const inboxes = await world.inboxes(inboxPort);
    const square = contourOf([[0, 0], [40, 0], [40, 30], [0, 30]].map((a, i, all) => ({ kind: 'line' as const, a: a as [number, number], b: all[(i + 1) % 4] as [number, number] })), true); // prettier-ignore
    const round = contourOf([circle([10, 10], 1.6)], true);
    const drawing = { layers: [{ name: 'board', colour: null, lineType: 'CONTINUOUS', contours: [square, round] }], texts: [], points: [] };
    const { zip } = await makeBoard(await nodeEngine(), drawing, { choice: usualBoard, shop: null, name: 'plate', told: [] });
    const without = zipSync(Object.fromEntries(Object.entries(unzipSync(zip)).filter(([n]) => !n.includes('profile'))));
    const post = async (bytes: Uint8Array) => {
      const answer = await fetch(`http://127.0.0.1:${inboxPort}/inbox/dipper?name=plate.zip`, { method: 'POST', body: Buffer.from(bytes) });
      return [answer.status, ((await answer.json()) as { said: string }).said];
    };
    expect(await post(zip)).toEqual([200, '40.0 × 30.0 mm, 1 hole']);
    expect(await post(without)).toEqual([422, expect.stringContaining('no layer with the outline')]);
    expect(await post(new TextEncoder().encode('solid'))).toEqual([422, expect.stringContaining('no zip')]);
    inboxes.kill('SIGKILL');
  });

  test('a file with the verdict stop is held back from folder, inboxes and zip, with its reason; its evidence stays', async () => {
    const inboxes = await world.inboxes(inboxPort);
    const jobId = await boxes(world, 2);
    const [small] = (await jobView(world.db, jobId)).parts;
    await changePart(world.db, small.id, {
      version: small.version,
      what: 'inches',
      fields: { recipe: { ...small.recipe, size: { reading: 'in', factor: 1 } } },
    });
    const id = await beginRelease(world.db, world.blobs, jobId, both({}, { folder: true, deliver: true }));
    const view = await world.untilReleased(id, (r) => r.state === 'done' && r.rows.every((row) => row.delivery !== 'waiting'));
    inboxes.kill('SIGKILL');
    expect(view.rows.map((r) => [r.name, r.verdict === 'stop', r.held, r.delivery])).toEqual([
      ['Lark/Box-1_A.stl', true, true, 'none'],
      ['Wren/Box-1_A.3mf', true, true, 'none'],
      ['Lark/Box-2_A.stl', false, false, 'accepted'],
      ['Wren/Box-2_A.3mf', false, false, 'accepted'],
    ]);
    expect(view.rows[0].finding).toMatch(/bed/);
    const { manifest } = await releaseDocument(world.db, id);
    expect(manifest.files.map((f) => f.file)).toEqual(['Lark/Box-2_A.stl', 'Wren/Box-2_A.3mf']);
    expect(manifest.notMade.map((n) => [n.part, n.code, n.severity])).toEqual([['Box 1', 'held-back', 'stop'], ['Box 1', 'held-back', 'stop']]); // prettier-ignore
    expect(manifest.notMade[0].message).toMatch(/^Held back, since its verdict is stop\. Too large for the bed/);
    const own = join(folder, view.folder!);
    await until(() => readdirSync(own).includes('report.csv'));
    expect(readdirSync(join(own, 'Lark'))).toEqual(['Box-2_A.stl']);
  });

  test('parts lists fill properties, bad rows are told; variants, grouping by stock and by bed; kinds that do not suit', async () => {
    const jobId = await boxes(world, 6);
    const list = 'part number,name,quantity,material,thickness\nK-1,Box 1,2,PETG,3\nK-2,Box 2,many,PETG,3\nK-3,Box 3,1,PLA,4\nK-9,Nothing,1,,\n';
    expect(await takePartsList(world.db, jobId, list)).toEqual({ changed: 2, rows: 3, bad: [{ line: 3, why: expect.stringContaining('quantity') }], unused: ['K-9'] }); // prettier-ignore
    expect((await givePartsList(world.db, jobId)).split('\r\n')[1]).toBe('K-1,Box 1,2,PETG,3,');
    expect(await makeVariant(world.db, jobId, { parts: (await jobView(world.db, jobId)).parts.slice(0, 2).map((p) => p.id), variant: 'tall', times: 3 })).toBe(
      2,
    );
    const job = await jobView(world.db, jobId);
    expect(job.parts.filter((p) => p.variant === 'tall').map((p) => [p.name, p.quantity])).toEqual([['Box 1', 6], ['Box 2', 3]]); // prettier-ignore
    // Given out and taken back as it is, nothing changes: each variant has a row of its own.
    const [brazen] = job.parts.filter((p) => p.variant === 'tall');
    await changePart(world.db, brazen.id, { version: brazen.version, what: 'stock', fields: { material: 'brass' } });
    expect(await takePartsList(world.db, jobId, await givePartsList(world.db, jobId))).toMatchObject({ changed: 0, rows: 8, bad: [], unused: [] });
    await stepHistory(world.db, jobId, 'undo');
    // The same variant again would be two parts of one name; more than can be made is refused, not made less.
    const again = (change: object) => makeVariant(world.db, jobId, { parts: [job.parts[0].id], variant: 'short', ...change });
    await expect(again({ variant: 'Tall' })).rejects.toMatchObject({ code: 'same-variant' });
    await expect(again({ times: 10_000 * 6 })).rejects.toThrow();
    await changePart(world.db, job.parts[0].id, { version: job.parts[0].version, what: 'many', fields: { quantity: 20 } });
    await expect(again({ times: 5001 })).rejects.toThrow('"Box 1" would be made 100020 times; at most 100000 can be.');
    expect(await again({ times: 5000 })).toBe(1);
    await stepHistory(world.db, jobId, 'undo');
    await stepHistory(world.db, jobId, 'undo');
    await world.bring(jobId, 'paths-data-02-t.svg');
    const read = await world.until(jobId, allRead);
    const sign = read.parts.find((p) => p.summary.kind === 'drawing')!;
    await changeSeveral(world.db, jobId, { parts: [{ id: read.parts[5].id, version: read.parts[5].version }], what: 'leave out', fields: { left_out: true } });
    const wish = checkWish(
      {
        recipe: {
          lines: [
            { name: 'tall ones', choose: { variants: ['tall'] }, receiver: 'lark', format: 'stl', group: 'stock' },
            { name: 'plain ones', choose: { variants: [''] }, receiver: 'lark', format: '3mf', group: 'bed' },
            { name: 'all', choose: { kinds: ['drawing', 'mesh'] }, receiver: 'swift', format: 'dxf', group: 'all' },
          ],
          naming: { file: [{ field: 'part' }, { text: '_' }, { field: 'material' }, { text: '_' }, { field: 'thickness' }], folder: [] },
        },
      },
      readyReceivers,
    );
    const plan = await previewRelease(world.db, jobId, wish.recipe);
    expect(plan.clashes).toEqual([]);
    const view = await world.untilReleased(await beginRelease(world.db, world.blobs, jobId, wish));
    const made = view.rows.filter((r) => r.state === 'made');
    // Box 1 is PETG of 3 mm; Box 2 has no stock. One bed; one drawing; seven meshes do not suit the laser, the drawing no printer.
    expect(made.map((r) => [r.name, r.parts])).toEqual([
      ['PETG-3-mm_PETG_3mm.stl', ['Box 1']],
      ['any-material-any-thickness.stl', ['Box 2']],
      ['plain-ones-bed-1.3mf', ['Box 1', 'Box 2', 'Box 3', 'Box 4', 'Box 5']],
      ['all.dxf', [sign.name]],
    ]);
    expect(view.counts).toMatchObject({ made: 4, failed: 0, skipped: 8 });
    expect(view.rows.filter((r) => r.state === 'skipped').every((r) => r.verdict === 'look' && r.finding !== '')).toBe(true);
    const bed = await receiveFile(await world.blobs.read(made[2].sha256!), '3mf', receiverIn(readyReceivers, 'lark'), nodeKernels);
    // Two of Box 1 (from the list), one each of the others, none overlapping, all on the bed.
    expect(bed.list.map((p) => p.name).sort()).toEqual(['Box 1', 'Box 1', 'Box 2', 'Box 3', 'Box 4', 'Box 5']);
    for (const [i, p] of bed.list.entries()) {
      expect(Math.min(...p.box.min)).toBeGreaterThanOrEqual(-1e-6);
      expect(p.box.max[0]).toBeLessThanOrEqual(250);
      for (const q of bed.list.slice(0, i)) {
        const apart = [0, 1].some((k) => p.box.min[k] > q.box.max[k] + 3.99 || q.box.min[k] > p.box.max[k] + 3.99);
        expect(apart).toBe(true);
      }
    }
    const tall = await receiveFile(await world.blobs.read(made[0].sha256!), 'stl', receiverIn(readyReceivers, 'lark'), nodeKernels);
    expect(tall.soundness.shells).toBe(6);
  });

  test('a part that can not be made fails alone, with its reason; retried, it is tried again and the run ends again', async () => {
    const jobId = await world.job();
    await world.bring(jobId, 'cube-mm.step');
    await world.bring(jobId, 'boxes.obj', manyBoxes(1));
    const [cube, box] = (await world.until(jobId, allRead)).parts;
    // A cube has 12 triangles at least.
    const recipe = { ...cube.recipe, facets: { ...cube.recipe.facets, budget: { kind: 'triangles' as const, most: 4 } } };
    await changePart(world.db, cube.id, { version: cube.version, what: 'budget', fields: { recipe } });
    const id = await beginRelease(world.db, world.blobs, jobId, both({ lines: [{ receiver: 'lark', format: 'stl' }] }));
    const view = await world.untilReleased(id);
    expect(view.rows.map((r) => [r.part, r.state, r.verdict])).toEqual([[cube.name, 'failed', 'stop'], [box.name, 'made', 'clear']]); // prettier-ignore
    expect(view.rows[0].failure).toMatchObject({ message: expect.stringMatching(/^[A-Z0-9].*\.$/), remedy: expect.stringMatching(/\.$/) });
    const { manifest } = await releaseDocument(world.db, id);
    expect(manifest.notMade).toMatchObject([{ part: cube.name, severity: 'stop' }]);
    await retryRelease(world.db, id);
    const again = await world.untilReleased(id);
    expect(again.counts).toMatchObject({ failed: 1, made: 1 });
    expect(again.rows[1].seq).toBe(view.rows[1].seq);
    // The part as it is now is another release's matter: without the budget it is made, and the box is the same.
    await stepHistory(world.db, jobId, 'undo');
    const next = await world.untilReleased(await beginRelease(world.db, world.blobs, jobId, both({ lines: [{ receiver: 'lark', format: 'stl' }] })));
    expect(next.rows.map((r) => r.state)).toEqual(['made', 'same']);
  });

  test('nothing chosen, clashing names, and a run on top of a run are refused before anything is made', async () => {
    const jobId = await boxes(world, 3);
    const clashing = both({
      lines: [{ receiver: 'lark', format: 'stl' }],
      naming: { file: [{ field: 'material' }, { text: 'part' }], folder: [], clash: 'stop' },
    });
    expect((await previewRelease(world.db, jobId, clashing.recipe)).clashes[0].rows).toHaveLength(3);
    await expect(beginRelease(world.db, world.blobs, jobId, clashing)).rejects.toThrow('would be given to several files');
    await expect(beginRelease(world.db, world.blobs, jobId, both({ lines: [{ receiver: 'lark', format: 'stl', choose: { text: 'nowhere' } }] }))).rejects.toThrow('takes no part'); // prettier-ignore
    await beginRelease(world.db, world.blobs, jobId, both());
    await expect(beginRelease(world.db, world.blobs, jobId, both({ revision: 'B' }))).rejects.toThrow('still going on');
    expect(await world.db.selectFrom('releases').select('id').where('job_id', '=', jobId).execute()).toHaveLength(1);
  });
});
