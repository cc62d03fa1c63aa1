import type { DesignPart } from '../design/design.ts';
import type { Evidence } from '../evidence/evidence.ts';
import { Unusable, worst, type Finding, type Severity } from '../findings/finding.ts';
import type { Engine } from '../join/engine.ts';
import type { Kernel } from '../kernel/kernel.ts';
import type { Kernels } from '../design/read.ts';
import { prove } from '../pass/prove.ts';
import { proveDrawing } from '../pass/prove-drawing.ts';
import { writeDrawing } from '../pass/write-drawing.ts';
import { writePart } from '../pass/write-part.ts';
import { firstDrawingRecipe } from '../recipe/drawing.ts';
import { firstRecipe, scaleOf, type Recipe } from '../recipe/recipe.ts';
import { receiveDrawing } from '../receivers/cutters.ts';
import { receiveFile } from '../receivers/receive.ts';
import { receiverOf } from '../receivers/receivers.ts';
import { flattenShape } from '../sheet/flatten.ts';
import { partOfPattern } from '../sheet/part.ts';
import type { ReleaseLine } from './recipe.ts';

/** What a release needs of the machine it runs on. */
export interface Tools {
  kernels: Kernels;
  working: () => Promise<Kernel>;
  engine: () => Promise<Engine>;
}

export interface MadeFile {
  bytes: Uint8Array;
  evidence: Evidence;
  findings: Finding[];
  verdict: Severity;
  /** Thickness of the sheet, for its name. */
  thickness: number | null;
}

/** A part that a line does not suit: told in the report, no error. */
export class Skipped extends Unusable {}

/**
 * One file of a release: made, read back from its own bytes, and held against the design.
 * @throws Skipped when the kind of part does not suit the receiver; Unusable when it can't be made.
 */
export async function makeFile(source: DesignPart, line: ReleaseLine, tools: Tools): Promise<MadeFile> {
  const receiver = receiverOf(line.receiver);
  let part = source;
  const findings: Finding[] = [];
  if (line.flatten) {
    if (part.geometry.kind === 'drawing') throw new Skipped('already-flat', 'It is a drawing already, not a folded part.', 'Give it a line without flatten.');
    try {
      part = await flat(part, line, tools);
    } catch (thrown) {
      if (!(thrown instanceof Unusable)) throw thrown;
      throw new Skipped(thrown.code, `Not a folded sheet part, so no flat pattern: ${thrown.message}`, thrown.remedy);
    }
  }
  const drawing = part.geometry.kind === 'drawing' ? part.geometry.drawing : null;
  if (drawing && !receiver.cutter)
    throw new Skipped(
      'no-volume',
      `${receiver.name} (${receiver.process}) prints solids, and this is a drawing.`,
      'Send it to a laser or router, or raise it first.',
    );
  if (!drawing && receiver.cutter)
    throw new Skipped(
      'not-flat',
      `${receiver.name} (${receiver.process}) takes drawings, and this is a ${part.summary.kind}.`,
      'Unfold it (flatten), or draw it flat first.',
    );
  const recipe: Recipe = firstRecipe(part.summary);
  recipe.receiver = receiver.id;
  recipe.file = { ...recipe.file, format: line.format, unit: line.unit };
  if (line.facets) recipe.facets = { ...recipe.facets, ...line.facets, preset: null };
  if (drawing) {
    recipe.drawing = { ...firstDrawingRecipe(), ...line.drawing };
    const written = await writeDrawing(part.summary, drawing, recipe, await tools.engine());
    const bytes = Buffer.concat([...written.pieces]);
    const evidence = proveDrawing(written.designed, await receiveDrawing(bytes, line.format, receiver));
    findings.push(...part.findings, ...written.findings);
    return done(bytes, evidence, findings, part.summary.flat?.thickness ?? null);
  }
  const written = await writePart(part.summary, part.geometry, recipe, tools.working);
  const bytes = Buffer.concat([...written.pieces]);
  const evidence = prove(written.designed, await receiveFile(bytes, line.format, receiver, tools.kernels));
  return done(bytes, evidence, [...part.findings], null);
}

function done(bytes: Uint8Array, evidence: Evidence, findings: Finding[], thickness: number | null): MadeFile {
  return { bytes, evidence, findings, thickness, verdict: worst([evidence.verdict, ...findings.map((f) => f.severity)]) };
}

async function flat(part: DesignPart, line: ReleaseLine, tools: Tools): Promise<DesignPart> {
  const { summary, geometry } = part;
  if (geometry.kind === 'drawing') return part;
  const scale = scaleOf(summary, firstRecipe(summary));
  const kernel = geometry.kind === 'solid' ? await tools.working() : null;
  const pattern = flattenShape(kernel, geometry, scale, line.flatten!, geometry.kind === 'solid' ? summary.volume * scale ** 3 : null);
  const { name, path, quantity, partNumber } = summary;
  return partOfPattern(pattern, { name, path, quantity, partNumber, unit: 'mm', format: 'made here' });
}
