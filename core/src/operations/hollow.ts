import Joi from 'joi';
import { Unusable, type Finding } from '../base/finding.ts';
import { toFile } from '../command/command.ts';
import { millimetres, number } from '../command/option.ts';
import { measureMesh } from '../geometry/mesh.ts';
import { hollowed } from '../mesh/join/hollow.ts';
import { figure, id } from './fields.ts';
import { Cancelled, onePart, wording, type Operation, type Outcome, type Work } from './operation.ts';
import { madeOf, meshIn, ownMesh, scaleOfPart } from './shape.ts';

export interface HollowRequest {
  kind: 'hollow';
  part: string;
  wall: number;
  cell: number | null;
  drain: number | null;
  drains: 1 | 2;
}

const noDrain: Finding = {
  code: 'no-drain',
  severity: 'look',
  count: 1,
  message: 'The hollow is closed: resin or powder stays in it.',
  remedy: 'Add a drain hole to it; right for filament.',
};

async function run({ request, parts: [part], tools, progress }: Work<HollowRequest>): Promise<Outcome> {
  const scale = scaleOfPart(part);
  const own = (v: number | null) => (v === null ? null : v / scale);
  const mesh = await ownMesh(part, tools);
  const choice = { wall: request.wall / scale, cell: own(request.cell), drain: own(request.drain), drains: request.drains };
  const made = hollowed(await tools.engine(), mesh, choice, (share) => progress(share, 'making it hollow'));
  if (!made) throw new Cancelled();
  const [before, after] = [mesh, made.mesh].map((m) => measureMesh(m).volume * scale ** 3);
  const { length } = made.drains;
  const figures = [
    { name: 'Hollow', value: made.hollow * scale ** 3, unit: 'mm3' },
    { name: 'Thinnest wall', value: made.thinnest * scale, unit: 'mm' },
    { name: 'Thickest wall', value: made.thickest * scale, unit: 'mm' },
  ];
  return {
    report: {
      figures,
      findings: length > 0 ? [] : [noDrain],
      said: [
        `Hollow of ${figures[0].value.toFixed(1)} mm3; the wall is ${figures[1].value.toPrecision(4)} to ${figures[2].value.toPrecision(4)} mm thick where it was measured.`,
        `${before.toFixed(1)} mm3 became ${after.toFixed(1)} mm3${length > 0 ? `, with ${length} drain ${length === 1 ? 'hole' : 'holes'}` : ''}.`,
      ],
    },
    made: [madeOf(made.mesh, part, part.summary.name, `made hollow, wall ${request.wall} mm`)],
    inPlace: true,
    about: { ...made, mesh: undefined },
  };
}

export const hollowOperation: Operation<HollowRequest> = {
  kind: 'hollow',
  verb: 'make hollow',
  gives: 'proposal',
  schema: Joi.object({
    part: id,
    wall: figure.min(0.05).max(1000).required(),
    cell: figure.min(0.001).max(1000).allow(null).required(),
    drain: figure.min(0.1).max(1000).allow(null).required(),
    drains: figure.valid(1, 2).required(),
  }),
  parts: onePart,
  run,
  form: {
    title: 'Hollow',
    about: 'A hollow inside with the same wall all round; the outside stays as it is.',
    button: 'Make hollow',
    for: 'mesh or solid',
    fields: [
      { kind: 'length', name: 'wall', label: 'Wall', least: 0.05, most: 1000, usual: 2, about: 'Thickness of the wall, measured to the outer surface.' },
      { kind: 'length', name: 'drain', label: 'Drain hole', least: 0.1, most: 1000, usual: null, optional: true, about: 'Diameter of a hole straight down, so that resin or powder runs out; empty for none.' }, // prettier-ignore
      { kind: 'choice', name: 'drains', label: 'How many', usual: 1, words: [{ value: 1, label: 'one' }, { value: 2, label: 'two' }], about: 'The second lets air in.' }, // prettier-ignore
      { kind: 'length', name: 'cell', label: 'Grid', least: 0.001, most: 1000, usual: null, optional: true, about: 'Cell of the grid on which the hollow is made; empty for a third of the wall.' }, // prettier-ignore
    ],
  },
  command: wording({
    word: 'hollow',
    takes: 'IN',
    least: 1,
    most: 1,
    out: toFile,
    options: {
      wall: millimetres([0.05, 1000], 'Thickness of the wall.'),
      drain: millimetres([0.1, 1000], 'Diameter of a drain hole straight down.'),
      drains: number('1|2', [1, 2], 'holes', 'One drain hole, or two so that air gets in.'),
      wrap: millimetres([0.001, 1000], 'Cell of the grid on which the hollow is made; usually a third of the wall.'),
    },
    does: 'A hollow inside, its wall measured; drain holes straight down.',
    example: 'hollow "WS-105 hub.stl" --from-unit in --wall 3 --wrap 1.5 --out hollow.stl',
    request: ({ wall, drain, drains, wrap }) => {
      if (wall === null) throw new Unusable('no-wall', '"hollow" needs a wall thickness.', 'Add --wall MM.');
      return { wall, cell: wrap, drain, drains: drains === 2 ? 2 : 1 };
    },
    tell: ({ report, made: [made], about }, [part]) => {
      const [before, after] = [part, made].map((p) => measureMesh(meshIn(p)).volume);
      const findings = report.findings!.map((f) =>
        f.code === 'no-drain' ? { ...f, remedy: 'Add --drain DIAMETER for a hole to it; right for filament.' } : f,
      );
      return { json: { ...about, before, after }, said: report.said, findings };
    },
  }),
};
