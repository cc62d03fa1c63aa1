import Joi from 'joi';
import { Unusable } from '../base/finding.ts';
import { toFile } from '../command/command.ts';
import { flag, millimetres, parsed } from '../command/option.ts';
import { directionOf, threeOf } from '../command/vectors.ts';
import { measureMesh } from '../geometry/mesh.ts';
import { combine } from '../mesh/join/booleans.ts';
import { toolMesh, type ToolBody } from '../mesh/join/tools.ts';
import { figure, id, point, positive } from './fields.ts';
import { onePart, wording, type Operation, type Outcome, type Work } from './operation.ts';
import { madeOf, ownMesh, scaleOfPart } from './shape.ts';

export interface BodyRequest {
  kind: 'body';
  part: string;
  body: ToolBody;
  as: 'hole' | 'boss';
}

async function run({ request, parts: [part], tools, progress }: Work<BodyRequest>): Promise<Outcome> {
  progress(0.2, 'cutting');
  const scale = scaleOfPart(part);
  const mesh = await ownMesh(part, tools);
  const engine = await tools.engine();
  const outward = request.body.normal.map((v) => -v) as [number, number, number];
  const tool = toolMesh(engine, request.as === 'boss' ? { ...request.body, normal: outward } : request.body);
  for (let i = 0; i < tool.positions.length; i++) tool.positions[i] /= scale;
  const { mesh: made, pieces, note, told } = combine(engine, request.as === 'hole' ? 'subtract' : 'join', [mesh, tool]);
  const [volumeBefore, volumeAfter] = [mesh, made].map((m) => measureMesh(m).volume * scale ** 3);
  return {
    report: {
      combine: { pieces, note, volumeBefore, volumeAfter, exact: false },
      said: [`${request.as === 'hole' ? 'Took out' : 'Put on'} a ${request.body.kind}.`, ...told],
    },
    made: [madeOf(made, part, part.summary.name, `${request.as} of a ${request.body.kind}`)],
    inPlace: true,
  };
}

const cylinder = Joi.object({ kind: Joi.string().valid('cylinder').required(), at: point, normal: point, diameter: positive, depth: positive });
const box = Joi.object({
  kind: Joi.string().valid('box').required(),
  at: point,
  normal: point,
  width: positive,
  length: positive,
  depth: positive,
  turn: figure.min(-360).max(360).required(),
});

export const bodyOperation: Operation<BodyRequest> = {
  kind: 'body',
  verb: 'cut a body into',
  gives: 'proposal',
  schema: Joi.object({ part: id, as: Joi.string().valid('hole', 'boss').required(), body: Joi.alternatives().try(cylinder, box).required() }),
  parts: onePart,
  run,
  command: wording({
    word: 'drill',
    takes: 'IN',
    least: 1,
    most: 1,
    out: toFile,
    options: {
      at: parsed('X,Y,Z', 'Where it begins.', threeOf),
      axis: parsed('-z|X,Y,Z', 'Which way it goes from there; usually -z.', directionOf),
      diameter: millimetres([0.01, 10_000], 'Its diameter.'),
      depth: millimetres([0.01, 100_000], 'How deep it goes.'),
      boss: flag('A pin instead of a hole.'),
    },
    does: 'A round hole from a point along an axis; with --boss a pin.',
    example: 'drill "WS-104 cup.step" --at 0,0,40 --axis -z --diameter 3 --depth 60 --out drilled.stl',
    request: ({ at, axis, diameter, depth, boss }) => {
      if (at === null || diameter === null || depth === null)
        throw new Unusable('which-hole', '"drill" needs --at, --diameter and --depth.', 'For instance: --at 10,20,5 --axis -z --diameter 4 --depth 12');
      const along = axis ?? [0, 0, -1];
      const length = Math.hypot(...along);
      // A hole's normal looks out of the part; the page's pin stands along its normal, a typed one reaches along its axis.
      const normal = along.map((v) => (boss ? v : -v) / length) as [number, number, number];
      return { as: boss ? 'boss' : 'hole', body: { kind: 'cylinder', at, normal, diameter, depth } };
    },
    tell: ({ report }, _, { boss }) => {
      const { pieces, volumeBefore: before, volumeAfter: after } = report.combine!;
      if (Math.abs(before - after) < 1e-9 * Math.abs(before)) {
        const message = `The ${boss ? 'pin lies wholly in' : 'hole misses'} the part: nothing would change.`;
        throw new Unusable('misses', message, 'Check --at and --axis against "tall-kite inspect".');
      }
      const told = report.said.slice(1);
      const how = `${boss ? 'Put on' : 'Took out'} ${Math.abs(before - after).toFixed(3)} mm3; ${pieces} ${pieces === 1 ? 'piece' : 'pieces'}.`;
      return { json: { before, after, pieces }, said: [...told, how] };
    },
  }),
};
