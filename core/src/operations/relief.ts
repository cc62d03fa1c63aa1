import Joi from 'joi';
import { Unusable } from '../base/finding.ts';
import { toFile } from '../command/command.ts';
import { millimetres } from '../command/option.ts';
import { sizeOf } from '../geometry/box.ts';
import { measureMesh } from '../geometry/mesh.ts';
import { reliefSolid, type ReliefChoice } from '../mesh/join/relief.ts';
import { figure, id, place, positive } from './fields.ts';
import { onePart, wording, type Operation, type Outcome, type Work } from './operation.ts';
import { madeOf, meshIn, ownMesh, scaleOfPart } from './shape.ts';

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

/** What was typed, as a choice. @throws Unusable when it is neither or both. */
function choiceOf({ thicken, base, margin }: { thicken: number | null; base: number | null; margin: number | null }): ReliefChoice {
  if (thicken !== null && base === null) return { kind: 'thicken', thickness: thicken };
  if (base !== null && thicken === null) return margin !== null ? { kind: 'block', margin, height: base } : { kind: 'base', height: base };
  throw new Unusable('which-relief', '"relief" needs --thicken or --base.', 'For instance: --base -5 for a flat base at Z -5 mm; add --margin 10 for a block.');
}

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
  command: wording({
    word: 'relief',
    takes: 'IN',
    least: 1,
    most: 1,
    out: toFile,
    options: {
      thicken: millimetres([0.001, 10_000], 'Thickened down by this.'),
      base: millimetres([-1e6, 1e6], 'Closed to a flat base at this Z.'),
      margin: millimetres([0, 1e5], 'With --base: what the surface leaves of a block with this rim.'),
    },
    does: 'An open surface to a solid: thickened down, closed to a flat base, or what it leaves of a block.',
    example: 'relief "WS-112 sign relief.obj" --base -5 --out solid.stl',
    request: (asked) => ({ choice: choiceOf(asked) }),
    tell: ({ made: [made] }, _, asked) => {
      const { volume, box } = measureMesh(meshIn(made));
      const size = sizeOf(box);
      const shown = size.map((v) => `${Number(v.toPrecision(6))} mm`).join(' x ');
      return { json: { choice: choiceOf(asked), volume, size }, said: [`${shown}, ${volume.toFixed(1)} mm3, closed.`] };
    },
  }),
};
