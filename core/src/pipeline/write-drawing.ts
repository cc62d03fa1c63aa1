import { carveFinding, fitFindings, unwritten } from './drawing-findings.ts';
import { farFinding } from '../geometry/far.ts';
import type { DesignedDrawing } from '../prove/designed.ts';
import type { PartSummary } from '../model/design.ts';
import { boxOfDrawing, lengthOfContour, type Drawing, type Meaning } from '../curves/drawing.ts';
import type { Meant } from '../drawing/meaning.ts';
import { repeatedParts } from '../drawing/repeated.ts';
import { growBox, noBox, type Box2 } from '../curves/measure.ts';
import { applied, transformed } from '../curves/affine.ts';
import type { Segment } from '../curves/segment.ts';
import { Unusable, type Finding } from '../base/finding.ts';
import { dxfFile, plainName, type WrittenBlock, type WrittenLayer } from '../formats/dxf/write.ts';
import { pdfCurveDeviation, pdfFile, pdfTiles } from '../formats/pdf/write.ts';
import { svgFile, svgSplineDeviation } from '../formats/svg/write.ts';
import type { Engine } from '../engine/engine.ts';
import type { DrawingRecipe, LayerLook } from '../model/drawing-recipe.ts';
import { fileNameOf, scaleOf, type Recipe } from '../recipe/recipe.ts';
import { lookOf } from '../receivers/looks.ts';
import { formatNames, receiverFor, type FileFormat, type Receiver } from '../receivers/receivers.ts';
import { mmPer } from '../base/readings.ts';
import { placeOf, readyDrawing, type ReadyDrawing } from './ready-drawing.ts';
import { asRead, depthOf, depthsOf, distinct, layerName, layersOf, sourceLayers, type MeantLayer } from './drawing-layers.ts';

export interface WrittenDrawingFile {
  fileName: string;
  pieces: Iterable<Uint8Array>;
  designed: DesignedDrawing;
  findings: Finding[];
}

/**
 * The pass of a drawing up to the bytes. Nothing is read back here.
 * @throws Unusable when the receiver takes no such file, or a layer has no name.
 */
export async function writeDrawing(part: PartSummary, drawing: Drawing, recipe: Recipe, engine: Engine): Promise<WrittenDrawingFile> {
  const { how, receiver } = cutterOf(recipe);
  const { format } = recipe.file;
  const all = readyDrawing(part, drawing, recipe, engine);
  // A contour without length can't be cut, and readers drop it.
  const ready = { ...all, meant: all.meant.filter((m) => lengthOfContour(m.contour) > 0) };
  const look = (m: Meaning): LayerLook => lookOf(m, how, receiver.cutter);
  const { blocks, joined, whole, layers } = laidOut(ready.meant, drawing, recipe, look);
  const box = boxOfDrawing(whole);
  refuseTiny(whole, box);
  const designed = designedOf({ part, drawing, recipe, ready, joined, whole, box });
  if (ready.texts.length > 0 && format === 'dxf') {
    // Layers that keep their names keep that of the writing too.
    const named = how.keepLayers && drawing.pattern === undefined ? ready.texts[0].layer : 'TEXT';
    const { name, colour, lineType } = { ...look('label'), ...(how.looks.label ? {} : { name: named }) };
    layers.push({ meaning: 'label', name, colour, lineType, contours: [], texts: ready.texts, cut: false });
  }
  const findings = [
    ...ready.findings,
    ...carveFinding(ready.meant, how, format),
    ...fitFindings(box, how, receiver),
    ...unwritten(drawing, { texts: ready.texts, format, told: part.lost ?? [], withoutLength: all.meant.length - ready.meant.length }),
    ...farFinding(Math.max(...box.map(Math.abs))),
  ];
  return { fileName: fileNameOf(part, recipe), pieces: await bytesOf({ layers, blocks }, designed, how, part.name), designed, findings };
}

