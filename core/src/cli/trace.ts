import { mkdir, readFile, stat } from 'node:fs/promises';
import { basename, join } from 'node:path';
import { Unusable } from '../base/finding.ts';
import { command, toFolder, type Asked, type Report } from '../command/command.ts';
import { choice, choiceOrNone, flag, number, parsed } from '../command/option.ts';
import { settled, settledText } from '../command/settle.ts';
import { store } from '../command/store.ts';
import { partOfDrawing } from '../drawing/part.ts';
import { decodePicture } from '../formats/picture/decode.ts';
import { firstDrawingRecipe } from '../model/drawing-recipe.ts';
import { mostBytes } from '../pipeline/read.ts';
import { nodeTools } from '../pipeline/node-tools.ts';
import { makeOneFile } from '../pipeline/one-file.ts';
import { withFindings } from '../prove/evidence.ts';
import { readyReceivers } from '../receivers/ready.ts';
import { firstRecipe, type Recipe } from '../recipe/recipe.ts';
import { traceWays, usualTrace, type PictureSize, type TraceChoice } from '../trace/choice.ts';
import { mayBeRegular, regularText } from '../trace/regular-words.ts';
import { areaOfTraced, trace } from '../trace/trace.ts';
import { patternFileOptions, patternReceiver } from './flat.ts';

const mm = [0.001, 100_000] as const;

/** Eight numbers of corners and two lengths as "x,y x,y x,y x,y WxH". */
function rectangleOf(_: string, typed: string): Extract<PictureSize, { kind: 'rectangle' }> {
  const found = /^([\d.,]+(?:\s+[\d.,]+)*)\s+([\d.]+)x([\d.]+)$/.exec(typed.trim());
  const places = (found?.[1] ?? '')
    .trim()
    .split(/[\s,]+/)
    .map(Number);
  const [width, height] = [Number(found?.[2]), Number(found?.[3])];
  if (!found || places.length !== 8 || !places.every(Number.isFinite) || !(width > 0) || !(height > 0))
    throw new Unusable(
      'bad-rectangle',
      `--rectangle must be like "12,20 980,15 1010,700 5,690 210x148", not "${typed}".`,
      'Four corners in pixels round from the top left, then the size in mm.',
    );
  return { kind: 'rectangle', corners: [0, 2, 4, 6].map((i) => [places[i], places[i + 1]]), width, height };
}

const options = {
  way: choiceOrNone(
    traceWays.map((w) => w.way),
    'What makes the contours; usually brightness.',
  ),
  level: number('SHARE', [0.001, 0.999], '', 'Brightness below which a pixel lies inside; usually found.'),
  colours: number('N', [2, 12], 'colours', 'How many colours there are, the ground among them; usually 3.'),
  invert: flag('What is bright lies inside.'),
  light: flag('Edges are mixed as light: pictures of cameras and scanners.'),
  width: number('MM', mm, 'mm', 'How wide the picture is.'),
  perInch: number('N', [0.1, 100_000], 'pixels', 'Pixels an inch.'),
  rectangle: parsed('"X,Y X,Y X,Y X,Y WxH"', 'Four corners of a rectangle of a known size: what leans is set upright.', rectangleOf),
  speckle: number('MM2', [0, 1e9], 'mm2', 'Regions under this are dropped.'),
  holes: number('MM2', [0, 1e9], 'mm2', 'Holes under this are filled.'),
  deviation: number('MM', [0.0001, 1000], 'mm', 'How far contours may lie off the edge; usually as near as the picture tells.'),
  regular: flag('Circles, rectangles, slots and what is alike on both sides of a line are made exactly so.'),
  curves: choice(['arcs', 'beziers'], 'arcs', 'Round ways as arcs or as cubic Béziers.'),
  ...patternFileOptions,
};

function sizeOf({ width, perInch, rectangle }: Asked<typeof options>): PictureSize {
  if ([width, perInch, rectangle].filter((v) => v !== null).length > 1)
    throw new Unusable('two-sizes', 'The picture has one size: --width, --per-inch and --rectangle exclude each other.', 'Leave all but one away.');
  if (rectangle) return rectangle;
  return width !== null ? { kind: 'width', mm: width } : perInch !== null ? { kind: 'per inch', value: perInch } : { kind: 'stated' };
}

