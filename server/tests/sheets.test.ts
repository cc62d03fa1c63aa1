import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { SolidBuilder } from 'tall-kite/kernel/build';
import { workingKernel } from 'tall-kite/kernel/load';
import { foldedPart, type WallSpec } from 'tall-kite/kernel/sheet-build';
import { usualFlatten, type FlattenChoice } from 'tall-kite/sheet/pattern';
import type { BendTable } from 'tall-kite/sheet/rules';
import { askForFile } from '../src/files/files.ts';
import type { JobView } from '../src/jobs/jobs.ts';
import { askForOperation, keepOperation } from '../src/operations/operations.ts';
import { checkRequest, type OperationRequest } from 'tall-kite/operations/registry';
import { stepHistory } from '../src/parts/change.ts';
import { addBendTable, bendTables, changeBendTable, checkBendTable, removeBendTable } from '../src/stores/bends.ts';
import { allRead, makeWorld, type World } from './world.ts';

let world: World;
let builder: SolidBuilder;
beforeAll(async () => {
  world = await makeWorld();
  world.worker();
  builder = new SolidBuilder(await workingKernel());
});
afterAll(() => world?.close());

type P2 = [number, number];
const rect = (w: number, h: number): P2[] => [[0, 0], [w, 0], [w, h], [0, h]]; // prettier-ignore
const angle: WallSpec = {
  outline: rect(60, 40),
  holes: [{ at: [20, 20], r: 4 }],
  flanges: [{ from: [60, 0], to: [60, 40], angle: 90, radius: 3, up: true, wall: { outline: rect(40, 30) } }],
};
const step = (wall: WallSpec) =>
  Buffer.from(builder.step('angle', [{ name: 'angle', colour: '#888888', shape: foldedPart(builder, 2, wall), places: [[0, 0, 0]] }]));
const settled = (job: JobView) => job.operations.every((o) => !['queued', 'working'].includes(o.state));
async function jobWith(bytes: Buffer): Promise<JobView> {
  const jobId = await world.job();
  await world.bring(jobId, 'angle.step', bytes);
  return world.until(jobId, (job) => job.designs.length === 1 && allRead(job));
}
async function done(jobId: string, request: OperationRequest) {
  const id = await askForOperation(world.db, jobId, request);
  const job = await world.until(jobId, settled);
  return { id, operation: job.operations.find((o) => o.id === id)! };
}
const choice = (change: Partial<FlattenChoice> = {}): FlattenChoice => ({ ...usualFlatten, rule: { kind: 'k', k: 0.44 }, ...change });
const table: BendTable = { name: 'Steel 2', material: 'steel', thickness: 2, gives: 'k', rows: [{ radius: 3, angle: 90, value: 0.4 }] };

describe('unfolding as an operation', () => {
  test('proposed, kept beside the part, written and folded back from the bytes; undone and done again', async () => {
    const job = await jobWith(step(angle));
    const [part] = job.parts;
    const { id, operation } = await done(job.id, { kind: 'flatten', part: part.id, choice: choice({ density: 7.85, material: 'steel' }) });
    expect(operation.state).toBe('ready');
    const flat = operation.report!.flat!;
    const length = 90 + (Math.PI / 2) * (3 + 0.44 * 2);
    expect(flat).toMatchObject({ thickness: expect.closeTo(2, 9), holes: 1, material: 'steel' });
    expect(flat.weight).toBeCloseTo(((length * 40 - 16 * Math.PI) * 2 * 7.85) / 1000, 6);
    expect(flat.bends).toMatchObject([{ direction: 'up', angle: expect.closeTo(90, 9), rule: 'K 0.44' }]);
    await keepOperation(world.db, id);
    const kept = (await world.until(job.id, () => true)).parts;
    expect(kept.map((p) => [p.name, p.leftOut])).toEqual([['angle', false], ['angle flat', false]]); // prettier-ignore
    expect(kept[1].summary.flat!.bends).toHaveLength(1);
    await askForFile(world.db, kept[1].id);
    const written = await world.until(job.id, (j) => j.parts.some((p) => p.file?.state === 'written'));
    const { evidence } = written.parts[1].file!;
    const fold = evidence!.claims.find((c) => c.quantity === 'Fold-back')!;
    expect(fold).toMatchObject({ verdict: 'clear' });
    expect(fold.received).toBeLessThan(1e-4);
    await stepHistory(world.db, job.id, 'undo');
    expect((await world.until(job.id, () => true)).parts).toHaveLength(1);
    await stepHistory(world.db, job.id, 'redo');
    expect((await world.until(job.id, () => true)).parts).toHaveLength(2);
  });
  test('a part that can’t be unfolded fails with its reason and leaves nothing', async () => {
    const tube = builder.cut(builder.cylinder([0, 0, 0], [0, 0, 1], 20, 50), builder.cylinder([0, 0, -1], [0, 0, 1], 18, 60));
    const job = await jobWith(Buffer.from(builder.step('tube', [{ name: 'tube', colour: '#888888', shape: tube, places: [[0, 0, 0]] }])));
    const { operation } = await done(job.id, { kind: 'flatten', part: job.parts[0].id, choice: choice() });
    expect(operation).toMatchObject({ state: 'failed', failure: { code: 'closed-tube' }, made: [] });
  });
  test('requests from outside are checked', () => {
    const part = '00000000-0000-4000-8000-000000000000';
    const request = { kind: 'flatten', part, choice: choice() };
    expect(checkRequest(request)).toEqual(request);
    for (const bad of [
      { rule: { kind: 'k', k: 2 } },
      { radius: -1 },
      { up: 'sideways' },
      { rule: { kind: 'table', table: { ...table, rows: [] } } },
      { deviation: 0 },
    ])
      expect(() => checkRequest({ ...request, choice: { ...choice(), ...bad } })).toThrow();
  });
});

describe('bend tables in the stores', () => {
  test('kept, changed, taken away and brought back; an older version is refused; a name stands once', async () => {
    const id = await addBendTable(world.db, checkBendTable(table));
    await expect(addBendTable(world.db, { ...table, name: 'STEEL 2' })).rejects.toThrow('already');
    const [stored] = await bendTables(world.db);
    expect(stored).toMatchObject({ id, version: 1, table });
    await changeBendTable(world.db, id, 1, { ...table, thickness: null });
    expect((await bendTables(world.db))[0]).toMatchObject({ version: 2, table: { thickness: null } });
    await expect(changeBendTable(world.db, id, 1, table)).rejects.toThrow('changed in another window');
    await removeBendTable(world.db, id, true);
    expect(await bendTables(world.db)).toEqual([]);
    // Its name is free meanwhile; then it can't come back under it.
    const other = await addBendTable(world.db, table);
    await expect(removeBendTable(world.db, id, false)).rejects.toThrow('already');
    await removeBendTable(world.db, other, true);
    await removeBendTable(world.db, id, false);
    expect((await bendTables(world.db)).map((t) => t.id)).toEqual([id]);
  });
  test('what comes from outside is checked', () => {
    expect(() => checkBendTable({ ...table, gives: 'luck' })).toThrow();
    expect(() => checkBendTable({ ...table, rows: [...table.rows, ...table.rows] })).toThrow('same radius and angle');
    expect(() => checkBendTable({ ...table, rows: [{ radius: 1, angle: 400, value: 1 }] })).toThrow();
  });
});
