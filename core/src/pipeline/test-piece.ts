import { joinedBytes } from '../base/bytes.ts';
import { partOfDrawing } from '../drawing/part.ts';
import { identityRows } from '../geometry/rows.ts';
import { kerfTest, printTest } from '../processes/test-pieces.ts';
import type { Receiver } from '../receivers/receivers.ts';
import { firstRecipe, type Recipe } from '../recipe/recipe.ts';
import { makeOneFile, type OneFile, type Tools } from './one-file.ts';
import { partOfMesh } from './mesh-design.ts';

/**
 * A test piece as a file that the machine reads, in the unit that it takes bare numbers for, proved like any other: strips on the line for cutters,
 * walls and pins for printers. No kernel is asked, so that a browser can make it.
 * @throws Unusable when the machine reads no such file
 */
export async function testPieceFile(receiver: Receiver, tools: Tools): Promise<OneFile> {
  const about = { quantity: 1, unit: 'mm', format: 'made here', places: [identityRows] };
  const name = receiver.cutter ? `kerf test ${receiver.name}` : `wall and gap test ${receiver.name}`;
  const part = receiver.cutter
    ? partOfDrawing(kerfTest(), { ...about, name, path: [name] })
    : partOfMesh(printTest(await tools.engine()), { ...about, name, path: [name], colour: null });
  const first = firstRecipe(part.summary, [receiver]);
  // A mesh goes to a printer as triangles: a format of exact surfaces would need a kernel.
  const format = receiver.formats.find((f) => f !== 'step') ?? receiver.formats[0];
  const { cutter } = receiver;
  const unit = format === 'svg' && cutter?.perInch ? `${cutter.perInch}dpi` : format === 'dxf' && cutter?.readsUnit ? 'mm' : receiver.unit;
  const drawing = first.drawing && { ...first.drawing, version: cutter!.versions[cutter!.versions.length - 1] ?? first.drawing.version };
  const recipe: Recipe = { ...first, receiver, file: { ...first.file, format, unit }, ...(drawing ? { drawing } : {}) };
  return makeOneFile(part, recipe, tools, async (_, pieces) => joinedBytes(pieces));
}
