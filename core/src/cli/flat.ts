import { store } from '../command/store.ts';
import { join } from 'node:path';
import type { DesignPart } from '../model/design.ts';
import { drawShape, meshFit, viewFrames, type ShapeView, type ViewName } from '../drawing/from-shape.ts';
import type { Drawing, Meaning } from '../curves/drawing.ts';
import { mendDrawing, nothingToMend } from '../curves/mend.ts';
import { partOfDrawing } from '../drawing/part.ts';
import { mostStrokePoints, strokesOutlined } from '../curves/strokes.ts';
import { regionsOf, splitAtMeetings } from '../curves/split.ts';
import { withFindings } from '../prove/evidence.ts';
import { drawingUnits, lengthUnits } from '../base/readings.ts';
import { choice, choiceOrNone, each, flag, millimetres, number, parsed, tabsTyped, text, within, type Values } from '../command/option.ts';
import type { drawingReadOptions } from '../command/source.ts';
import { receiverOption } from '../command/written.ts';
import { dxfVersions } from '../model/dxf-version.ts';
import { Unusable, type Finding } from '../base/finding.ts';
import { colourNamed } from '../formats/svg/style.ts';
import { nodeEngine } from '../engine/load.ts';
import { workingKernel } from '../kernel/load.ts';
import { nodeTools } from '../pipeline/node-tools.ts';
import { makeOneFile } from '../pipeline/one-file.ts';
import { broughtToZero, farLoss, lossAt } from '../geometry/far.ts';
import { firstDrawingRecipe, meanings, type DrawingRecipe } from '../model/drawing-recipe.ts';
import { readyReceivers } from '../receivers/ready.ts';
import { firstRecipe, scaleOf, type Recipe } from '../recipe/recipe.ts';
import { noReceiver, receiversFor, type FileFormat, type Receiver } from '../receivers/receivers.ts';
import { placementOf } from '../stance/stance.ts';
import { jsonFile } from '../command/json-file.ts';
import { settled } from '../command/settle.ts';

const units = [...new Set([...lengthUnits, ...drawingUnits].map((u) => u.id))];
const viewNames = Object.keys(viewFrames) as ViewName[];

/** Of a solid or mesh: what is drawn of it. */
export const viewOptions = {
  view: choiceOrNone(viewNames, 'What is drawn of a solid or mesh; usually from the top.'),
  edges: choice(['silhouette', 'visible', 'hidden'], 'silhouette', 'Outline only, visible edges, or hidden ones dashed too.'),
  section: parsed('z=MM', 'A section at this height instead.', (name, typed) => within(name, typed.replace(/^z\s*=\s*/i, ''), [-1e6, 1e6], 'mm')),
  face: number('N', [1, 1_000_000], 'faces', 'A flat face instead, with its true arcs.'),
};

/** How any drawing is written. */
const drawingFileOptions = {
  dxfVersion: choice(dxfVersions, '2000', 'Which DXF the machine reads.'),
  kerf: millimetres([0, 10], 'What the tool takes away: cuts go half of it beside the line.'),
  fitArcs: millimetres([0.0001, 5], 'Splinters and curves become lines and arcs within this distance.'),
  ...receiverOption,
  pages: choiceOrNone(['a4'], 'A PDF on sheets of A4 that are laid together, with crosses.'),
  evenSo: flag('Leaves the file even when its verdict is stop.'),
};

/** How a flat pattern is written. */
export const patternFileOptions = {
  format: choice(['dxf', 'svg', 'pdf'], 'dxf', 'What is written.'),
  unit: choice(units, 'mm', 'Unit of the numbers in the file.'),
  ...drawingFileOptions,
};

/** What becomes of a drawing's pieces, layers and place before it is written. */
export const flatOptions = {
  ...viewOptions,
  joinGaps: millimetres([0, 100], 'Loose ends within this distance are joined.'),
  dropDoubles: flag('Drops what lies twice on the same place.'),
  order: flag('Joins and orders pieces into contours.'),
  split: flag('Cuts pieces where they cross or end on each other.'),
  strokes: choice(['centre', 'outline'], 'centre', 'Wide strokes as their middle line or their outline.'),
  meaning: each('red=cut|layer:NAME=MEANING', 'What a colour or layer means; as often as needed.', (_, typed) => typed),
  rules: text('FILE.json', 'The same from a file; what is typed wins.'),
  tabs: parsed('3x1.5', 'Tabs that hold the part: how many x how wide.', tabsTyped),
  relief: millimetres([0.1, 50], 'Reliefs in inner corners, for a bit of this diameter.'),
  leadIn: millimetres([0.1, 50], 'Cuts begin this far outside.'),
  mirror: flag('Seen from the other side.'),
  ...drawingFileOptions,
};

