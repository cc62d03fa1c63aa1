import type { Geometry } from 'tall-kite/model/design';
import { Unusable } from 'tall-kite/base/finding';
import { identityRows } from 'tall-kite/geometry/rows';
import { workingKernel } from 'tall-kite/kernel/load';
import { scaleOf } from 'tall-kite/recipe/recipe';
import { flattenShape } from 'tall-kite/sheet/flatten';
import { partOfPattern } from 'tall-kite/sheet/part';
import type { OperationReport, OperationRequest, OperationResult } from '../operations/requests.ts';
import type { Blobs } from '../storage/blobs.ts';
import type { OperationPart } from './part.ts';
import { storePart } from './shapes.ts';

/** Unfolds a sheet part; the flat pattern comes beside it as a drawing that knows how it folds. */
export async function flattenOperation(
  blobs: Blobs,
  request: Extract<OperationRequest, { kind: 'flatten' }>,
  part: OperationPart,
  shape: Geometry,
  report: OperationReport,
  progress: (share: number, what: string) => void,
): Promise<OperationResult> {
  const { summary, recipe } = part;
  if (shape.kind === 'drawing') throw new Unusable('already-flat', 'The part is a drawing already.', 'Use it as it is.');
  progress(0.01, 'starting');
  const scale = scaleOf(summary, recipe);
  const kernel = shape.kind === 'solid' ? await workingKernel() : null;
  const pattern = flattenShape(kernel, shape, scale, request.choice, shape.kind === 'solid' ? summary.volume * scale ** 3 : null, progress);
  const name = `${summary.name} flat`.slice(0, 120);
  const made = partOfPattern(pattern, {
    name,
    path: [name],
    quantity: summary.quantity,
    partNumber: summary.partNumber,
    unit: 'mm',
    format: 'made here',
    places: [identityRows],
    made: [`flat pattern of ${summary.name}`],
  });
  const flat = made.summary.flat!;
  report.flat = { ...flat, places: pattern.features.map((f) => f.at) };
  const bends = flat.bends.length;
  report.said = [
    flat.flatAlready
      ? `It is flat already: its outline and ${flat.holes} ${flat.holes === 1 ? 'hole' : 'holes'} were taken.`
      : `Unfolded ${bends} ${bends === 1 ? 'bend' : 'bends'}.`,
    ...made.findings.filter((f) => f.severity !== 'clear').map((f) => f.message),
  ];
  return { report, made: [await storePart(blobs, made)], inPlace: false, beside: true, places: null };
}
