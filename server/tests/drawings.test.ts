import { receiverIn } from 'tall-kite/receivers/receivers';
import { readyReceivers } from 'tall-kite/receivers/ready';
import { afterAll, beforeAll, describe, expect, test, vi } from 'vitest';
import { safeMend } from 'tall-kite/curves/mend';
import { readDxf } from 'tall-kite/formats/dxf/read';
import { HeavyThread } from '../dist/heavy/heavy.js';
import { askForFile } from '../src/files/files.ts';
import type { JobView } from '../src/jobs/jobs.ts';
import { askForOperation, keepOperation } from '../src/operations/operations.ts';
import { checkRequest, type OperationRequest } from 'tall-kite/operations/registry';
import { changePart, stepHistory } from '../src/parts/change.ts';
import { allRead, makeWorld, type World } from './world.ts';

let world: World;
beforeAll(async () => {
  world = await makeWorld();
  world.worker();
});
afterAll(() => world?.close());

const settled = (job: JobView) => job.operations.every((o) => !['queued', 'working'].includes(o.state));
async function done(jobId: string, request: OperationRequest) {
  const id = await askForOperation(world.db, jobId, request);
  const job = await world.until(jobId, settled);
  return { operation: job.operations.find((o) => o.id === id), id };
}
const now = async (jobId: string) => (await world.until(jobId, () => true)).parts;
const line = (...[a, b, c, d]: number[]) => [0, 'LINE', 8, 'cut', 10, a, 20, b, 11, c, 21, d];
/** A square of loose lines of 50 mm with a gap of 0.1 mm. */
const square = [
  0,
  'SECTION',
  2,
  'ENTITIES',
  ...line(0, 0, 50, 0),
  ...line(50.1, 0, 50, 50),
  ...line(50, 50, 0, 50),
  ...line(0, 50, 0, 0),
  0,
  'ENDSEC',
  0,
  'EOF',
].join('\n');

async function jobWithSquare(): Promise<JobView> {
  const jobId = await world.job();
  await world.bring(jobId, 'square.dxf', Buffer.from(`${square}\n`));
  return world.until(jobId, (job) => job.designs.length === 1 && allRead(job));
}