type FlatWish = Values<typeof flatOptions> &
  Values<typeof drawingReadOptions> & { out: string; format: FileFormat; fromUnit: string | null; place: 'drawn' | 'corner' | 'middle' | null };

/** The drawing that is meant by a part: itself, or what was asked for of a solid or mesh. */
async function drawnPart(part: DesignPart, given: FlatWish): Promise<{ part: DesignPart; said: string[] }> {
  const { summary, geometry } = part;
  if (geometry.kind === 'drawing') {
    if (given.view !== null || given.section !== null || given.face !== null)
      throw new Unusable('already-flat', `"${summary.name}" is a drawing already.`, 'Leave --view, --section and --face away.');
    return { part, said: [] };
  }
  const view: ShapeView =
    given.section !== null
      ? { kind: 'section', height: given.section, axis: 'z' }
      : given.face !== null
        ? { kind: 'face', face: given.face - 1 }
        : { kind: 'view', view: given.view ?? 'top', edges: given.edges };
  const recipe = firstRecipe(summary, readyReceivers);
  recipe.size.reading = given.fromUnit;
  const placement = placementOf(recipe.stance, scaleOf(summary, recipe), []);
  const kernel = geometry.kind === 'solid' ? await workingKernel() : null;
  const drawn = drawShape(geometry, placement, view, { engine: await nodeEngine(), kernel, fit: given.fitArcs ?? meshFit });
  const said = [...drawn.said];
  if (drawn.deviation > 0) said.push(`Measured deviation ${drawn.deviation.toPrecision(3)} mm.`);
  const made = partOfDrawing(drawn.drawing, { name: summary.name, path: summary.path, quantity: summary.quantity, unit: 'mm', format: summary.format });
  made.summary.lost = summary.lost;
  return { part: made, said };
}

/** One part as DXF, SVG or PDF, proved from the bytes on the disk; a flat pattern is folded again. */
export async function writeFlat(source: DesignPart, recipe: Recipe, given: FlatWish) {
  const drawn = await drawnPart(source, given);
  const findings: Finding[] = drawn.said.map((message) => ({ code: 'drawn', severity: 'clear', count: 1, message, remedy: '' }));
  const part = await mendedPart(drawn.part, source.geometry.kind === 'drawing', given, findings);
  const flat: Recipe = { ...recipe, receiver: flatReceiver(given), drawing: await drawingRecipe(part, recipe, given, findings) };
  const { fileName, bytes, evidence } = await makeOneFile(part, flat, nodeTools, (name, pieces) => store(join(given.out, name), pieces));
  const all = withFindings(evidence, [...findings, ...part.findings]);
  return settled({ file: join(given.out, fileName), format: flat.file.format, part: part.summary.name, bytes, evidence: all }, given);
}

/** What was asked for of the pieces, before anything is placed. */
async function mendedPart(part: DesignPart, drawn: boolean, given: FlatWish, findings: Finding[]): Promise<DesignPart> {
  let { drawing } = part.geometry as { drawing: Drawing };
  const say = (message: string) => findings.push({ code: 'mended', severity: 'clear', count: 1, message, remedy: '' });
  if (given.strokes === 'outline') {
    const done = strokesOutlined(
      await nodeEngine(),
      drawing,
      scaleOf(part.summary, { ...firstRecipe(part.summary, readyReceivers), size: { reading: given.fromUnit, factor: 1 } }),
    );
    drawing = done.drawing;
    say(`${done.outlined.toLocaleString('en')} strokes became outlines, within ${done.measured.toPrecision(2)} mm.`);
    if (done.left > 0)
      findings.push({
        code: 'stroke-left',
        severity: 'look',
        count: done.left,
        message: `Of more than ${mostStrokePoints.toLocaleString('en')} points, so not outlined: ${done.left.toLocaleString('en')} strokes stay lines.`,
        remedy: 'Split them where the file was made, or fit arcs first.',
      });
  }
  const fitArcs = drawn ? given.fitArcs : null;
  if (given.joinGaps !== null || fitArcs !== null || given.dropDoubles || given.order) {
    const mended = mendDrawing(drawing, { ...nothingToMend, joinGaps: given.joinGaps, fitArcs, dropDoubles: given.dropDoubles, order: given.order });
    drawing = mended.drawing;
    mended.report.steps.forEach(say);
  }
  if (given.split) {
    const done = splitAtMeetings(drawing);
    drawing = done.drawing;
    say(
      `Cut at ${done.places.toLocaleString('en')} ${done.places === 1 ? 'place' : 'places'} where pieces cross or end on each other; ${regionsOf(drawing).count.toLocaleString('en')} closed contours.`,
    );
  }
  return drawing === (part.geometry as { drawing: Drawing }).drawing ? part : keepingLost(partOfDrawing(drawing, part.summary), part);
}

