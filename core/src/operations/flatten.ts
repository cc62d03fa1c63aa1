import Joi from 'joi';
import { Unusable } from '../base/finding.ts';
import { identityRows } from '../geometry/rows.ts';
import { withoutKernel } from '../kernel/kernel.ts';
import { flattenShape, sheetSource } from '../sheet/flatten.ts';
import { partOfPattern } from '../sheet/part.ts';
import type { FlattenChoice } from '../sheet/pattern.ts';
import { flattenSchema } from '../sheet/schema.ts';
import { id } from './fields.ts';
import { Cancelled, onePart, type Operation, type Outcome, type Work } from './operation.ts';
import { madePart, scaleOfPart } from './shape.ts';

export interface FlattenRequest {
  kind: 'flatten';
  part: string;
  choice: FlattenChoice;
}

async function run({ request, parts: [part], tools, progress }: Work<FlattenRequest>): Promise<Outcome> {
  const { summary, geometry } = part;
  if (geometry.kind === 'drawing') throw new Unusable('already-flat', 'The part is a drawing already.', 'Use it as it is.');
  const going = (share: number, what: string) => {
    if (progress(share, what)) throw new Cancelled();
  };
  going(0.01, 'starting');
  const scale = scaleOfPart(part);
  const source = sheetSource(geometry, scale, summary.volume);
  const pattern = await withoutKernel(
    (kernel) => flattenShape(kernel, source, request.choice, going),
    () => tools.working(),
  );
  const name = `${summary.name} flat`.slice(0, 120);
  const { quantity, partNumber } = summary;
  const about = {
    name,
    path: [name],
    quantity,
    partNumber,
    unit: 'mm',
    format: 'made here',
    places: [identityRows],
    made: [`flat pattern of ${summary.name}`],
  };
  const made = partOfPattern(pattern, about);
  const flat = made.summary.flat!;
  const bends = flat.bends.length;
  const holes = `${flat.holes} ${flat.holes === 1 ? 'hole' : 'holes'}`;
  const how = flat.flatAlready ? `It is flat already: its outline and ${holes} were taken.` : `Unfolded ${bends} ${bends === 1 ? 'bend' : 'bends'}.`;
  return {
    report: {
      flat: { ...flat, places: pattern.features.map((f) => f.at) },
      said: [how, ...made.findings.filter((f) => f.severity !== 'clear').map((f) => f.message)],
    },
    made: [madePart(made)],
    inPlace: false,
    beside: true,
  };
}

/** The flat pattern of a sheet part comes beside it as a drawing that knows how it folds. */
export const flattenOperation: Operation<FlattenRequest> = {
  kind: 'flatten',
  verb: 'unfold',
  gives: 'proposal',
  schema: Joi.object({ part: id, choice: flattenSchema.required() }),
  parts: onePart,
  run,
};
