import Joi from 'joi';
import { boxOf } from '../geometry/box.ts';
import { mirrored } from '../mesh/join/move.ts';
import { figure, id } from './fields.ts';
import { onePart, type Operation, type Outcome, type Work } from './operation.ts';
import { madeOf, ownMesh } from './shape.ts';

export interface MirrorRequest {
  kind: 'mirror';
  part: string;
  axis: 0 | 1 | 2;
}

async function run({ request: { axis }, parts: [part], tools }: Work<MirrorRequest>): Promise<Outcome> {
  const mesh = await ownMesh(part, tools);
  const { min, max } = boxOf(mesh.positions);
  const made = mirrored(mesh, axis, (min[axis] + max[axis]) / 2);
  return {
    report: { said: [`Mirrored across ${'XYZ'[axis]}.`] },
    made: [madeOf(made, part, `${part.summary.name} (mirrored)`, 'mirrored')],
    inPlace: true,
  };
}

/** Mirrored through its own middle. On the command line `place --mirrored` does it. */
export const mirrorOperation: Operation<MirrorRequest> = {
  kind: 'mirror',
  verb: 'mirror',
  gives: 'proposal',
  schema: Joi.object({ part: id, axis: figure.valid(0, 1, 2).required() }),
  parts: onePart,
  run,
};