describe('drawings', () => {
  test('read as one part with figures; cleaned as proposed, kept and undone', async () => {
    const job = await jobWithSquare();
    const [part] = job.parts;
    expect(part.summary).toMatchObject({ kind: 'drawing', unit: null, drawing: { contours: 1, openContours: 1 } });
    expect(part.summary.drawing!.gaps[0]).toBeCloseTo(0.1, 9);
    expect(part.steps.find((s) => s.step === 'Soundness')!.mark).toBe('stop');
    const { operation, id } = await done(job.id, { kind: 'clean', part: part.id, choice: { ...safeMend, joinGaps: 0.2 } });
    expect(operation!.report!.clean).toMatchObject({ before: { open: 1 }, after: { open: 0 } });
    expect((await now(job.id))[0].summary.drawing!.openContours).toBe(1);
    await keepOperation(world.db, id);
    expect((await now(job.id))[0].summary.drawing!.openContours).toBe(0);
    await stepHistory(world.db, job.id, 'undo');
    expect((await now(job.id))[0].summary.drawing!.openContours).toBe(1);
  });
  test('a node is changed at once, and undone; raising gives a solid beside the drawing, which stays', async () => {
    const job = await jobWithSquare();
    const [part] = job.parts;
    await done(job.id, { kind: 'node', part: part.id, edit: { action: 'move', layer: 0, contour: 0, node: 1, to: [70, 0] } });
    await world.until(job.id, (j) => Math.abs(j.parts[0].summary.box.max[0] - 70) < 1e-9);
    await stepHistory(world.db, job.id, 'undo');
    expect((await now(job.id))[0].summary.box.max[0]).toBeCloseTo(50.1, 9);
    const refused = await done(job.id, { kind: 'raise', part: part.id, thickness: 4 });
    expect(refused.operation).toMatchObject({ state: 'failed', failure: { code: 'nothing-closed' } });
    const clean = await done(job.id, { kind: 'clean', part: part.id, choice: { ...safeMend, joinGaps: 0.2 } });
    await keepOperation(world.db, clean.id);
    const raised = await done(job.id, { kind: 'raise', part: part.id, thickness: 4 });
    await keepOperation(world.db, raised.id);
    const parts = await now(job.id);
    expect(parts.map((p) => [p.summary.kind, p.leftOut])).toEqual([['drawing', false], ['mesh', false]]); // prettier-ignore
    expect(parts[1].summary.volume).toBeGreaterThan(10_000);
    expect(parts[1].recipe).toMatchObject({ receiver: { id: 'lark' }, file: { format: 'stl' } });
  });
  test('a section of a solid comes beside it as a drawing with a recipe of its own; its file is proved', async () => {
    const jobId = await world.job();
    await world.bring(jobId, 'cube-mm.step');
    const job = await world.until(jobId, allRead);
    const { operation, id } = await done(jobId, { kind: 'draw', part: job.parts[0].id, view: { kind: 'section', height: 500, axis: 'z' }, fit: null });
    expect(operation!.report!.drawn).toMatchObject({ contours: 1, length: 4000, area: 1_000_000 });
    await keepOperation(world.db, id);
    const drawn = (await now(jobId)).find((p) => p.summary.kind === 'drawing')!;
    await changePart(world.db, drawn.id, {
      version: drawn.version,
      what: 'to the router',
      fields: { recipe: { ...drawn.recipe, receiver: receiverIn(readyReceivers, 'martin') } },
    });
    await askForFile(world.db, drawn.id);
    const written = (await world.until(jobId, (j) => j.parts.some((p) => p.file?.state === 'written'))).parts.find((p) => p.id === drawn.id)!.file!;
    expect(written.evidence!.verdict).toBe('clear');
    const file = readDxf(await world.blobs.read(written.sha256!));
    expect(file).toMatchObject({ unit: 'mm', kinds: { LWPOLYLINE: 1 } });
  });
  test.each([
    [{ kind: 'clean', part: 'x', choice: safeMend }],
    [{ kind: 'node', part: '7d444840-9dc0-11d1-b245-5ffdce74fad2', edit: { action: 'move', layer: 0, contour: 0, node: 0, to: [Infinity, 0] } }],
    [{ kind: 'draw', part: '7d444840-9dc0-11d1-b245-5ffdce74fad2', view: { kind: 'stack', pitch: 0 }, fit: null }],
    [{ kind: 'raise', part: '7d444840-9dc0-11d1-b245-5ffdce74fad2', thickness: -1 }],
  ])('bad requests are refused: %j', (request) => expect(() => checkRequest(request)).toThrow(/\.$/));
});

test('a thread that says nothing is ended, what it held is refused, and the next call gets a fresh one', async () => {
  const { sha256, bytes } = await world.blobs.put([new TextEncoder().encode(square)]);
  const heavy = new HeavyThread(world.dataDir, { readSilenceMs: 1, readSilencePerMbMs: 0 });
  try {
    await expect(heavy.call('read', { sha256, fileName: 'square.dxf', bytes, choices: null })).rejects.toMatchObject({ code: 'heavy-silent', again: false });
  } finally {
    await heavy.close();
  }
  const patient = new HeavyThread(world.dataDir);
  try {
    expect((await patient.call('read', { sha256, fileName: 'square.dxf', bytes, choices: null })).parts).toHaveLength(1);
  } finally {
    await patient.close();
  }
});

test('a thread with nothing to do is ended after a while, not while it works; the next call starts one', async () => {
  const { sha256, bytes } = await world.blobs.put([new TextEncoder().encode(square)]);
  const heavy = new HeavyThread(world.dataDir, { idleMs: 50 });
  const request = { sha256, fileName: 'square.dxf', bytes, choices: null };
  try {
    // Starting a thread alone takes longer than 50 ms: it is not ended meanwhile.
    for (let round = 0; round < 2; round++) {
      expect((await heavy.call('read', request)).parts).toHaveLength(1);
      expect(heavy.running).toBe(true);
      await vi.waitFor(() => expect(heavy.running).toBe(false), 10_000);
    }
  } finally {
    await heavy.close();
  }
});
