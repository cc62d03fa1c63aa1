import Joi from 'joi';
import { Unusable } from '../base/finding.ts';
import { toFile } from '../command/command.ts';
import { number } from '../command/option.ts';
import { choiceLimits } from '../surfaces/presets.ts';
import { figuresOf } from '../mesh/soundness/figures.ts';
import { makeLighter } from '../mesh/lighter/lighter.ts';
import { figure, id } from './fields.ts';
import { Cancelled, onePart, wording, type Operation, type Outcome, type Work } from './operation.ts';
import { madeOf, meshIn, ownMesh, scaleOfPart } from './shape.ts';

export interface LighterRequest {
  kind: 'lighter';
  part: string;
  triangles: number | null;
  deviation: number | null;
}

async function run({ request: { triangles, deviation }, parts: [part], tools, progress }: Work<LighterRequest>): Promise<Outcome> {
  const scale = scaleOfPart(part);
  const done = await makeLighter(await ownMesh(part, tools), { triangles, deviation: deviation === null ? null : deviation / scale }, progress);
  if (!done) throw new Cancelled();
  if (done.closedBefore && !done.closedAfter)
    throw new Unusable('opened', 'The lighter mesh would not be closed any more, so it was not kept.', 'Ask for more triangles.');
  const { before, after, measured } = done;
  const apart = { measured: measured.largest * scale, there: measured.there.largest * scale, back: measured.back.largest * scale };
  const said = [`${before.toLocaleString('en')} triangles became ${after.toLocaleString('en')}.`];
  // A distance that may be larger than it was measured is told as that.
  if (measured.unsure > measured.largest) said.push(`Not compared everywhere: they may be up to ${(measured.unsure * scale).toPrecision(2)} mm apart.`);
  return {
    report: { lighter: { before, after, ...apart }, said },
    made: [madeOf(done.mesh, part, part.summary.name, 'made lighter')],
    inPlace: true,
  };
}

export const lighterOperation: Operation<LighterRequest> = {
  kind: 'lighter',
  verb: 'make lighter',
  gives: 'proposal',
  schema: Joi.object({
    part: id,
    triangles: figure.integer().min(4).max(2e7).allow(null).required(),
    deviation: figure.min(1e-4).max(100).allow(null).required(),
  }),
  parts: onePart,
  run,
  command: wording({
    word: 'lighten',
    takes: 'IN',
    least: 1,
    most: 1,
    out: toFile,
    options: {
      triangles: number('N', [4, 20_000_000], 'triangles', 'How many triangles may stay.'),
      deviation: number('MM', choiceLimits.deviation, 'mm', 'How far the surfaces may come apart.'),
    },
    does: 'Fewer triangles, with the two-sided distance measured. Needs --triangles or --deviation.',
    example: 'lighten "WS-108 rain guard.stl" --deviation 0.1 --out lighter.stl',
    request: ({ triangles, deviation }) => {
      if ((triangles === null) === (deviation === null))
        throw new Unusable('which-limit', '"lighten" needs either --triangles or --deviation.', 'For instance: --triangles 100000');
      return { triangles, deviation };
    },
    tell: ({ report, made: [made] }, [part]) => {
      const { before, after, measured, there, back } = report.lighter!;
      return {
        json: { before: figuresOf(meshIn(part)), after: figuresOf(meshIn(made)), deviation: { measured, there, back, unit: 'mm' } },
        said: [`${before} to ${after} triangles; the surfaces are ${measured.toPrecision(3)} mm apart at most.`],
      };
    },
  }),
};
