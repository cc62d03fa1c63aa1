/** Machines as rows: added, changed, archived; what parts, files and undo make of it; and jobs from before there were rows. */
import { sql } from 'kysely';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { readyReceivers } from 'tall-kite/receivers/ready';
import { noReceiver, receiverIn, type Receiver } from 'tall-kite/receivers/receivers';
import { connect } from '../src/database/connect.ts';
import { migrate } from '../src/database/migrations.ts';
import { jobView } from '../src/jobs/jobs.ts';
import { askForOperation, keepOperation } from '../src/operations/operations.ts';
import { changePart, stepHistory } from '../src/parts/change.ts';
import { checkWish } from '../src/releases/releases.ts';
import { askForFile } from '../src/files/files.ts';
import { addReceiver, archiveReceiver, changeReceiver, receiverById, receiversOf, storedReceivers } from '../src/stores/receivers.ts';
import { allRead, makeWorld, type World } from './world.ts';

let world: World;
let jobId = '';
beforeAll(async () => {
  world = await makeWorld();
  world.worker();
  jobId = await world.job();
  await world.bring(jobId, 'screw.step');
  await world.until(jobId, (job) => job.designs.length === 1 && allRead(job));
});
afterAll(() => world?.close());

const mine: Receiver = { ...readyReceivers[0], id: 'mine', name: 'Mine', bed: [300, 300, 300] };
const part = async () => (await jobView(world.db, jobId)).parts[0];
const stored = async (id: string) => (await storedReceivers(world.db)).find((r) => r.rules.id === id)!;

test('the ready ones are there from the start, in their order, and a new part goes to the first that suits it', async () => {
  expect(await receiversOf(world.db)).toEqual(readyReceivers);
  expect((await part()).recipe.receiver).toEqual(readyReceivers[0]);
});

describe('a machine of your own', () => {
  test('is kept under an id and a name that stand once', async () => {
    await addReceiver(world.db, mine);
    expect(await receiverById(world.db, 'mine')).toEqual(mine);
    await expect(addReceiver(world.db, { ...mine, name: 'Other' })).rejects.toMatchObject({ code: 'name-taken' });
    await expect(addReceiver(world.db, { ...mine, id: 'other', name: 'LARK' })).rejects.toMatchObject({ code: 'name-taken' });
    await expect(addReceiver(world.db, { ...mine, id: noReceiver.id, name: 'Other' })).rejects.toMatchObject({ code: 'name-taken' });
  });
  test('its changed rules reach every part that goes to it; files by the old ones are stale; undo brings no old rules back', async () => {
    const before = await part();
    await changePart(world.db, before.id, { version: before.version, what: 'to mine', fields: { recipe: { ...before.recipe, receiver: mine } } });
    await askForFile(world.db, before.id);
    await world.until(jobId, (j) => j.parts[0].file?.state === 'written');
    expect((await part()).file!.stale).toBe(false);
    const at = await stored('mine');
    expect(at.parts).toBe(1);
    await changeReceiver(world.db, 'mine', at.version, { ...mine, bed: [5, 5, 5] });
    const after = await part();
    expect(after.recipe.receiver.bed).toEqual([5, 5, 5]);
    expect(after.file!.stale).toBe(true);
    expect(after.steps[1].finding!.message).toContain('does not fit the bed of Mine (5 × 5 × 5 mm)');
    await stepHistory(world.db, jobId, 'undo');
    expect((await part()).recipe.receiver.id).toBe('lark');
    await stepHistory(world.db, jobId, 'redo');
    expect((await part()).recipe.receiver.bed).toEqual([5, 5, 5]);
    await expect(changeReceiver(world.db, 'mine', at.version, mine)).rejects.toMatchObject({ code: 'overtaken' });
    await expect(changeReceiver(world.db, 'mine', at.version + 1, { ...mine, id: 'yours' })).rejects.toMatchObject({ code: 'other-receiver' });
  });
  test('rules that a page makes up are not taken: the stored ones are', async () => {
    const now = await part();
    const forged = { ...now.recipe, receiver: { ...now.recipe.receiver, bed: [9000, 9000, 9000] as [number, number, number] } };
    await changePart(world.db, now.id, { version: now.version, what: 'forged', fields: { recipe: forged } });
    expect((await part()).recipe.receiver.bed).toEqual([5, 5, 5]);
    const rules = forged.receiver;
    await askForOperation(world.db, jobId, { kind: 'together', parts: [now.id], receiver: rules, format: 'stl', unit: 'mm', placing: 'set-down', name: 'all' });
    const { request } = await world.db
      .selectFrom('operations')
      .select('request')
      .where('job_id', '=', jobId)
      .where('kind', '=', 'together')
      .executeTakeFirstOrThrow();
    expect(request).toMatchObject({ receiver: { bed: [5, 5, 5] } });
    const { recipe } = checkWish({ recipe: { lines: [{ receiver: rules, format: 'stl' }] } }, await receiversOf(world.db, true));
    expect(recipe.lines[0].receiver.bed).toEqual([5, 5, 5]);
  });
  test('archived it is offered no more, its parts and releases keep it, and it comes back', async () => {
    await archiveReceiver(world.db, 'mine', true);
    expect((await receiversOf(world.db)).some((r) => r.id === 'mine')).toBe(false);
    expect((await part()).recipe.receiver.id).toBe('mine');
    const wish = { recipe: { lines: [{ receiver: 'mine', format: 'stl' }] } };
    expect(checkWish(wish, await receiversOf(world.db, true)).recipe.lines[0].receiver.name).toBe('Mine');
    expect(() => checkWish(wish, readyReceivers)).toThrow('there is no receiver "mine"');
    await archiveReceiver(world.db, 'mine', false);
    expect((await receiversOf(world.db)).pop()!.id).toBe('mine');
    await expect(archiveReceiver(world.db, 'nobody', true)).rejects.toMatchObject({ code: 'no-such-receiver' });
    await expect(receiverById(world.db, 'nobody')).rejects.toMatchObject({ code: 'no-such-receiver' });
  });
});

