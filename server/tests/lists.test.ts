/** Lists that grow, and what is taken away: pages of jobs with their counts kept, jobs removed and brought back, the sweep. */
import { existsSync, mkdirSync, utimesSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { readyReceivers } from 'tall-kite/receivers/ready';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { bringBackJob, jobView, keptDays, listJobs, removeJob } from '../src/jobs/jobs.ts';
import { bringBackDesign, dismissDesign, listDesigns, removeDesign } from '../src/designs/designs.ts';
import { changePart, stepHistory } from '../src/parts/change.ts';
import { beginRelease, checkWish, setReleaseRemoved } from '../src/releases/releases.ts';
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
    expect(await sweep(world.db, world.dataDir)).toEqual({ jobs: 0, designs: 0, releases: 0, files: 2, bytes: 4 });
    expect([old, young, broken, coming, world.blobs.path(sha256)].map((p) => existsSync(p))).toEqual([false, true, false, true, true]);
  });
  test('a design goes with its parts and comes back with them: by its list, by undo and redo, and for good after the time it is kept', async () => {
    const other = await world.job();
    const first = await world.bring(other, 'as1-oc-214.stp');
    await world.bring(other, 'Helix.stl');
    const before = await world.until(other, (j) => j.designs.length === 2 && allRead(j));
    const names = async () => (await jobView(world.db, other)).parts.map((p) => p.name);
    const files = async () => (await listDesigns(world.db, other)).map((d) => [d.fileName, d.parts, d.removedAt !== null]);
    const all = before.parts.map((p) => p.name);
    expect(await files()).toEqual([['as1-oc-214.stp', 5, false], ['Helix.stl', 1, false]]); // prettier-ignore
    await removeDesign(world.db, first);
    await expect(removeDesign(world.db, first)).rejects.toMatchObject({ code: 'no-such-design' });
    expect(await names()).toEqual(['Helix']);
    // Taking it off the list does not take away what can still be brought back.
    await dismissDesign(world.db, first);
    expect((await jobView(world.db, other)).designs.map((d) => d.fileName)).toEqual(['Helix.stl']);
    expect(await files()).toEqual([['as1-oc-214.stp', 5, true], ['Helix.stl', 1, false]]); // prettier-ignore
    await bringBackDesign(world.db, first);
    await expect(bringBackDesign(world.db, first)).rejects.toMatchObject({ code: 'no-such-design' });
    expect(await names()).toEqual(all);
    // By history: undo of the bringing back and of the removal, and both again.
    for (const [step, left] of [
      ['undo', 1],
      ['undo', 6],
      ['redo', 1],
      ['redo', 6],
    ] as const) {
      await stepHistory(world.db, other, step);
      expect({ step, left: (await names()).length }).toEqual({ step, left });
      expect((await jobView(world.db, other)).designs).toHaveLength(left === 1 ? 1 : 2);
    }
    await removeDesign(world.db, first);
    const ago = (days: number) => world.db.updateTable('designs').set({ removed_at: new Date(Date.now() - days * 24 * 3600 * 1000) }).where('id', '=', first).execute(); // prettier-ignore
    await ago(keptDays - 1);
    expect((await sweep(world.db, world.dataDir))!.designs).toBe(0);
    await ago(keptDays + 1);
    expect((await sweep(world.db, world.dataDir))!.designs).toBe(1);
    expect(await files()).toEqual([['Helix.stl', 1, false]]);
    // What history remembers of it does no harm.
    await stepHistory(world.db, other, 'undo');
    expect(await names()).toEqual(['Helix']);
  });
  test('a release that has ended goes and comes back; its number is not given again', async () => {
    const other = await world.job();
    await world.bring(other, 'Helix.stl');
    await world.until(other, allRead);
    const wish = () => checkWish({ recipe: { lines: [{ receiver: 'lark', format: 'stl' }] } }, readyReceivers);
    const release = async () => {
      const id = await beginRelease(world.db, world.blobs, other, wish());
      return (await world.untilReleased(id)).id;
    };
    const listed = async (removed: boolean) => (await listReleases(world.db, other, removed)).map((r) => r.number);
    const [one, two] = [await release(), await release()];
    await world.db.updateTable('releases').set({ state: 'running' }).where('id', '=', two).execute();
    await expect(setReleaseRemoved(world.db, two, true)).rejects.toMatchObject({ code: 'still-running' });
    await world.db.updateTable('releases').set({ state: 'done' }).where('id', '=', two).execute();
    await setReleaseRemoved(world.db, two, true);
    await expect(setReleaseRemoved(world.db, two, true)).rejects.toMatchObject({ code: 'no-such-release' });
    expect([await listed(false), await listed(true)]).toEqual([[1], [2]]);
    await setReleaseRemoved(world.db, two, false);
    expect([await listed(false), await listed(true)]).toEqual([[2, 1], []]);
    for (const id of [one, two]) await setReleaseRemoved(world.db, id, true);
    await world.db.updateTable('releases').set({ removed_at: new Date(Date.now() - (keptDays + 1) * 24 * 3600 * 1000) }).execute(); // prettier-ignore
    // The last one stays as a row without files: the next release is the third.
    expect((await sweep(world.db, world.dataDir))!.releases).toBe(1);
    expect(await world.db.selectFrom('release_files').select('id').where('job_id', '=', other).execute()).toEqual([]);
    const three = await release();
    expect((await listReleases(world.db, other)).map((r) => [r.id, r.number])).toEqual([[three, 3]]);
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
