import Joi from 'joi';
import type { Mesh } from '../geometry/mesh.ts';
import { relation } from '../mesh/join/booleans.ts';
import { gapBetween } from '../mesh/soundness/thickness.ts';
import { severalParts } from './fields.ts';
import { Cancelled, manyParts, type Operation, type Outcome, type Work } from './operation.ts';
import type { OperationReport } from './report.ts';
import { placedPart } from './shape.ts';

export interface ClearanceRequest {
  kind: 'clearance';
  parts: string[];
}

async function run({ parts, tools, progress }: Work<ClearanceRequest>): Promise<Outcome> {
  const engine = await tools.engine();
  const limit = parts[0].recipe.receiver.clearance;
  const meshes: Mesh[] = [];
  for (const part of parts) meshes.push(await placedPart(part, tools));
  const all = (meshes.length * (meshes.length - 1)) / 2;
  const pairs: NonNullable<OperationReport['clearance']>['pairs'] = [];
  for (let i = 0; i < meshes.length; i++) {
    for (let j = 0; j < i; j++) {
      if (progress(pairs.length / all, 'measuring gaps')) throw new Cancelled();
      const { how, gap, shared } = relation(engine, meshes[j], meshes[i]);
      const { tightArea } = gapBetween(meshes[j], meshes[i], limit);
      pairs.push({ a: parts[j].summary.name, b: parts[i].summary.name, how, gap, shared, tightArea });
    }
  }
  return { report: { clearance: { pairs, clearance: limit }, said: [] }, made: [], inPlace: false };
}

/** How far parts are apart, two by two. */
export const clearanceOperation: Operation<ClearanceRequest> = {
  kind: 'clearance',
  verb: 'measure gaps of',
  gives: 'report',
  schema: Joi.object({ parts: severalParts }),
  parts: manyParts,
  run,
};
