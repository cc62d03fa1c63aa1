import { afterAll, beforeAll, expect, test } from 'vitest';
import { askForFile } from '../src/files/files.ts';
import { allRead, allWritten, makeWorld, type World } from './world.ts';

let world: World;
beforeAll(async () => {
  world = await makeWorld();
});
afterAll(() => world.close());

test('a worker killed in the middle: another takes its task up, and every part is there once', async () => {
  const jobId = await world.job();
  await world.bring(jobId, 'as1-oc-214.stp');
  const first = world.worker();
  await world.until(jobId, (j) => j.designs[0].state === 'reading');
  first.kill('SIGKILL');
  world.worker();
  const job = await world.until(jobId, allRead, 90);
  expect(job.designs[0].state).toBe('read');
  expect(job.parts.map((p) => p.name)).toEqual(['nut', 'rod', 'bolt', 'l-bracket', 'plate']);
  for (const part of job.parts) await askForFile(world.db, part.id);
  const done = await world.until(jobId, allWritten, 90);
  expect(done.parts.every((p) => p.file!.evidence!.claims.every((c) => c.verdict === 'clear'))).toBe(true);
  const count = await world.db
    .selectFrom('files')
    .select((eb) => eb.fn.countAll<number>().as('n'))
    .executeTakeFirstOrThrow();
  expect(Number(count.n)).toBe(5);
});
