import type { OperationPart as Part, Progress } from 'tall-kite/operations/operation';
import { operate as operateCore } from 'tall-kite/operations/registry';
import { unpackGeometry } from 'tall-kite/model/pack';
import { nodeTools } from 'tall-kite/pipeline/node-tools';
import type { OperationRequest, OperationResult } from '../operations/requests.ts';
import type { Blobs } from '../storage/blobs.ts';
import type { OperationPart } from './part.ts';
import { keepIn, storeParts } from './shapes.ts';

export interface OperateRequest {
  request: OperationRequest;
  parts: OperationPart[];
  /** [0] becomes 1 when the person gave up. */
  cancel: Int32Array;
}

/** Computes what was asked for. New shapes go to the store; nothing else changes. */
export async function operate(blobs: Blobs, { request, parts }: OperateRequest, progress: Progress): Promise<OperationResult> {
  const shapes: Part[] = await Promise.all(
    parts.map(async ({ source, ...part }) => ({
      ...part,
      geometry: unpackGeometry(part.summary.kind, await blobs.read(part.geometry)),
      ...(source ? { source: () => blobs.read(source) } : {}),
    })),
  );
  const outcome = await operateCore({ request, parts: shapes, tools: nodeTools, progress, keep: keepIn(blobs) });
  const made = await storeParts(
    blobs,
    (function* () {
      for (const shape of outcome.made) yield shape.part();
    })(),
    (done) => progress(done / outcome.made.length, `keeping part ${done} of ${outcome.made.length}`),
  );
  const places = outcome.places ? (await blobs.put([outcome.places])).sha256 : null;
  const { report, inPlace, beside } = outcome;
  return { report, made, inPlace, beside, places };
}
