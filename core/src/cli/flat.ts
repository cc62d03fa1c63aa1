import { store } from './store.ts';
import { readFile } from 'node:fs/promises';
import { extname, join } from 'node:path';
import { formatByBytes } from '../pipeline/read.ts';
import type { DesignPart } from '../model/design.ts';
import { drawShape, meshFit, type ShapeView } from '../drawing/from-shape.ts';
import type { Drawing, Meaning } from '../curves/drawing.ts';
import { mendDrawing, nothingToMend } from '../curves/mend.ts';
import { partOfDrawing } from '../drawing/part.ts';
import { mostStrokePoints, strokesOutlined } from '../curves/strokes.ts';
import { regionsOf, splitAtMeetings } from '../curves/split.ts';
import { withFindings } from '../prove/evidence.ts';
import { Unusable, type Finding } from '../base/finding.ts';
import { colourNamed } from '../formats/svg/style.ts';
import { sizeOf } from '../geometry/box.ts';
import { nodeEngine } from '../engine/load.ts';
import { nodeKernels, workingKernel } from '../kernel/load.ts';
import { nodeTools } from '../pipeline/node-tools.ts';
import { makeOneFile } from '../pipeline/one-file.ts';
import { broughtToZero, farLoss, lossAt } from '../geometry/far.ts';
import { firstDrawingRecipe, meanings, type DrawingRecipe } from '../model/drawing-recipe.ts';
import { firstRecipe, scaleOf, type Recipe } from '../recipe/recipe.ts';
import { receiveDrawing } from '../processes/cutters.ts';
import { receiveFile } from '../processes/receive.ts';
import { flatFormats, receiverOf, receivers, type FileFormat, type Receiver } from '../receivers/receivers.ts';
import { placementOf } from '../stance/stance.ts';
import type { Given } from './arguments.ts';
import type { Report } from './inspect.ts';
import { jsonFile } from './json-file.ts';
import { settled } from './settle.ts';

/** The drawing that is meant by a part: itself, or what was asked for of a solid or mesh. */
async function drawnPart(part: DesignPart, given: Given): Promise<{ part: DesignPart; said: string[] }> {
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
  const recipe = firstRecipe(summary);
  recipe.size.reading = given.fromUnit;
  const placement = placementOf(recipe.stance, scaleOf(summary, recipe), []);
  const kernel = geometry.kind === 'solid' ? await workingKernel() : null;
  const drawn = drawShape(geometry, placement, view, await nodeEngine(), kernel, given.fitArcs ?? meshFit);
  const said = [...drawn.said];
  if (drawn.deviation > 0) said.push(`Measured deviation ${drawn.deviation.toPrecision(3)} mm.`);
  const made = partOfDrawing(drawn.drawing, { name: summary.name, path: summary.path, quantity: summary.quantity, unit: 'mm', format: summary.format });
  made.summary.lost = summary.lost;
  return { part: made, said };
}

/** One part as DXF, SVG or PDF, proved from the bytes on the disk; a flat pattern is folded again. */
export async function writeFlat(source: DesignPart, recipe: Recipe, given: Given) {
  const drawn = await drawnPart(source, given);
  const findings: Finding[] = drawn.said.map((message) => ({ code: 'drawn', severity: 'clear', count: 1, message, remedy: '' }));
  const part = await mendedPart(drawn.part, source.geometry.kind === 'drawing', given, findings);
  const flat: Recipe = { ...recipe, receiver: flatReceiver(given).id, drawing: await drawingRecipe(part, recipe, given, findings) };
  const { fileName, bytes, evidence } = await makeOneFile(part, flat, nodeTools, (name, pieces) => store(join(given.out, name), pieces));
  const all = withFindings(evidence, [...findings, ...part.findings]);
  return settled({ file: join(given.out, fileName), format: flat.file.format, part: part.summary.name, bytes, evidence: all }, given);
}