const choiceOf = (asked: Asked<typeof options>): TraceChoice => ({
  ...usualTrace,
  way: asked.way ?? usualTrace.way,
  level: asked.level,
  colours: Math.round(asked.colours ?? usualTrace.colours),
  invert: asked.invert,
  mixed: asked.light ? 'light' : 'values',
  speckle: asked.speckle ?? 0,
  holes: asked.holes ?? 0,
  deviation: asked.deviation,
  curves: asked.curves,
  ...(asked.regular ? { regular: true } : {}),
  size: sizeOf(asked),
});

/** `trace`: a picture's contours, written, and read back. */
async function run(asked: Asked<typeof options>): Promise<Report> {
  const [file] = asked.files;
  const choiceMade = choiceOf(asked);
  const info = await stat(file).catch(() => null);
  if (!info?.isFile()) throw new Unusable('no-such-file', `There is no file "${file}".`, 'Check the name and the folder.');
  if (info.size > mostBytes) throw new Unusable('too-large', `"${file}" has ${(info.size / 1e6).toFixed(0)} MB.`, 'Make it smaller first.');
  const picture = await decodePicture(await readFile(file));
  const traced = trace(picture, choiceMade);
  const { drawing, contours, holes, pieces } = traced;
  const name = basename(file).replace(/\.[^.]*$/, '') || 'Picture';
  const part = partOfDrawing(drawing, { name, path: [name], quantity: 1, unit: traced.sized ? 'mm' : null, format: 'picture' });
  const recipe: Recipe = {
    ...firstRecipe(part.summary, readyReceivers),
    receiver: patternReceiver(asked),
    drawing: { ...firstDrawingRecipe(), version: asked.dxfVersion, kerf: asked.kerf ?? 0, fit: asked.fitArcs, keepLayers: choiceMade.way === 'colours' },
  };
  recipe.file = { ...recipe.file, format: asked.format, unit: asked.unit };
  await mkdir(asked.out, { recursive: true });
  const { fileName, bytes, evidence } = await makeOneFile(part, recipe, nodeTools, (as, data) => store(join(asked.out, as), data));
  const unsized = traced.sized
    ? []
    : [
        {
          code: 'no-size',
          severity: 'look' as const,
          count: 1,
          message: 'Nothing says how large the picture is; it was taken for 96 pixels an inch.',
          remedy: 'Add --width MM, --per-inch N or --rectangle.',
        },
      ];
  const proved = withFindings(evidence, [...unsized, ...traced.findings, ...part.findings]);
  const written = await settled({ file: join(asked.out, fileName), format: asked.format, part: name, bytes, evidence: proved }, asked);
  const { distance, perNumber, width, height } = drawing.picture;
  const inMm = { mean: distance.mean / perNumber, largest: distance.largest / perNumber, beyond: distance.beyond / perNumber };
  const json = {
    picture: { width, height, perMm: perNumber },
    way: choiceMade.way,
    level: drawing.picture.level,
    contours,
    holes,
    pieces,
    regular: traced.regular,
    area: areaOfTraced(drawing.layers.flatMap((l) => l.contours)),
    distance: { ...inMm, px: distance },
    written: [written],
    evidence: proved.claims,
    findings: proved.findings,
    verdict: proved.verdict,
  };
  const said = `${proved.verdict}: ${name}, ${contours.toLocaleString('en')} contours, ${holes.toLocaleString('en')} holes, ${pieces.toLocaleString('en')} pieces; ${inMm.mean.toPrecision(2)} mm off the edge in the mean, ${inMm.largest.toPrecision(2)} mm at most, corners up to ${inMm.beyond.toPrecision(2)} mm beyond it`;
  const { regular } = traced;
  const found = regular && regularText(regular) !== '' ? `regular: ${regularText(regular)}${!asked.regular && mayBeRegular(regular) ? ' (made exactly so with --regular)' : ''}\n` : ''; // prettier-ignore
  return { json, text: `${said}\n${found}${settledText(written)}`, severities: [proved.verdict] };
}

export const traceCommand = command({
  word: 'trace',
  takes: 'PICTURE',
  least: 1,
  most: 1,
  out: toFolder,
  options,
  does: 'Contours of a picture (PNG, JPEG, WebP, GIF, BMP, TIFF): lines and arcs along its edges, at its true size, written and read back.',
  example: 'trace sail-mark.png --width 100 --format dxf --out mark',
  run,
});
