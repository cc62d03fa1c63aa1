import { readyReceivers } from 'tall-kite/receivers/ready';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { firstRecipe } from 'tall-kite/recipe/recipe';
import { dismissDesign } from '../src/designs/designs.ts';
import { askForFile, evidenceDocument, writtenFile } from '../src/files/files.ts';
import { jobView, listJobs, makeJob } from '../src/jobs/jobs.ts';
import { changePart, checkChange, Overtaken, stepHistory } from '../src/parts/change.ts';
import { allRead, allWritten, makeWorld, type World } from './world.ts';

let world: World;
beforeAll(async () => {
  world = await makeWorld();
  world.worker();
});
afterAll(() => world.close());

describe('from upload to evidence through the queue', () => {
  test('a STEP assembly becomes parts with quantities; a file is written, read back and clear', async () => {
    const jobId = await world.job();
    await world.bring(jobId, 'as1-oc-214.stp');
    const job = await world.until(jobId, allRead);
    expect(job.designs[0]).toMatchObject({ state: 'read', format: 'STEP', version: 'AP214', unit: 'mm', failure: null });
    expect(job.parts.map((p) => [p.name, p.quantity])).toEqual([['nut', 8], ['rod', 1], ['bolt', 6], ['l-bracket', 2], ['plate', 1]]); // prettier-ignore
    expect(job.designs[0].tree[0].children.map((c) => c.name)).toContain('plate_1');
    await askForFile(world.db, job.parts[4].id);
    const done = await world.until(jobId, (j) => j.parts[4].file?.state === 'written');
    const file = await writtenFile(world.db, done.parts[4].file!.id);
    const bytes = await world.blobs.read(file.sha256);
    expect(bytes.length).toBe(84 + 50 * bytes.readUInt32LE(80));
    expect(file.evidence.claims.every((c) => c.verdict === 'clear')).toBe(true);
    expect(evidenceDocument(file)).toMatchObject({ part: 'plate', file: { sha256: file.sha256, bytes: bytes.length }, source: { file: 'as1-oc-214.stp' } });
    expect((await listJobs(world.db)).jobs.find((j) => j.id === jobId)).toMatchObject({ parts: 5, written: 1, reading: 0 });
  });
  test('two uploads at once, one of them broken: the good one is read, the other says why and can be dismissed', async () => {
    const jobId = await world.job();
    const whole = (await import('./world.ts')).dataFile('Helix.stl');
    await Promise.all([world.bring(jobId, 'Helix.stl'), world.bring(jobId, 'half.stl', whole.subarray(0, 5000))]);
    const job = await world.until(jobId, allRead);
    const bad = job.designs.find((d) => d.state === 'failed')!;
    expect(bad.failure).toMatchObject({ code: 'cut-off' });
    expect(bad.failure!.remedy).toMatch(/\.$/);
    expect(job.parts).toHaveLength(1);
    await dismissDesign(world.db, bad.id);
    await expect(dismissDesign(world.db, job.designs.find((d) => d.state === 'read')!.id)).rejects.toMatchObject({ code: 'design-in-use' });
    expect((await jobView(world.db, jobId)).designs).toHaveLength(1);
  });
  test('the same recipe gives the same bytes, and a changed part makes its file stale', async () => {
    const jobId = await world.job();
    await world.bring(jobId, 'cube-in.step');
    const [part] = (await world.until(jobId, allRead)).parts;
    await askForFile(world.db, part.id);
    const first = (await world.until(jobId, allWritten)).parts[0].file!;
    await askForFile(world.db, part.id);
    const second = (await world.until(jobId, (j) => allWritten(j) && j.parts[0].file!.id !== first.id)).parts[0].file!;
    expect(second.sha256).toBe(first.sha256);
    const recipe = { ...part.recipe, facets: { ...part.recipe.facets, deviation: 0.3 } };
    await changePart(world.db, part.id, { version: part.version, what: 'coarser', fields: { recipe } });
    const after = (await jobView(world.db, jobId)).parts[0];
    expect(after.file!.stale).toBe(true);
    expect(after.steps.find((s) => s.step === 'File')).toMatchObject({ mark: 'look' });
  });
});

describe('changes, undo and two windows', () => {
  let jobId: string;
  let partId: string;
  const now = async () => (await jobView(world.db, jobId)).parts[0];
  beforeAll(async () => {
    jobId = await world.job();
    await world.bring(jobId, 'Helix.stl');
    partId = (await world.until(jobId, allRead)).parts[0].id;
  });

  test('every change can be taken back and made again, in order', async () => {
    const names = ['one', 'two', 'three'];
    for (const name of names) await changePart(world.db, partId, { version: (await now()).version, what: `rename to ${name}`, fields: { name } });
    await changePart(world.db, partId, { version: (await now()).version, what: 'leave out', fields: { left_out: true } });
    expect((await jobView(world.db, jobId)).undo).toBe('leave out');
    expect(await stepHistory(world.db, jobId, 'undo')).toBe('leave out');
    expect(await stepHistory(world.db, jobId, 'undo')).toBe('rename to three');
    expect(await now()).toMatchObject({ name: 'two', leftOut: false });
    expect(await stepHistory(world.db, jobId, 'redo')).toBe('rename to three');
    expect((await now()).name).toBe('three');
    await changePart(world.db, partId, { version: (await now()).version, what: 'count', fields: { quantity: 4 } });
    expect(await stepHistory(world.db, jobId, 'redo')).toBeNull();
    for (let i = 0; i < 4; i++) await stepHistory(world.db, jobId, 'undo');
    expect(await now()).toMatchObject({ name: 'Helix', quantity: 1 });
    expect(await stepHistory(world.db, jobId, 'undo')).toBeNull();
  });
  test('a change on an older version is refused and changes nothing', async () => {
    const { version } = await now();
    await changePart(world.db, partId, { version, what: 'first window', fields: { quantity: 7 } });
    await expect(changePart(world.db, partId, { version, what: 'second window', fields: { quantity: 9 } })).rejects.toBeInstanceOf(Overtaken);
    expect((await now()).quantity).toBe(7);
  });
  test('of ten changes at once exactly one wins', async () => {
    const { version } = await now();
    const results = await Promise.allSettled(
      Array.from({ length: 10 }, (_, i) => changePart(world.db, partId, { version, what: `window ${i}`, fields: { quantity: 10 + i } })),
    );
    expect(results.filter((r) => r.status === 'fulfilled')).toHaveLength(1);
    expect((await now()).version).toBe(version + 1);
  });
  test('what comes from outside is checked field by field', () => {
    const recipe = firstRecipe({ survey: null }, readyReceivers);
    expect(checkChange({ version: 1, what: 'ok', fields: { recipe } }).fields.recipe).toEqual(recipe);
    for (const bad of [
      null,
      {},
      { version: 1, what: 'x', fields: {} },
      { version: 1, what: 'x', fields: { quantity: 0 } },
      { version: 1, what: 'x', fields: { quantity: '3' } },
      { version: 1, what: 'x', fields: { id: 'y' } },
      { version: 1, what: 'x', fields: { recipe: { ...recipe, file: { ...recipe.file, unit: 'parsec' } } } },
    ]) {
      // prettier-ignore
      expect(() => checkChange(bad)).toThrow();
    }
  });
  test('a job needs a name', async () => {
    await expect(makeJob(world.db, '   ')).rejects.toMatchObject({ code: 'bad-name' });
  });
});