/** The drawing's recipe and the machine that cuts it. @throws Unusable when that takes no drawings, or none of that format */
function cutterOf(recipe: Recipe): { how: DrawingRecipe; receiver: Receiver } {
  const how = recipe.drawing;
  const { format } = recipe.file;
  const receiver = receiverFor(recipe);
  if (!how || !receiver.cutter)
    throw new Unusable(
      'not-a-cutter',
      `${receiver.name} (${receiver.process}) takes no drawings.`,
      'Choose a laser, router or plotter, or raise the drawing to a solid.',
    );
  if (!receiver.formats.includes(format)) {
    throw new Unusable(
      'format-refused',
      `${receiver.name} does not read ${formatNames[format]}; it reads ${receiver.formats.map((f) => formatNames[f]).join(', ')}.`,
      'Choose one of these on the File step.',
    );
  }
  return { how, receiver };
}

/** Contours on the layers of the file: `joined` as they are meant, `whole` as a reader has them, `layers` as they are written beside the blocks. */
interface LaidOut {
  blocks: WrittenBlock[];
  joined: MeantLayer[];
  whole: Drawing;
  layers: MeantLayer[];
}

function laidOut(meant: Meant[], drawing: Drawing, recipe: Recipe, look: (m: Meaning) => LayerLook): LaidOut {
  const how = recipe.drawing!;
  const { format } = recipe.file;
  const written = (name: string) => (format === 'dxf' ? plainName(name, how.version) : name);
  const { blocks, rest } =
    format === 'dxf' && how.blocks && !how.keepLayers
      ? repeatedParts(meant, (m) => written(layerName(look(m.meaning).name, depthOf(m))))
      : { blocks: [] as WrittenBlock[], rest: meant };
  // Contours that meet on the layer they are written to arrive as one: a reader joins them.
  const layersBy = how.keepLayers ? (list: Meant[]) => sourceLayers(list, drawing) : (list: Meant[]) => layersOf(list, look);
  const joined = distinct(layersBy(meant).map((l) => ({ ...l, name: written(l.name) })));
  const plain: Drawing = { layers: joined, texts: [], points: [] };
  const whole = format === 'pdf' || blocks.length > 0 ? plain : asRead(plain, format);
  // Layers whose contours all went into blocks are still declared.
  const alone = blocks.length > 0 ? layersOf(rest, look) : null;
  const layers = layersBy(meant).map((l, i) => ({
    ...l,
    name: alone ? l.name : joined[i].name,
    contours: alone ? (alone.find((a) => a.name === l.name)?.contours ?? []) : whole.layers[i].contours,
  }));
  return { blocks, joined, whole, layers };
}

/** @throws Unusable for a drawing that is smaller than the digits of a file */
function refuseTiny(whole: Drawing, box: Box2): void {
  const size = Math.max(box[2] - box[0], box[3] - box[1]);
  if (!whole.layers.some((l) => l.contours.length > 0) || size >= leastSize) return;
  throw new Unusable('too-small', `The drawing is ${size.toPrecision(3)} mm large, less than the digits of a file hold.`, 'Check the unit on the Size step.');
}

/** What the bytes are held against. */
interface Passed {
  part: PartSummary;
  drawing: Drawing;
  recipe: Recipe;
  ready: ReadyDrawing;
  joined: MeantLayer[];
  whole: Drawing;
  box: Box2;
}

function designedOf({ part, drawing, recipe, ready, joined, whole, box }: Passed): DesignedDrawing {
  const how = recipe.drawing!;
  const { format, unit } = recipe.file;
  const sheet = sheetOf(box, how);
  const map = () => placeOf(drawing, scaleOf(part, recipe), how);
  // Kerf, tabs, reliefs and ways in move contours on purpose.
  const unmoved = how.kerf === 0 && !how.tabs && how.relief === null;
  return {
    drawing: whole,
    box,
    format,
    version: how.version,
    unit,
    allowed: ready.allowed,
    fitted: ready.fitted,
    layers: whole.layers.map((l) => ({ name: l.name, contours: l.contours.length })),
    name: part.name,
    stock: how.stock,
    origin: format === 'dxf' ? [0, 0] : [sheet[0], sheet[1]],
    approximated: approximatedBy(format, whole),
    texts: format === 'dxf' ? ready.texts : [],
    uncut: joined.filter((l) => !l.cut).map((l) => l.name),
    depths: how.keepLayers || format === 'pdf' ? [] : depthsOf(joined.map((l, i) => ({ ...l, contours: whole.layers[i].contours }))),
    fold: drawing.pattern && unmoved ? { pattern: drawing.pattern, drawing, map: map() } : null,
    patch: drawing.patch && unmoved && !how.leadIn ? { patch: drawing.patch, map: map() } : null,
    traced: tracedOf(drawing, part, recipe),
  };
}

