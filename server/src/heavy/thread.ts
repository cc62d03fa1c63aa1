import { parentPort, workerData } from 'node:worker_threads';
import { usualChoices } from 'tall-kite/model/choices';
import type { PartSummary } from 'tall-kite/model/design';
import { readDesign } from 'tall-kite/pipeline/read';
import { sha256 } from 'tall-kite/base/sha256';
import { asUnusable } from 'tall-kite/base/finding';
import { nodeKernels } from 'tall-kite/kernel/load';
import { nodeTools } from 'tall-kite/pipeline/node-tools';
import { makeOneFile } from 'tall-kite/pipeline/one-file';
import { makeFile, Skipped } from 'tall-kite/release/make';
import { Blobs } from '../storage/blobs.ts';
import type { Answer, MakeRequest, MakeResult, ReadRequest, ReadResult, ReceiveRequest, ReceiveResult, WriteRequest, WriteResult } from './heavy.ts';
import { log, withIds, type Ids } from '../standing/log.ts';
import { received } from './received.ts';
import { operate, type OperateRequest } from './operate.ts';
import { unpackGeometry } from 'tall-kite/model/pack';
import { keepIn, storeParts } from './shapes.ts';
import { shelve, type ShelveRequest } from './shelve.ts';

const blobs = new Blobs((workerData as { dataDir: string }).dataDir);

async function read({ sha256, fileName, choices }: ReadRequest, progress: (share: number, what: string) => void): Promise<ReadResult> {
  const design = await readDesign(await blobs.read(sha256), fileName, { ...nodeKernels, progress }, choices ?? usualChoices);
  const { length } = design.parts;
  const stored = await storeParts(blobs, design.parts, (done) => progress(done / length, `keeping part ${done} of ${length}`));
  const parts = stored.map(({ summary, findings, geometry, view }) => ({ summary, findings, geometry, view }));
  const { format, version, unit, tree, findings } = design;
  return { format, version, unit, tree, findings, parts };
}

async function write({ summary, geometry, recipe }: WriteRequest): Promise<WriteResult> {
  const shape = unpackGeometry(summary.kind, await blobs.read(geometry));
  const { fileName, bytes, evidence } = await makeOneFile({ summary, geometry: shape }, recipe, nodeTools, keepIn(blobs));
  return { fileName, sha256: sha256([bytes]), bytes: bytes.length, evidence };
}

/** One file of a release. A part that the line does not suit is a result, not a failure. */
async function make(row: MakeRequest): Promise<MakeResult> {
  try {
    const findings = new Map(row.parts.map((p) => [p.key, p.findings]));
    const geometry = async (part: { key: string; summary: PartSummary; shape: string }) => ({
      geometry: unpackGeometry(part.summary.kind, await blobs.read(part.shape)),
      findings: findings.get(part.key) ?? [],
    });
    return { made: await makeFile(row, geometry, nodeTools, keepIn(blobs)) };
  } catch (thrown) {
    if (!(thrown instanceof Skipped)) throw thrown;
    const { code, message, remedy } = thrown;
    return { skipped: { code, message, remedy } };
  }
}

async function receive(request: ReceiveRequest): Promise<ReceiveResult> {
  return received(await blobs.read(request.sha256), request.fileName, request.receiver);
}

// One piece of work at a time: the kernels are single-threaded and memory is the limit.
let last: Promise<unknown> = Promise.resolve();

type Message = { id: number; ids: Ids } & (
  | { kind: 'read'; request: ReadRequest }
  | { kind: 'shelve'; request: ShelveRequest }
  | { kind: 'write'; request: WriteRequest }
  | { kind: 'make'; request: MakeRequest }
  | { kind: 'receive'; request: ReceiveRequest }
  | { kind: 'operate'; request: OperateRequest }
);

/** Tells how far a piece of work is, a few times a second. */
function telling(id: number): (share: number, what: string) => void {
  let told = 0;
  return (share, what) => {
    if (Date.now() - told <= 250) return;
    told = Date.now();
    parentPort!.postMessage({ id, progress: { share, what } } satisfies Answer);
  };
}

function work(message: Message): Promise<unknown> {
  switch (message.kind) {
    case 'read':
      return read(message.request, telling(message.id));
    case 'shelve':
      return shelve(blobs, message.request, telling(message.id));
    case 'write':
      return write(message.request);
    case 'make':
      return make(message.request);
    case 'receive':
      return receive(message.request);
    case 'operate': {
      const tell = telling(message.id);
      return operate(blobs, message.request, (share, what) => {
        tell(share, what);
        return Atomics.load(message.request.cancel, 0) === 1;
      });
    }
  }
}

parentPort!.on('message', (message: Message) => {
  const { id } = message;
  last = last.then(() =>
    withIds(message.ids, async () => {
      try {
        parentPort!.postMessage({ id, result: await work(message) } satisfies Answer);
      } catch (thrown) {
        const { code, message: sentence, remedy } = asUnusable(thrown);
        // What nobody foresaw is told with its place in the program, for whoever looks after it.
        if (code === 'unexpected') log.error({ kind: message.kind, err: thrown }, 'not foreseen');
        parentPort!.postMessage({ id, failure: { code, message: sentence, remedy } } satisfies Answer);
      }
    }),
  );
});
