import { parentPort, workerData } from 'node:worker_threads';
import { usualChoices } from 'tall-kite/design/choices';
import type { PartSummary } from 'tall-kite/design/design';
import type { Drawing } from 'tall-kite/drawing/drawing';
import { readDesign } from 'tall-kite/design/read';
import { asUnusable, worst } from 'tall-kite/findings/finding';
import { nodeEngine } from 'tall-kite/join/load';
import { nodeKernels, workingKernel } from 'tall-kite/kernel/load';
import { prove } from 'tall-kite/pass/prove';
import { proveDrawing } from 'tall-kite/pass/prove-drawing';
import { writeDrawing } from 'tall-kite/pass/write-drawing';
import type { Recipe } from 'tall-kite/recipe/recipe';
import { receiveDrawing } from 'tall-kite/receivers/cutters';
import { writePart } from 'tall-kite/pass/write-part';
import { receiveFile } from 'tall-kite/receivers/receive';
import { receiverOf } from 'tall-kite/receivers/receivers';
import { Blobs } from '../storage/blobs.ts';
import type { Answer, ReadRequest, ReadResult, WriteRequest, WriteResult } from './heavy.ts';
import { operate, type OperateRequest } from './operate.ts';
import { geometryOf, storePart } from './shapes.ts';

const blobs = new Blobs((workerData as { dataDir: string }).dataDir);

async function read({ sha256, fileName, choices }: ReadRequest): Promise<ReadResult> {
  const design = await readDesign(await blobs.read(sha256), fileName, nodeKernels, choices ?? usualChoices);
  const parts: ReadResult['parts'] = [];
  for (const part of design.parts) {
    const { summary, findings, geometry, view } = await storePart(blobs, part);
    parts.push({ summary, findings, geometry, view });
  }
  const { format, version, unit, tree, findings } = design;
  return { format, version, unit, tree, findings, parts };
}

async function write({ summary, geometry, recipe }: WriteRequest): Promise<WriteResult> {
  const stored = await blobs.read(geometry);
  const shape = geometryOf(summary.kind, stored);
  if (shape.kind === 'drawing') return writeFlat(summary, shape.drawing, recipe);
  const { fileName, pieces, designed } = await writePart(summary, shape, recipe, workingKernel);
  const { sha256, bytes } = await blobs.put(pieces);
  // Read back from the store: the evidence is about the bytes that will be sent, not about what was meant.
  const received = await receiveFile(await blobs.read(sha256), recipe.file.format, receiverOf(recipe.receiver), nodeKernels);
  return { fileName, sha256, bytes, evidence: prove(designed, received) };
}

async function writeFlat(summary: PartSummary, drawing: Drawing, recipe: Recipe): Promise<WriteResult> {
  const { fileName, pieces, designed, findings } = await writeDrawing(summary, drawing, recipe, await nodeEngine());
  const { sha256, bytes } = await blobs.put(pieces);
  const received = await receiveDrawing(await blobs.read(sha256), recipe.file.format, receiverOf(recipe.receiver));
  const evidence = proveDrawing(designed, received);
  const all = [...findings, ...evidence.findings];
  return { fileName, sha256, bytes, evidence: { ...evidence, findings: all, verdict: worst([evidence.verdict, ...findings.map((f) => f.severity)]) } };
}

// One piece of work at a time: the kernels are single-threaded and memory is the limit.
let last: Promise<unknown> = Promise.resolve();

type Message = { id: number } & (
  { kind: 'read'; request: ReadRequest } | { kind: 'write'; request: WriteRequest } | { kind: 'operate'; request: OperateRequest }
);

function work(message: Message): Promise<unknown> {
  switch (message.kind) {
    case 'read':
      return read(message.request);
    case 'write':
      return write(message.request);
    case 'operate': {
      let told = 0;
      return operate(blobs, message.request, (share, what) => {
        if (Date.now() - told > 250) {
          told = Date.now();
          parentPort!.postMessage({ id: message.id, progress: { share, what } } satisfies Answer);
        }
        return Atomics.load(message.request.cancel, 0) === 1;
      });
    }
  }
}

parentPort!.on('message', (message: Message) => {
  const { id } = message;
  last = last.then(async () => {
    try {
      parentPort!.postMessage({ id, result: await work(message) } satisfies Answer);
    } catch (thrown) {
      const { code, message: sentence, remedy } = asUnusable(thrown);
      parentPort!.postMessage({ id, failure: { code, message: sentence, remedy } } satisfies Answer);
    }
  });
});