/** The picture's edge where it is to arrive. Kerf, tabs, reliefs and ways in move contours on purpose. */
function tracedOf({ picture, ...drawing }: Drawing, part: PartSummary, recipe: Recipe): DesignedDrawing['traced'] {
  const how = recipe.drawing!;
  if (!picture || picture.edge.length === 0 || how.kerf !== 0 || how.tabs || how.relief !== null || how.leadIn) return null;
  const map = placeOf(drawing, scaleOf(part, recipe), how);
  const edge: number[] = [];
  for (let i = 0; i < picture.edge.length; i += 2) edge.push(...applied(map, [picture.edge[i], picture.edge[i + 1]]));
  return { edge, largest: (picture.distance.largest / picture.perNumber) * Math.sqrt(Math.abs(map[0] * map[3] - map[1] * map[2])) };
}

/** What is written, by layers and blocks. */
interface Content {
  layers: WrittenLayer[];
  blocks: WrittenBlock[];
}

async function bytesOf({ layers, blocks }: Content, designed: DesignedDrawing, how: DrawingRecipe, title: string): Promise<Iterable<Uint8Array>> {
  const { format, unit, box } = designed;
  if (format === 'dxf') return dxfFile({ layers, blocks }, how.version, unit, mmPer(unit));
  const sheet = sheetOf(box, how);
  if (format === 'pdf') return [await (how.pages === 'a4' ? pdfTiles : pdfFile)(layers, title, sheet)];
  if (unit === 'mm') return svgFile(layers, title, sheet);
  const k = 1 / mmPer(unit);
  const scaled = layers.map((l) => ({
    ...l,
    contours: l.contours.map((c) => ({ ...c, segments: c.segments.map((s) => transformed(s, [k, 0, 0, k, 0, 0])) })),
  }));
  return svgFile(scaled, title, sheet.map((v) => v * k) as Box2, unit);
}

/** Nothing smaller than this is written, mm: it would be lost among the last digits. */
const leastSize = 1e-6;

/** A page has some width and height: viewers show nothing of one that has not, mm. */
const leastPage = 1;

/** The page: the drawing's box, with the stock when the drawing lies on it. */
function sheetOf(box: Box2, how: DrawingRecipe): Box2 {
  const sheet: Box2 = how.stock && how.place.datum !== 'middle' ? around(box, [0, 0, how.stock.width, how.stock.height]) : [...box];
  for (const k of [0, 1]) if (!(sheet[k + 2] - sheet[k] > 1e-6)) sheet[k + 2] = sheet[k] + leastPage;
  return sheet;
}

/** What a format can only say within a deviation: rational and high splines in SVG, all that is round in PDF. */
function approximatedBy(format: FileFormat, drawing: Drawing): number {
  const any = (test: (s: Segment) => boolean) => drawing.layers.some((l) => l.contours.some((c) => c.segments.some(test)));
  const hard = (s: Segment) => s.kind === 'spline' && (s.weights !== null || s.degree > 3);
  if (format === 'svg') return any(hard) ? svgSplineDeviation : 0;
  if (format === 'pdf') return any((s) => hard(s) || s.kind === 'arc' || s.kind === 'ellipse') ? pdfCurveDeviation : 0;
  return 0;
}

function around(a: Box2, b: Box2): Box2 {
  const box = noBox();
  for (const c of [a, b]) {
    growBox(box, [c[0], c[1]]);
    growBox(box, [c[2], c[3]]);
  }
  return box;
}
