import Joi from 'joi';
import { Unusable } from '../base/finding.ts';
import { toFolder } from '../command/command.ts';
import { measureMesh } from '../geometry/mesh.ts';
import { dividedIntoShells } from '../geometry/shells.ts';
import { figuresOf } from '../mesh/soundness/figures.ts';
import { id } from './fields.ts';
import { Cancelled, onePart, wording, type Made, type Operation, type Outcome, type Work } from './operation.ts';
import { madeOf, meshIn, ownMesh } from './shape.ts';

export interface DivideRequest {
  kind: 'divide';
  part: string;
}

/** At most so many shells become parts. */
export const mostDivided = 200;

async function run({ parts: [part], tools, progress }: Work<DivideRequest>): Promise<Outcome> {
  const shells = dividedIntoShells(await ownMesh(part, tools));
  if (shells.length < 2)
    throw new Unusable('one-shell', 'The part is one shell, so there is nothing to divide.', 'Cut it by a plane if it is to be two parts.');
  if (shells.length > mostDivided) {
    const many = `The part has ${shells.length.toLocaleString('en')} shells; at most ${mostDivided} become parts.`;
    throw new Unusable('too-many-shells', many, 'Drop its crumbs first (Soundness).');
  }
  const made: Made[] = [];
  for (const [i, shell] of shells.entries()) {
    if (progress(i / shells.length, 'dividing')) throw new Cancelled();
    made.push(madeOf(shell, part, `${part.summary.name} ${i + 1}`, 'divided into shells'));
  }
  return { report: { said: [`Divided into ${shells.length} shells.`] }, made, inPlace: false };
}

export const divideOperation: Operation<DivideRequest> = {
  kind: 'divide',
  verb: 'divide',
  gives: 'proposal',
  schema: Joi.object({ part: id }),
  parts: onePart,
  run,
  command: wording({
    word: 'divide',
    takes: 'IN',
    least: 1,
    most: 1,
    out: toFolder,
    options: {},
    does: 'One file a shell.',
    example: 'divide "WS-115 winder.3mf" --out shells',
    request: () => ({}),
    tell: ({ made }, [part]) => ({
      json: {
        before: figuresOf(meshIn(part)),
        after: made.map((m) => figuresOf(meshIn(m))),
        volume: made.reduce((sum, m) => sum + measureMesh(meshIn(m)).volume, 0),
      },
      said: [],
    }),
    suffix: ({ made }, at) => String(at + 1).padStart(String(made.length).length, '0'),
  }),
};
