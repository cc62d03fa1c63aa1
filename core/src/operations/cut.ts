import Joi from 'joi';
import { Unusable } from '../base/finding.ts';
import { toFolder } from '../command/command.ts';
import { badText, choice, millimetres, parsed } from '../command/option.ts';
import { planeOf } from '../command/vectors.ts';
import { measureMesh } from '../geometry/mesh.ts';
import { cutByPlane, type Pegs, type Plane } from '../mesh/join/cut.ts';
import { figure, id, place, point, positive } from './fields.ts';
import { onePart, wording, type Made, type Operation, type Outcome, type Work } from './operation.ts';
import { madeOf, meshIn, ownMesh, scaleOfPart } from './shape.ts';

export interface CutRequest {
  kind: 'cut';
  part: string;
  plane: Plane;
  pegs: Pegs | null;
  keep: 'both' | 'above' | 'below';
}

async function run({ request: { plane, pegs, keep }, parts: [part], tools, progress }: Work<CutRequest>): Promise<Outcome> {
  progress(0.2, 'cutting');
  const scale = scaleOfPart(part);
  const small = pegs && { ...pegs, diameter: pegs.diameter / scale, depth: pegs.depth / scale, clearance: pegs.clearance / scale };
  const halves = cutByPlane(await tools.engine(), await ownMesh(part, tools), { ...plane, offset: plane.offset / scale }, small);
  const area = halves.area * scale ** 2;
  const { name } = part.summary;
  const made: Made[] = [];
  if (keep !== 'below') made.push(madeOf(halves.above!, part, keep === 'both' ? `${name} upper` : name, 'cut by a plane'));
  if (keep !== 'above') made.push(madeOf(halves.below!, part, keep === 'both' ? `${name} lower` : name, 'cut by a plane'));
  return {
    report: { cut: { area, pegs: halves.pegs.length }, said: [`Cut ${pegs ? `with ${pegs.count} pegs` : 'flat'}; the cut is ${area.toFixed(1)} mm².`] },
    made,
    inPlace: keep !== 'both',
    about: { pegs: halves.pegs },
  };
}

/** "2x6x8": how many, their diameter, and how deep in each half. */
function pegsOf(name: string, typed: string): Omit<Pegs, 'clearance'> {
  const found = /^([1-4])x(\d+(?:\.\d+)?)x(\d+(?:\.\d+)?)$/.exec(typed.trim());
  const [count, diameter, depth] = [Number(found?.[1]), Number(found?.[2]), Number(found?.[3])];
  if (!found || !(diameter >= 0.5 && depth >= 0.5)) throw badText(name, typed, '2x6x8 (2 pegs of 6 mm, 8 mm deep)');
  return { count: count as Pegs['count'], diameter, depth };
}

const pegSchema = Joi.object({ count: figure.integer().min(1).max(4).required(), diameter: positive, depth: positive, clearance: figure.min(0).max(10).required() }); // prettier-ignore

export const cutOperation: Operation<CutRequest> = {
  kind: 'cut',
  verb: 'cut',
  gives: 'proposal',
  schema: Joi.object({
    part: id,
    plane: Joi.object({ normal: point, offset: place }).required(),
    pegs: pegSchema.allow(null).required(),
    keep: Joi.string().valid('both', 'above', 'below').required(),
  }),
  parts: onePart,
  run,
  command: wording({
    word: 'cut',
    takes: 'IN',
    least: 1,
    most: 1,
    out: toFolder,
    options: {
      plane: parsed('z=MM|NX,NY,NZ=MM', 'Where it is cut: an axis or a direction, and how far along it from zero.', planeOf),
      pegs: parsed('2x6x8', 'Pegs that hold the halves: count x diameter x depth in each, mm.', pegsOf),
      clearance: millimetres([0, 5], 'Gap all round a peg; usually 0.15.'),
      keep: choice(['both', 'above', 'below'], 'both', 'Which halves are written.'),
    },
    does: 'Two halves, flat or with pegs; one file each.',
    example: 'cut "WS-101 sensor housing.step" --plane z=20 --out halves',
    request: ({ plane, pegs, clearance, keep }) => {
      if (plane === null)
        throw new Unusable('no-plane', '"cut" needs a plane.', 'Add --plane z=12.5, or --plane 1,0,1=20 for a direction and how far along it.');
      return { plane, pegs: pegs && { ...pegs, clearance: clearance ?? 0.15 }, keep };
    },
    tell: ({ report, made, about }, _, { keep, pegs }) => {
      const { area, pegs: count } = report.cut!;
      const volumes = Object.fromEntries(made.map((m, i) => [sideAt(keep, i), measureMesh(meshIn(m)).volume]));
      return { json: { area, ...about, volumes }, said: [`The cut is ${area.toFixed(2)} mm2${pegs ? `, with ${count} pegs` : ''}.`] };
    },
    suffix: (_, at, { keep }) => sideAt(keep, at),
  }),
};

const sideAt = (keep: CutRequest['keep'], at: number): string => (keep === 'both' ? ['above', 'below'][at] : keep);
