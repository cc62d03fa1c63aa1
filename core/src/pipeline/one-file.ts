import type { Geometry, PartSummary } from '../model/design.ts';
import type { Kernels } from './kernels.ts';
import { withFindings, type Evidence } from '../prove/evidence.ts';
import type { Finding } from '../base/finding.ts';
import { lostOf } from '../base/loss.ts';
import { boxOf } from '../geometry/box.ts';
import type { Engine } from '../engine/engine.ts';
import type { Kernel } from '../kernel/kernel.ts';
import type { Recipe } from '../recipe/recipe.ts';
import { receiveDrawing } from '../processes/cutters.ts';
import { placedMesh, receiveFile } from '../processes/receive.ts';
import { flatFormats, receiverFor, type Receiver } from '../receivers/receivers.ts';
import type { ThreeMfPart } from '../formats/threemf/write.ts';
import { prove } from '../prove/prove.ts';
import { proveDrawing } from '../prove/prove-drawing.ts';
import { farFinding, farthestOf } from '../geometry/far.ts';
import { proveTogether, writeTogether, type TogetherFile } from './together.ts';
import { writeDrawing } from './write-drawing.ts';
import { writePart } from './write-part.ts';
import { largestOf } from '../base/rows.ts';

/** What making a file needs of the machine that it runs on. */
export interface Tools {
  kernels: Kernels;
  working: () => Promise<Kernel>;
  engine: () => Promise<Engine>;
}

/** Stores the pieces of a file under its name and gives its bytes back as they were stored. */
export type Keep = (fileName: string, pieces: Iterable<Uint8Array>) => Promise<Uint8Array>;

export interface OneFile {
  fileName: string;
  bytes: Uint8Array;
  /** With the findings of writing among those of receiving. */
  evidence: Evidence;
}

/**
 * One part to one file: written, stored, read back from the stored bytes by the receiver's stand-in, and held against what was meant.
 * The evidence is about the bytes that will be sent, not about what was meant.
 * @throws Unusable when it can't be written or can't be read back.
 */
export async function makeOneFile(part: { summary: PartSummary; geometry: Geometry }, recipe: Recipe, tools: Tools, keep: Keep): Promise<OneFile> {
  const { summary, geometry } = part;
  const receiver = receiverFor(recipe);
  const lost = summary.lost ?? [];
  if (geometry.kind === 'drawing' && flatFormats.includes(recipe.file.format)) {
    const { fileName, pieces, designed, findings } = await writeDrawing(summary, geometry.drawing, recipe, await tools.engine());
    const bytes = await keep(fileName, pieces);
    const evidence = withFindings(proveDrawing(designed, await receiveDrawing(bytes, recipe.file.format, receiver)), [...lost, ...findings]);
    return { fileName, bytes, evidence };
  }
  const { fileName, pieces, designed, findings } = await writePart(summary, geometry, recipe, tools.working);
  const bytes = await keep(fileName, pieces);
  const evidence = withFindings(prove(designed, await receiveFile(bytes, recipe.file.format, receiver, tools.kernels)), [...lost, ...findings]);
  return { fileName, bytes, evidence };
}

/** Several parts with their places to one file, proved the same way. @throws Unusable when the format can't say it. */
export async function makeTogether(
  list: readonly ThreeMfPart[],
  as: TogetherFile,
  { receiver, fileName }: { receiver: Receiver; fileName: string },
  { tools, keep }: { tools: Tools; keep: Keep },
): Promise<OneFile> {
  const bytes = await keep(fileName, writeTogether(list, as, receiver));
  const evidence = proveTogether(list, as, await receiveFile(bytes, as.format, receiver, tools.kernels));
  const farOf = (part: ThreeMfPart) => largestOf(part.places, (place) => farthestOf(boxOf(placedMesh(part.mesh, place).positions)));
  const far = Math.max(0, largestOf(list, farOf));
  return { fileName, bytes, evidence: withFindings(evidence, [...lostOf(list), ...(as.format === 'step' ? [] : farFinding(far))]) };
}

/** Parts that stand off the bed, as a stop. */
export function bedFindings(list: readonly ThreeMfPart[], bed: readonly number[]): Finding[] {
  const off: string[] = [];
  for (const part of list)
    for (const place of part.places) {
      const box = boxOf(placedMesh(part.mesh, place).positions);
      if (box.min[0] < -1e-4 || box.min[1] < -1e-4 || box.max[0] > bed[0] + 1e-4 || box.max[1] > bed[1] + 1e-4) off.push(part.name);
    }
  if (off.length === 0) return [];
  return [
    { code: 'off-the-bed', severity: 'stop', count: off.length, message: `Off the bed: ${[...new Set(off)].join(', ')}.`, remedy: 'Lay them out again.' },
  ];
}
