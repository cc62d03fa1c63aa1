import { Unusable } from '../base/finding.ts';
import { command, toFile, type Asked, type Report } from '../command/command.ts';
import { millimetres } from '../command/option.ts';
import { drawingReadOptions, facetOptions, layersFrom, loadDesign, readOptions } from '../command/source.ts';
import { meshFileOptions, partOf, writeOut, writtenText } from '../command/written.ts';
import { transformedDrawing } from '../curves/drawing.ts';
import { mendDrawing, safeMend } from '../curves/mend.ts';
import { raiseDrawing } from '../drawing/raise.ts';
import { nodeEngine } from '../engine/load.ts';
import { sizeOf } from '../geometry/box.ts';
import { measureMesh } from '../geometry/mesh.ts';
import { usualChoices } from '../model/choices.ts';
import { readyReceivers } from '../receivers/ready.ts';
import { firstRecipe, scaleOf } from '../recipe/recipe.ts';

const options = {
  thickness: millimetres([0.01, 10_000], 'How thick.'),
  joinGaps: millimetres([0, 100], 'Loose ends within this distance are joined.'),
  ...readOptions,
  layers: drawingReadOptions.layers,
  deviation: facetOptions.deviation,
  ...meshFileOptions,
};

/** How far facets of a raised drawing lie from its arcs when nothing is typed, mm. */
const usualDeviation = 0.02;

async function run(asked: Asked<typeof options>): Promise<Report> {
  if (asked.thickness === null) throw new Unusable('no-thickness', '"raise" needs a thickness.', 'Add --thickness MM.');
  const [file] = asked.files;
  const { parts } = await loadDesign(file, { ...usualChoices, layersFrom: layersFrom(asked.layers) });
  const part = parts.find((p) => p.geometry.kind === 'drawing');
  if (!part || part.geometry.kind !== 'drawing') throw new Unusable('no-drawing', `"${file}" holds no drawing.`, 'Name a DXF or SVG file.');
  const recipe = firstRecipe(part.summary, readyReceivers);
  recipe.size.reading = asked.fromUnit;
  const scale = scaleOf(part.summary, recipe);
  const scaled = transformedDrawing(part.geometry.drawing, [scale, 0, 0, scale, 0, 0]);
  const drawing = asked.joinGaps === null ? scaled : mendDrawing(scaled, { ...safeMend, joinGaps: asked.joinGaps }).drawing;
  const mesh = raiseDrawing(await nodeEngine(), drawing, asked.thickness, asked.deviation ?? usualDeviation);
  const written = await writeOut(asked.out, [partOf(part.summary.name, mesh)], asked);
  const { volume, box } = measureMesh(mesh);
  return {
    json: { ...written, triangles: mesh.triangles.length / 3, volume, size: sizeOf(box) },
    text: writtenText([written]),
    severities: [written.verdict],
  };
}

export const raiseCommand = command({
  word: 'raise',
  takes: 'IN',
  least: 1,
  most: 1,
  out: toFile,
  options,
  does: 'A drawing raised to a solid.',
  example: 'raise base-plate.dxf --thickness 3 --out plate.stl',
  run,
});
