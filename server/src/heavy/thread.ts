import { parentPort, workerData } from 'node:worker_threads';
import { usualChoices } from 'tall-kite/design/choices';
import type { Geometry } from 'tall-kite/design/design';
import { readDesign } from 'tall-kite/design/read';
import { asUnusable } from 'tall-kite/findings/finding';
import { packMesh, unpackMesh } from 'tall-kite/geometry/mesh';
import { nodeKernels, workingKernel } from 'tall-kite/kernel/load';
import { prove } from 'tall-kite/pass/prove';
import { writePart } from 'tall-kite/pass/write-part';
import { receiveFile } from 'tall-kite/receivers/receive';
import { receiverOf } from 'tall-kite/receivers/receivers';
import { thumbOf } from 'tall-kite/view/thumb';
import { unpackView, viewOf } from 'tall-kite/view/view';
import { Blobs } from '../storage/blobs.ts';
import type { Answer, ReadRequest, ReadResult, WriteRequest, WriteResult } from './heavy.ts';
import { operate, type OperateRequest } from './operate.ts';

const blobs = new Blobs((workerData as { dataDir: string }).dataDir);

async function read({ sha256, fileName, choices }: ReadRequest): Promise<ReadResult> {
  const design = await readDesign(await blobs.read(sha256), fileName, nodeKernels, choices ?? usualChoices);
  const parts: ReadResult['parts'] = [];
  for (const part of design.parts) {
    const packed = part.geometry.kind === 'solid' ? new TextEncoder().encode(part.geometry.brep) : packMesh(part.geometry.mesh);
    const geometry = await blobs.put([packed]);
    const drawn = await viewOf(part.geometry, workingKernel);
    const view = await blobs.put([drawn]);
    const thumb = thumbOf(unpackView(drawn.slice().buffer));
    parts.push({ summary: { ...part.summary, thumb }, findings: part.findings, geometry: geometry.sha256, view: view.sha256 });
  }
  const { format, version, unit, tree, findings } = design;
  return { format, version, unit, tree, findings, parts };
}

async function write({ summary, geometry, recipe }: WriteRequest): Promise<WriteResult> {
  const stored = await blobs.read(geometry);
  const shape: Geometry = summary.kind === 'solid' ? { kind: 'solid', brep: stored.toString('utf8') } : { kind: 'mesh', mesh: unpackMesh(stored) };
  const { fileName, pieces, designed } = await writePart(summary, shape, recipe, workingKernel);
  const { sha256, bytes } = await blobs.put(pieces);
  // Read back from the store: the evidence is about the bytes that will be sent, not about what was meant.
  const received = await receiveFile(await blobs.read(sha256), recipe.file.format, receiverOf(recipe.receiver), nodeKernels);
  return { fileName, sha256, bytes, evidence: prove(designed, received) };
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
