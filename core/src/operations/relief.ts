import Joi from 'joi';
import { reliefSolid, type ReliefChoice } from '../mesh/join/relief.ts';
import { figure, id, place, positive } from './fields.ts';
import { onePart, type Operation, type Outcome, type Work } from './operation.ts';
import { madeOf, ownMesh, scaleOfPart } from './shape.ts';

export interface ReliefRequest {
  kind: 'relief';
  part: string;
  choice: ReliefChoice;
}

/** Lengths of the choice in the part's own numbers. */
function scaled(choice: ReliefChoice, scale: number): ReliefChoice {
  if (choice.kind === 'thicken') return { ...choice, thickness: choice.thickness / scale };
  if (choice.kind === 'base') return { ...choice, height: choice.height / scale };
  return { ...choice, height: choice.height / scale, margin: choice.margin / scale };
}

async function run({ request: { choice }, parts: [part], tools }: Work<ReliefRequest>): Promise<Outcome> {
  const mesh = reliefSolid(await tools.engine(), await ownMesh(part, tools), scaled(choice, scaleOfPart(part)));
  return { report: { said: ['Made a solid of the surface.'] }, made: [madeOf(mesh, part, part.summary.name, 'made solid')], inPlace: true };
}

/** An open surface as a solid, in its place. On the command line it is asked for by `relief`, with its stock or without. */
export const reliefOperation: Operation<ReliefRequest> = {
  kind: 'relief',
  verb: 'make solid',
  gives: 'proposal',
  schema: Joi.object({
    part: id,
    choice: Joi.alternatives()
      .try(
        Joi.object({ kind: Joi.string().valid('thicken').required(), thickness: positive }),
        Joi.object({ kind: Joi.string().valid('base').required(), height: place }),
        Joi.object({ kind: Joi.string().valid('block').required(), margin: figure.min(0).max(1e5).required(), height: place }),
      )
      .required(),
  }),
  parts: onePart,
  run,
};
