import { Unusable } from '../base/finding.ts';
import { command, toFile, type Asked, type Report } from '../command/command.ts';
import { millimetres, number, parsed } from '../command/option.ts';
import { drawingReadOptions, facetOptions, layersFrom, loadDesign, readOptions } from '../command/source.ts';
import { meshFileOptions, partOf, writeOut, writtenText } from '../command/written.ts';
import { transformedDrawing, type Drawing } from '../curves/drawing.ts';
import { mendDrawing, safeMend } from '../curves/mend.ts';
import { raiseDrawing, raiseLayers } from '../drawing/raise.ts';
import { nodeEngine } from '../engine/load.ts';
import { sizeOf } from '../geometry/box.ts';
import { measureMesh } from '../geometry/mesh.ts';
import { usualChoices } from '../model/choices.ts';
import { readyReceivers } from '../receivers/ready.ts';
import { firstRecipe, scaleOf } from '../recipe/recipe.ts';

/** "Outline=2,Mark=3.5" as heights by layer. The last "=" counts, since names may have one. */
function heightsOf(_: string, typed: string): Record<string, number> {
  const out: Record<string, number> = {};
  for (const one of typed.split(',')) {
    const at = one.lastIndexOf('=');
    const height = Number(one.slice(at + 1));
    if (at < 1 || one.slice(at + 1).trim() === '' || !Number.isFinite(height) || Math.abs(height) > 10_000)
      throw new Unusable(
        'bad-heights',
        `--heights must be like "Outline=2,Mark=3.5", not "${typed}".`,
        'Names of layers and mm; see "tall-kite inspect" for the names.',
      );
    out[one.slice(0, at).trim()] = height;
  }
  return out;
}

const options = {
  thickness: millimetres([0.01, 10_000], 'How thick.'),
  heights: parsed('LAYER=MM,...', 'Layers at heights of their own instead; below 0 a layer is sunk into the plate.', heightsOf),
  base: millimetres([0.01, 10_000], 'With --heights: a plate of this thickness beneath.'),
  margin: millimetres([0, 10_000], 'How far the plate reaches beyond the drawing; usually 0.'),
  draft: number('DEGREES', [0, 60], 'degrees', 'How far walls lean from upright, so that it grows narrower upward; usually 0.'),
  joinGaps: millimetres([0, 100], 'Loose ends within this distance are joined.'),
  ...readOptions,
  layers: drawingReadOptions.layers,
  deviation: facetOptions.deviation,
  ...meshFileOptions,
};

/** How far facets of a raised drawing lie from its arcs when nothing is typed, mm. */
const usualDeviation = 0.02;

async function run(asked: Asked<typeof options>): Promise<Report> {
  if ((asked.thickness === null) === (asked.heights === null))
    throw new Unusable('no-thickness', '"raise" needs a thickness, or heights for layers.', 'Add --thickness MM, or --heights LAYER=MM,...');
  const [file] = asked.files;
  const { parts } = await loadDesign(file, { ...usualChoices, layersFrom: layersFrom(asked.layers) });
  const part = parts.find((p) => p.geometry.kind === 'drawing');
  if (!part || part.geometry.kind !== 'drawing') throw new Unusable('no-drawing', `"${file}" holds no drawing.`, 'Name a DXF or SVG file.');
  const recipe = firstRecipe(part.summary, readyReceivers);
  recipe.size.reading = asked.fromUnit;
  const scale = scaleOf(part.summary, recipe);
  const scaled = transformedDrawing(part.geometry.drawing, [scale, 0, 0, scale, 0, 0]);
  const drawing = asked.joinGaps === null ? scaled : mendDrawing(scaled, { ...safeMend, joinGaps: asked.joinGaps }).drawing;
  const engine = await nodeEngine();
  const deviation = asked.deviation ?? usualDeviation;
  if (asked.heights) refuseUnknown(asked.heights, drawing);
  const base = asked.base === null ? null : { thickness: asked.base, margin: asked.margin ?? 0 };
  const draft = ((asked.draft ?? 0) * Math.PI) / 180;
  const mesh = asked.heights
    ? raiseLayers(engine, drawing, { layers: asked.heights, base, draft }, deviation)
    : raiseDrawing(engine, drawing, asked.thickness!, { deviation, draft });
  const written = await writeOut(asked.out, [partOf(part.summary.name, mesh)], asked);
  const { volume, box } = measureMesh(mesh);
  return {
    json: { ...written, triangles: mesh.triangles.length / 3, volume, size: sizeOf(box) },
    text: writtenText([written]),
    severities: [written.verdict],
  };
}

/** A name that no layer has is a slip of the pen. */
function refuseUnknown(heights: Record<string, number>, { layers }: Drawing): void {
  const unknown = Object.keys(heights).find((name) => !layers.some((l) => l.name === name));
  if (unknown !== undefined)
    throw new Unusable('no-such-layer', `There is no layer "${unknown}".`, `Layers: ${layers.map((l) => l.name).join(', ') || 'none'}.`);
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