test('jobs from before there were rows: ids in recipes, history, operations and releases become rules', async () => {
  const old = await makeWorld();
  try {
    const id = await old.job();
    await old.bring(id, 'screw.step');
    old.worker();
    await old.until(id, (job) => job.designs.length === 1 && allRead(job));
    const [{ id: partId }] = (await jobView(old.db, id)).parts;
    const asId = sql`'"wren"'::jsonb`;
    await sql`update parts set recipe = jsonb_set(recipe, '{receiver}', ${asId})`.execute(old.db);
    const delta = (recipe: object) => JSON.stringify([{ part: partId, before: { name: 'a' }, after: recipe }]);
    await sql`insert into changes (job_id, what, parts) values (${id}, 'x', ${delta({ recipe: { receiver: 'swift' } })}), (${id}, 'y', ${delta({ name: 'b' })})`.execute(
      old.db,
    );
    const recipe = JSON.stringify({ lines: [{ receiver: 'martin' }, { receiver: 'gone' }] });
    await sql`insert into releases (job_id, number, recipe, options, head, state) values (${id}, 1, ${recipe}, '{}', '{}', 'done')`.execute(old.db);
    await sql`insert into operations (job_id, kind, request, parts, versions, state) values (${id}, 'bed', '{"receiver":"lark"}', '[]', '{}', 'ready')`.execute(
      old.db,
    );
    await sql`drop table receivers`.execute(old.db);
    // What came after it goes with it.
    await sql`drop function touched, part_of_file_touched, source_touched cascade`.execute(old.db);
    await sql`alter table parts drop column ways, drop column made_from`.execute(old.db);
    await sql`alter table jobs drop column counts, drop column removed_at`.execute(old.db);
    await sql`alter table releases drop column removed_at`.execute(old.db);
    await sql`drop table fonts`.execute(old.db);
    await sql`drop table cut_lists`.execute(old.db);
    await sql`drop table stock_sheets`.execute(old.db);
    await sql`drop table materials`.execute(old.db);
    await sql`drop table kept_designs, shelves`.execute(old.db);
    await sql`drop index designs_by_bytes`.execute(old.db);
    await sql`alter table parts drop column rev`.execute(old.db);
    await sql`alter table designs drop column progress, drop column doing, drop column recipes, drop column rev, drop column removed_at, drop column removed_parts`.execute(
      old.db,
    );
    await sql`delete from kysely_migration where name >= '005-receivers'`.execute(old.db);
    const { db, pool } = connect(old.url, 1);
    await migrate(db, pool);
    await db.destroy();
    expect((await jobView(old.db, id)).parts[0].recipe.receiver).toEqual(receiverIn(readyReceivers, 'wren'));
    const { rows } = await sql<{ parts: { after: unknown }[] }>`select parts from changes order by id`.execute(old.db);
    expect(rows.map((r) => r.parts[0].after)).toEqual([{ recipe: { receiver: receiverIn(readyReceivers, 'swift') } }, { name: 'b' }]);
    const release = await old.db.selectFrom('releases').select('recipe').executeTakeFirstOrThrow();
    expect(release.recipe.lines.map((l) => l.receiver)).toEqual([receiverIn(readyReceivers, 'martin'), noReceiver]);
    const { request } = await old.db.selectFrom('operations').select('request').executeTakeFirstOrThrow();
    expect(request).toMatchObject({ receiver: readyReceivers[0] });
  } finally {
    await old.close();
  }
});

test('a small operation with a form: hollow is proposed with its walls measured, and kept', async () => {
  const other = await world.job();
  await world.bring(other, 'cube-mm.step');
  const [cube] = (await world.until(other, (job) => job.designs.length === 1 && allRead(job))).parts;
  const id = await askForOperation(world.db, other, { kind: 'hollow', part: cube.id, wall: 200, cell: 50, drain: null, drains: 1 });
  const job = await world.until(other, (j) => j.operations.every((o) => !['queued', 'working'].includes(o.state)));
  const [operation] = job.operations;
  expect(operation).toMatchObject({ gives: 'proposal', state: 'ready', report: { findings: [{ code: 'no-drain' }] } });
  // A cube of 1000 mm with walls of 200: 600 mm are hollow along each axis, within the grid's 50 mm.
  const hollow = operation.report!.figures!.find((f) => f.name === 'Hollow')!.value;
  expect(hollow).toBeGreaterThan(500 ** 3);
  expect(hollow).toBeLessThan(600 ** 3 * 1.001);
  await keepOperation(world.db, id);
  expect((await jobView(world.db, other)).parts[0].summary).toMatchObject({ kind: 'mesh', made: ['made hollow, wall 200 mm'], shells: 2 });
});