const keepingLost = (made: DesignPart, from: DesignPart): DesignPart => ({ ...made, summary: { ...made.summary, lost: from.summary.lost } });

async function drawingRecipe(part: DesignPart, recipe: Recipe, given: FlatWish, findings: Finding[]): Promise<DrawingRecipe> {
  const { byLayer, byColour } = await meaningRules(given);
  const { box } = part.summary;
  const far = Math.max(...box.min.slice(0, 2).map(Math.abs), ...box.max.slice(0, 2).map(Math.abs)) * scaleOf(part.summary, recipe);
  const away = given.place === null && lossAt(far) > farLoss;
  if (away) findings.push(broughtToZero(far, 'its low left corner'));
  return {
    ...firstDrawingRecipe(),
    version: given.dxfVersion,
    kerf: given.kerf ?? 0,
    tabs: given.tabs,
    relief: given.relief,
    leadIn: given.leadIn ?? 0,
    keepLayers: given.layers === 'keep',
    byLayer,
    byColour,
    place: { turn: 0, mirror: given.mirror, datum: given.place ?? (away ? 'corner' : 'drawn'), point: [0, 0], at: [0, 0] },
  };
}

/** Meanings typed as NAME=MEANING or COLOUR=MEANING, after those of a file of rules; what is typed wins. */
async function meaningRules(given: FlatWish): Promise<Pick<DrawingRecipe, 'byLayer' | 'byColour'>> {
  const rules: Pick<DrawingRecipe, 'byLayer' | 'byColour'> = { byLayer: {}, byColour: {} };
  const known = meanings.join(', ');
  const add = (key: string, meaning: string, where: string) => {
    if (!(meanings as string[]).includes(meaning))
      throw new Unusable('bad-meaning', `${where} gives "${key}" the meaning "${meaning}", which there is none of.`, `Choose one of ${known}.`);
    const colour = /^layer:/.test(key) ? null : colourNamed(key);
    if (colour) rules.byColour[colour] = meaning as Meaning;
    else rules.byLayer[key.replace(/^layer:/, '')] = meaning as Meaning;
  };
  if (given.rules !== null) {
    const read = await jsonFile(given.rules, 'rules');
    if (typeof read !== 'object' || read === null || Array.isArray(read))
      throw new Unusable('bad-rules', `"${given.rules}" holds no rules.`, 'Write for instance {"red": "cut", "layer:Outline": "cut"}.');
    for (const [key, meaning] of Object.entries(read)) add(key, String(meaning), `"${given.rules}"`);
  }
  for (const typed of given.meaning) {
    const at = typed.lastIndexOf('=');
    if (at < 1) throw new Unusable('bad-meaning', `--meaning must be like red=cut or layer:Outline=cut, not "${typed}".`, `Meanings: ${known}.`);
    add(typed.slice(0, at).trim(), typed.slice(at + 1).trim(), '--meaning');
  }
  return rules;
}

/** The machine asked for; else the first that takes the format (and any DXF version). */
export function flatReceiver({ receiver, format }: { receiver: Receiver | null; format: FileFormat }): Receiver {
  if (receiver) return receiver;
  const takes = receiversFor('drawing', readyReceivers).filter((r) => r.formats.includes(format));
  const any = takes.filter((r) => format !== 'dxf' || dxfVersions.every((v) => r.cutter!.versions.includes(v)) && r.formats[0] === 'dxf'); // prettier-ignore
  return any[0] ?? takes[0] ?? noReceiver;
}

/** The machine for a flat pattern: the one asked for; else one that cuts sheet. */
export const patternReceiver = ({ receiver, format }: { receiver: Receiver | null; format: FileFormat }): Receiver =>
  receiver ?? receiversFor('drawing', readyReceivers).find((r) => r.formats.includes(format)) ?? noReceiver;
