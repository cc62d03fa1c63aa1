import { receiverIn } from 'tall-kite/receivers/receivers';
import { readyReceivers } from 'tall-kite/receivers/ready';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { readThreeMf } from 'tall-kite/formats/threemf/read';
import { measureMesh, unpackMesh } from 'tall-kite/geometry/mesh';
import { askForOperation, copyPart, dropOperation, keepOperation, operationFile } from '../src/operations/operations.ts';
import { checkRequest, type OperationRequest } from 'tall-kite/operations/registry';
import { changePart, stepHistory } from '../src/parts/change.ts';
import type { JobView } from '../src/jobs/jobs.ts';
import { safeMend } from 'tall-kite/mesh/mend/mend';
import { allRead, makeWorld, type World } from './world.ts';

let world: World;
beforeAll(async () => {
  world = await makeWorld();
  world.worker();
});
afterAll(() => world?.close());

const settled = (job: JobView) => job.operations.every((o) => !['queued', 'working'].includes(o.state));
/** Asks and waits; gives the job and the operation. */
async function done(jobId: string, request: OperationRequest) {
  const id = await askForOperation(world.db, jobId, request);
  const job = await world.until(jobId, settled);
  return { job, operation: job.operations.find((o) => o.id === id)!, id };
}
async function jobWith(...files: string[]): Promise<JobView> {
  const jobId = await world.job();
  for (const file of files) await world.bring(jobId, file);
  return world.until(jobId, (job) => job.designs.length === files.length && allRead(job));
}

