import Joi from 'joi';
import { preparedMesh } from '../pipeline/write-part.ts';
import { stanceCandidates } from '../stance/candidates.ts';
import { inPlace } from '../stance/stance.ts';
import { id } from './fields.ts';
import { Cancelled, onePart, type Operation, type Outcome, type Work } from './operation.ts';

export interface StancesRequest {
  kind: 'stances';
  part: string;
}

/** So many ways to stand are shown. */
const mostStances = 8;

async function run({ parts: [part], tools, progress }: Work<StancesRequest>): Promise<Outcome> {
  const { summary, geometry, recipe } = part;
  const { mesh } = await preparedMesh(summary, geometry, { ...recipe, stance: inPlace }, tools.working);
  const { overhang } = recipe.receiver;
  const stances = await stanceCandidates(mesh, overhang, await tools.engine(), mostStances, (share) => progress(share, 'standing it'));
  if (!stances) throw new Cancelled();
  return { report: { stances, said: [] }, made: [], inPlace: false };
}

/** Ways to stand, ranked. */
export const stancesOperation: Operation<StancesRequest> = {
  kind: 'stances',
  verb: 'find stances of',
  gives: 'report',
  schema: Joi.object({ part: id }),
  parts: onePart,
  run,
};
