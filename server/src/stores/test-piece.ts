import { partOfDrawing } from 'tall-kite/drawing/part';
import { identityRows } from 'tall-kite/geometry/rows';
import { nodeTools } from 'tall-kite/pipeline/node-tools';
import { makeOneFile, type OneFile } from 'tall-kite/pipeline/one-file';
import { partOfMesh } from 'tall-kite/pipeline/read';
import { kerfTest, printTest } from 'tall-kite/processes/test-pieces';
import { firstRecipe, type Recipe } from 'tall-kite/recipe/recipe';
import type { Database } from '../database/connect.ts';
import { receiverById } from './receivers.ts';

/**
 * A test piece as a file that the machine reads, in the unit that it takes bare numbers for, proved like any other: strips on the line for cutters,
 * walls and pins for printers.
 */
export async function testPieceFile(db: Database, receiverId: string): Promise<OneFile> {
  const receiver = await receiverById(db, receiverId);
  const about = { quantity: 1, unit: 'mm', format: 'made here', places: [identityRows] };
  const name = receiver.cutter ? `kerf test ${receiver.name}` : `wall and gap test ${receiver.name}`;
  const part = receiver.cutter
    ? partOfDrawing(kerfTest(), { ...about, name, path: [name] })
    : partOfMesh(printTest(await nodeTools.engine()), { ...about, name, path: [name], colour: null });
  const first = firstRecipe(part.summary, [receiver]);
  const format = receiver.formats[0];
  const { cutter } = receiver;
  const unit = format === 'svg' && cutter?.perInch ? `${cutter.perInch}dpi` : format === 'dxf' && cutter?.readsUnit ? 'mm' : receiver.unit;
  const drawing = first.drawing && { ...first.drawing, version: cutter!.versions[cutter!.versions.length - 1] ?? first.drawing.version };
  const recipe: Recipe = { ...first, receiver, file: { ...first.file, format, unit }, ...(drawing ? { drawing } : {}) };
  return makeOneFile(part, recipe, nodeTools, async (_, pieces) => Buffer.concat([...pieces]));
}