describe('operations on parts', () => {
  test('mending is proposed, kept, undone and done again; the file then written is clear', async () => {
    const job = await jobWith('Spider_binary.stl');
    const [part] = job.parts;
    const { operation, id } = await done(job.id, { kind: 'mend', part: part.id, choice: safeMend });
    expect(operation.report!.mend!.before).toMatchObject({ degenerateTriangles: 56, openEdges: 72, shells: 18 });
    // Nothing is changed before it is kept.
    expect((await world.until(job.id, () => true)).parts[0].summary.openEdges).toBe(72);
    await keepOperation(world.db, id);
    const kept = (await world.until(job.id, () => true)).parts[0];
    expect(kept.summary).toMatchObject({ openEdges: 0, shells: 1, made: ['mended'] });
    expect(kept.findings.filter((f) => f.severity === 'stop')).toEqual([]);
    await stepHistory(world.db, job.id, 'undo');
    expect((await world.until(job.id, () => true)).parts[0].summary.openEdges).toBe(72);
    await stepHistory(world.db, job.id, 'redo');
    expect((await world.until(job.id, () => true)).parts[0].summary.openEdges).toBe(0);
    await expect(keepOperation(world.db, id)).rejects.toMatchObject({ code: 'nothing-to-keep' });
  });
  test('exact solids joined stay exact; the old ones are left out, and one undo brings all back', async () => {
    const job = await jobWith('cube-mm.step');
    const [cube] = job.parts;
    const copy = await copyPart(world.db, cube.id, -500);
    const two = await world.until(job.id, (j) => j.parts.length === 2);
    expect(two.parts[1].place[3]).toBe(500);
    const { operation, id } = await done(job.id, { kind: 'join', parts: [cube.id, copy] });
    // Two cubes of 1000 mm that share half of one: 1.5 cubic metres.
    expect(operation.report!.combine).toMatchObject({ exact: true, pieces: 1 });
    expect(operation.report!.combine!.volumeAfter).toBeCloseTo(1.5e9, 0);
    await keepOperation(world.db, id);
    const joined = await world.until(job.id, () => true);
    expect(joined.parts.map((p) => [p.summary.kind, p.leftOut])).toEqual([['solid', true], ['solid', true], ['solid', false]]); // prettier-ignore
    await stepHistory(world.db, job.id, 'undo');
    expect((await world.until(job.id, () => true)).parts.map((p) => p.leftOut)).toEqual([false, false]);
    await stepHistory(world.db, job.id, 'undo');
    expect((await world.until(job.id, () => true)).parts).toHaveLength(1);
  });
  test('a cut with pegs, a hole, dividing, mirroring: shapes as asked', async () => {
    const job = await jobWith('Helix.stl');
    const [part] = job.parts;
    const cut = await done(job.id, {
      kind: 'cut',
      part: part.id,
      keep: 'both',
      plane: { normal: [0, 0, 1], offset: 5 },
      pegs: { count: 2, diameter: 3, depth: 3, clearance: 0.1 },
    });
    expect(cut.operation.made.map((m) => m.name)).toEqual(['Helix upper', 'Helix lower']);
    await dropOperation(world.db, cut.id);
    const hole = await done(job.id, {
      kind: 'body',
      part: part.id,
      as: 'hole',
      body: { kind: 'box', at: [50, 90, 20], normal: [0, 0, 1], width: 30, length: 30, depth: 10, turn: 0 },
    });
    expect(hole.operation.report!.combine!.volumeAfter).toBeLessThan(hole.operation.report!.combine!.volumeBefore);
    const divided = await done(job.id, { kind: 'divide', part: part.id });
    expect(divided.operation).toMatchObject({ state: 'failed', failure: { code: 'one-shell' } });
    const mirror = await done(job.id, { kind: 'mirror', part: part.id, axis: 0 });
    await keepOperation(world.db, mirror.id);
    const row = await world.db.selectFrom('parts').select('geometry_sha256').where('id', '=', part.id).executeTakeFirstOrThrow();
    expect(measureMesh(unpackMesh(await world.blobs.read(row.geometry_sha256))).volume).toBeCloseTo(part.summary.volume, 3);
  });
  test('a check, stances and gaps are reports; a part that changes makes a proposal stale and refuses it', async () => {
    const job = await jobWith('Helix.stl', 'cube-mm.step');
    const [helix, cube] = job.parts;
    const { operation } = await done(job.id, { kind: 'check', part: helix.id, thickness: true });
    expect(operation.report!.check).toMatchObject({ closed: true, selfIntersections: 0 });
    expect(operation.report!.check!.thickness!.least).toBeGreaterThan(0);
    expect(operation.places).toMatch(/^[0-9a-f]{64}$/);
    const stances = await done(job.id, { kind: 'stances', part: helix.id });
    expect(stances.operation.report!.stances!.length).toBeGreaterThan(0);
    const gaps = await done(job.id, { kind: 'clearance', parts: [helix.id, cube.id] });
    expect(gaps.operation.report!.clearance!.pairs).toMatchObject([{ how: 'overlap' }]);
    const lighter = await done(job.id, { kind: 'lighter', part: helix.id, triangles: 250, deviation: null });
    expect(lighter.operation.report!.lighter!.after).toBeLessThanOrEqual(250);
    await changePart(world.db, helix.id, { version: helix.version, what: 'rename', fields: { name: 'Other' } });
    expect((await world.until(job.id, () => true)).operations.find((o) => o.id === lighter.id)!.stale).toBe(true);
    await expect(keepOperation(world.db, lighter.id)).rejects.toMatchObject({ code: 'overtaken' });
  });
  test('several parts as one 3MF in assembly position, proved from its bytes; a bed of copies', async () => {
    const job = await jobWith('dm1-oc-214.stp');
    const ids = job.parts.map((p) => p.id);
    const { operation, id } = await done(job.id, {
      kind: 'together',
      parts: ids,
      receiver: receiverIn(readyReceivers, 'lark'),
      format: '3mf',
      unit: 'mm',
      placing: 'assembly',
      name: 'All',
    });
    const file = await operationFile(world.db, id);
    expect(file).toMatchObject({ fileName: 'All_mm.3mf' });
    expect(operation.report!.file!.evidence.claims.filter((c) => c.verdict !== 'clear')).toEqual([]);
    const read = readThreeMf(await world.blobs.read(file.sha256));
    // 7 solids, as the reference file has.
    expect(read.parts.reduce((n, p) => n + p.places.length, 0)).toBe(7);
    const laid = [0, 1].map((copy) => ({ id: ids[0], copy, bed: 0, turn: 90 * copy, x: 60 + 60 * copy, y: 60 }));
    const bed = await done(job.id, { kind: 'bed', receiver: receiverIn(readyReceivers, 'lark'), unit: 'mm', bed: 0, laid, name: 'Bed 1' });
    expect(bed.operation.report!.file!.evidence.claims.find((c) => c.quantity === 'Parts')).toMatchObject({ designed: 2, received: 2 });
  });
  test('what is at work can be given up; requests that make no sense are refused with a sentence', async () => {
    const job = await jobWith('Helix.stl');
    const id = await askForOperation(world.db, job.id, { kind: 'check', part: job.parts[0].id, thickness: true });
    await dropOperation(world.db, id);
    const after = await world.until(job.id, settled);
    expect(['cancelled', 'ready']).toContain(after.operations.find((o) => o.id === id)?.state ?? 'cancelled');
    for (const bad of [
      null,
      {},
      { kind: 'explode' },
      { kind: 'join', parts: [job.parts[0].id] },
      { kind: 'lighter', part: 'x', triangles: 3, deviation: null },
      { kind: 'cut', part: job.parts[0].id },
    ]) {
      expect(() => checkRequest(bad)).toThrow(/\.$/);
    }
    await expect(askForOperation(world.db, job.id, { kind: 'divide', part: '00000000-0000-4000-8000-000000000000' })).rejects.toMatchObject({
      code: 'no-such-part',
    });
  });
});
