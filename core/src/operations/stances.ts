import Joi from 'joi';
import { preparedMesh } from '../pipeline/write-part.ts';
import { stanceCandidates, type StanceCandidate } from '../stance/candidates.ts';
import { inPlace } from '../stance/stance.ts';
import { id } from './fields.ts';
import { Cancelled, onePart, type Operation, type Outcome, type Work } from './operation.ts';

export interface StancesRequest {
  kind: 'stances';
  part: string;
}

/** So many ways to stand are shown. */
const mostStances = 8;

/** Two ways to stand are one when they name the same side and no figure differs by more than this share: a part with symmetry stands alike on several sides. */
const alike = 0.005;

/** Each way to stand once, the first of those that are alike. */
export function distinct(list: readonly StanceCandidate[]): StanceCandidate[] {
  const near = (a: number, b: number) => Math.abs(a - b) <= alike * Math.max(1, Math.abs(a), Math.abs(b));
  const kept: StanceCandidate[] = [];
  for (const c of list) {
    const known = (k: StanceCandidate) =>
      k.side === c.side &&
      c.side === 'tilted' &&
      near(k.height, c.height) &&
      near(k.contact, c.contact) &&
      near(k.support, c.support) &&
      near(k.overhang, c.overhang);
    if (!kept.some(known)) kept.push(c);
  }
  return kept;
}

async function run({ parts: [part], tools, progress }: Work<StancesRequest>): Promise<Outcome> {
  const { summary, geometry, recipe } = part;
  const { mesh } = await preparedMesh(summary, geometry, { ...recipe, stance: inPlace }, tools.working);
  const { overhang } = recipe.receiver;
  const stances = await stanceCandidates(mesh, overhang, await tools.engine(), { most: mostStances, progress: (share) => progress(share, 'standing it') });
  if (!stances) throw new Cancelled();
  return { report: { stances: distinct(stances), said: [] }, made: [], inPlace: false };
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
