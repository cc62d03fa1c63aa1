import Joi from 'joi';
import { Unusable } from '../base/finding.ts';
import { identityRows } from '../geometry/rows.ts';
import { withoutKernel } from '../kernel/kernel.ts';
import { usualSpread, spreadSchema, type SpreadChoice } from '../patches/choice.ts';
import { drawnSpread } from '../patches/draw.ts';
import { partOfPatch, patchFindings } from '../patches/part.ts';
import { spreadShape } from '../patches/spread.ts';
import { id } from './fields.ts';
import { Cancelled, onePart, type Operation, type Outcome, type Work } from './operation.ts';
import { madePart, scaleOfPart } from './shape.ts';

export interface SpreadRequest {
  kind: 'spread';
  part: string;
  choice: SpreadChoice;
}

// Letters are where the work is done, never in a page, which knows this file for its forms.
const letters = async () => (await import(/* turbopackIgnore: true */ '../text/node-files.ts')).nodeLetters;

const many = (n: number, one: string, more: string) => `${n} ${n === 1 ? one : more}`;

async function run({ request, parts: [part], tools, progress }: Work<SpreadRequest>): Promise<Outcome> {
  const { summary, geometry } = part;
  if (geometry.kind === 'drawing') throw new Unusable('already-flat', 'The part is a drawing already.', 'Use it as it is.');
  const going = (share: number, what: string) => {
    if (progress(share, what)) throw new Cancelled();
  };
  going(0.01, 'starting');
  const source = { shape: geometry, scale: scaleOfPart(part) };
  const spread = await withoutKernel(
    (kernel) => spreadShape(kernel, source, { ...usualSpread, ...request.choice }, going),
    () => tools.working(),
  );
  going(0.97, 'drawing the pieces');
  const drawing = await drawnSpread(spread, await tools.engine(), await letters());
  const name = `${summary.name} spread`.slice(0, 120);
  const { quantity, partNumber } = summary;
  const about = { name, path: [name], quantity, partNumber, unit: 'mm', format: 'made here', places: [identityRows], made: [`spread of ${summary.name}`] };
  const made = partOfPatch(drawing, about);
  const { pieces, seams } = drawing.patch;
  const [said, ...findings] = patchFindings(drawing.patch);
  return {
    report: {
      patch: made.summary.patch!,
      findings,
      said: [`Spread in ${many(pieces.length, 'piece', 'pieces')}${seams.length > 0 ? ` with ${many(seams.length, 'seam', 'seams')}` : ''}. ${said.message}`],
    },
    made: [madePart(made)],
    inPlace: false,
    beside: true,
  };
}

/** A surface laid flat comes beside the part as a drawing that knows the surface. */
export const spreadOperation: Operation<SpreadRequest> = {
  kind: 'spread',
  verb: 'spread',
  gives: 'proposal',
  schema: Joi.object({ part: id, choice: spreadSchema.required() }),
  parts: onePart,
  run,
};