/** What was asked for of the pieces, before anything is placed. */
async function mendedPart(part: DesignPart, drawn: boolean, given: Given, findings: Finding[]): Promise<DesignPart> {
  let { drawing } = part.geometry as { drawing: Drawing };
  const say = (message: string) => findings.push({ code: 'mended', severity: 'clear', count: 1, message, remedy: '' });
  if (given.strokes === 'outline') {
    const done = strokesOutlined(
      await nodeEngine(),
      drawing,
      scaleOf(part.summary, { ...firstRecipe(part.summary), size: { reading: given.fromUnit, factor: 1 } }),
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

async function drawingRecipe(part: DesignPart, recipe: Recipe, given: Given, findings: Finding[]): Promise<DrawingRecipe> {
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
    keepLayers: given.keepLayers,
    byLayer,
    byColour,
    place: { turn: 0, mirror: given.mirror, datum: given.place ?? (away ? 'corner' : 'drawn'), point: [0, 0], at: [0, 0] },
  };
}

/** Meanings typed as NAME=MEANING or COLOUR=MEANING, after those of a file of rules; what is typed wins. */
async function meaningRules(given: Given): Promise<Pick<DrawingRecipe, 'byLayer' | 'byColour'>> {
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
  for (const typed of given.meanings) {
    const at = typed.lastIndexOf('=');
    if (at < 1) throw new Unusable('bad-meaning', `--meaning must be like red=cut or layer:Outline=cut, not "${typed}".`, `Meanings: ${known}.`);
    add(typed.slice(0, at).trim(), typed.slice(at + 1).trim(), '--meaning');
  }
  return rules;
}

/** The machine asked for; else the first that takes the format (and any DXF version). */
export function flatReceiver(given: Given): Receiver {
  if (given.receiver !== null) return receiverOf(given.receiver);
  if (given.format === 'dxf') return receiverOf('martin');
  return receivers.find((r) => r.cutter && r.formats.includes(given.format))!;
}

const kindOf: Record<NonNullable<Given['as']>, (r: Receiver) => boolean> = {
  laser: (r) => r.cutter?.kind === 'laser',
  router: (r) => r.cutter?.kind === 'router',
  printer: (r) => !r.cutter,
};

/** `receive`: what a stand-in machine understands from a file. */
export async function receiveGiven(given: Given): Promise<Report> {
  const [file] = given.files;
  const bytes = await readFile(file).catch(() => {
    throw new Unusable('no-such-file', `There is no file "${file}".`, 'Check the name and the folder.');
  });
  const ending = extname(file).slice(1).toLowerCase();
  const format = ((await formatByBytes(bytes))?.toLowerCase() ?? (ending === 'stp' ? 'step' : ending)) as FileFormat;
  const suits = given.as ? kindOf[given.as] : () => true;
  const receiver = given.receiver !== null ? receiverOf(given.receiver) : receivers.find((r) => suits(r) && r.formats.includes(format));
  if (!receiver)
    throw new Unusable('format-refused', `No ${given.as ?? 'machine'} takes ".${ending}" files.`, 'Name another file, or another kind of machine.');
  if (flatFormats.includes(format) || receiver.cutter) {
    const got = await receiveDrawing(bytes, format, receiver);
    const { check: c } = got;
    const json = {
      receiver: receiver.name,
      as: receiver.cutter!.kind,
      format,
      version: got.version,
      unit: got.unit,
      takenAs: got.taken,
      size: [c.box[2] - c.box[0], c.box[3] - c.box[1]],
      box: { min: [c.box[0], c.box[1], 0], max: [c.box[2], c.box[3], 0] },
      layers: got.drawing.layers.map((l) => ({ name: l.name, contours: l.contours.length })),
      contours: c.contours,
      openContours: c.open,
      holes: c.holes,
      diameters: got.diameters,
      segments: c.segments,
      length: c.length,
      area: c.area,
      doubles: c.doubles.length,
      crossings: c.crossings.length,
      order: got.order.slice(0, 1000).map((s) => ({ layer: s.layer, meaning: s.meaning, length: s.length, closed: s.closed })),
      cutLength: got.cut,
      travelLength: got.travel,
      seconds: got.time,
      findings: got.findings,
    };
    const text = `${receiver.name} (${receiver.process}): ${c.contours} contours, ${json.size.map((v) => v.toFixed(3)).join(' x ')} mm, numbers taken for ${got.taken}; cut ${got.cut.toFixed(1)} mm, about ${got.time.toFixed(0)} s\n${got.findings.map((f) => `  ${f.severity}: ${f.message} ${f.remedy}\n`).join('')}`;
    return { json, text, severities: got.findings.map((f) => f.severity) };
  }
  const got = await receiveFile(bytes, format, receiver, nodeKernels);
  const size = sizeOf(got.measures.box);
  const json = {
    receiver: receiver.name,
    as: 'printer',
    format,
    unit: got.unit,
    size,
    parts: got.parts,
    triangles: got.soundness.triangles,
    closed: got.soundness.closed,
    volume: got.measures.volume,
    area: got.measures.area,
    findings: got.findings,
  };
  const text = `${receiver.name} (${receiver.process}): ${got.parts} parts, ${size.map((v) => v.toFixed(3)).join(' x ')} mm, ${got.soundness.triangles} triangles\n${got.findings.map((f) => `  ${f.severity}: ${f.message} ${f.remedy}\n`).join('')}`;
  return { json, text, severities: got.findings.map((f) => f.severity) };
}
