/** Lists that grow, and what is taken away: pages of jobs with their counts kept, jobs removed and brought back, the sweep. */
import { existsSync, mkdirSync, utimesSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { bringBackJob, jobView, keptDays, listJobs, removeJob } from '../src/jobs/jobs.ts';
import { changePart } from '../src/parts/change.ts';
import { listReleases } from '../src/releases/report.ts';
import { sweep } from '../src/standing/sweep.ts';
import { allRead, makeWorld, type World } from './world.ts';

let world: World;
let jobId: string;
beforeAll(async () => {
  world = await makeWorld();
  world.worker();
  jobId = await world.job();
  await world.bring(jobId, 'as1-oc-214.stp');
  await world.until(jobId, allRead);
});
afterAll(() => world?.close());
const row = async () => (await listJobs(world.db)).jobs.find((j) => j.id === jobId)!;
const kept = async () => (await world.db.selectFrom('jobs').select('counts').where('id', '=', jobId).executeTakeFirstOrThrow()).counts;

describe('the list of jobs', () => {
  test('what is counted of a job is that of its own view, is kept, and is counted anew when a part changes', async () => {
    const view = await jobView(world.db, jobId);
    expect(await row()).toMatchObject({ parts: view.parts.length, written: 0, reading: 0, bytes: view.designs[0].bytes });
    expect(await kept()).not.toBeNull();
    await changePart(world.db, view.parts[0].id, { version: view.parts[0].version, what: 'leave out', fields: { left_out: true } });
    expect(await kept()).toBeNull();
    expect((await row()).parts).toBe(view.parts.length - 1);
  });
  test('what is kept is asked for without looking at a part', async () => {
    await row();
    await world.db.updateTable('jobs').set({ counts: JSON.stringify({ parts: 77, clear: 7, look: 0, stop: 0, written: 0, reading: 0, bytes: 1 }) }).where('id', '=', jobId).execute(); // prettier-ignore
    expect((await row()).parts).toBe(77);
  });
  test('pages: every job once, the newest first; a piece of the name finds it, signs of patterns are taken as they are', async () => {
    for (let i = 0; i < 7; i++)
      await world.db
        .insertInto('jobs')
        .values({ name: `Kite ${i} 100%` })
        .execute();
    const { total } = await listJobs(world.db);
    const seen: string[] = [];
    for (let from = 0; from < total; from += 3) seen.push(...(await listJobs(world.db, { from, many: 3 })).jobs.map((j) => j.id));
    expect(seen.length).toBe(total);
    expect(new Set(seen).size).toBe(total);
    const dates = (await listJobs(world.db)).jobs.map((j) => j.changedAt);
    expect(dates).toEqual([...dates].sort().reverse());
    expect((await listJobs(world.db, { search: 'kite 3' })).jobs.map((j) => j.name)).toEqual(['Kite 3 100%']);
    expect((await listJobs(world.db, { search: '0%' })).total).toBe(7);
    expect((await listJobs(world.db, { search: '_ite' })).total).toBe(0);
    expect((await listJobs(world.db, { from: total, many: 3 })).jobs).toEqual([]);
  });
});

describe('removed and brought back', () => {
  test('a removed job is in no list and on no page; brought back it is whole', async () => {
    const before = await jobView(world.db, jobId);
    await removeJob(world.db, jobId);
    await expect(jobView(world.db, jobId)).rejects.toMatchObject({ code: 'no-such-job' });
    await expect(removeJob(world.db, jobId)).rejects.toMatchObject({ code: 'no-such-job' });
    expect(await row()).toBeUndefined();
    expect((await listJobs(world.db, { removed: true })).jobs.map((j) => j.id)).toEqual([jobId]);
    expect(await listReleases(world.db)).toEqual([]);
    await bringBackJob(world.db, jobId);
    await expect(bringBackJob(world.db, jobId)).rejects.toMatchObject({ code: 'no-such-job' });
    expect(await jobView(world.db, jobId)).toEqual(before);
  });
  test('the sweep takes what nobody speaks of and is old, and nothing else', async () => {
    const { sha256 } = (await jobView(world.db, jobId)).designs[0];
    const day = 24 * 3600 * 1000;
    const file = (name: string, age: number) => {
      const path = name.includes('/') ? join(world.dataDir, name) : world.blobs.path(name);
      mkdirSync(join(path, '..'), { recursive: true });
      writeFileSync(path, 'xx');
      utimesSync(path, new Date(Date.now() - age), new Date(Date.now() - age));
      return path;
    };
    const [old, young] = [file('a1'.repeat(32), day + 60_000), file('a2'.repeat(32), day - 60_000)];
    const [broken, coming] = [file('incoming/one', day + 60_000), file('incoming/two', 60_000)];
    utimesSync(world.blobs.path(sha256), new Date(0), new Date(0));
    expect(await sweep(world.db, world.dataDir)).toEqual({ jobs: 0, files: 2, bytes: 4 });
    expect([old, young, broken, coming, world.blobs.path(sha256)].map((p) => existsSync(p))).toEqual([false, true, false, true, true]);
  });
  test('a job goes for good when it was removed longer ago than it is kept, with its files; a day before it does not', async () => {
    const { sha256 } = (await jobView(world.db, jobId)).designs[0];
    const ago = (days: number) => world.db.updateTable('jobs').set({ removed_at: new Date(Date.now() - days * 24 * 3600 * 1000) }).where('id', '=', jobId).execute(); // prettier-ignore
    await ago(keptDays - 1);
    expect((await sweep(world.db, world.dataDir))!.jobs).toBe(0);
    await ago(keptDays + 1);
    utimesSync(world.blobs.path(sha256), new Date(0), new Date(0));
    expect((await sweep(world.db, world.dataDir))!.jobs).toBe(1);
    expect(existsSync(world.blobs.path(sha256))).toBe(false);
    expect(await world.db.selectFrom('parts').select('id').where('job_id', '=', jobId).execute()).toEqual([]);
  });
});
