import type { DesignedDrawing } from '../prove/designed.ts';
import type { PartSummary } from '../model/design.ts';
import {
  boxOfDrawing,
  contourOf,
  lengthOfContour,
  reachOf,
  transformedDrawing,
  type Contour,
  type Drawing,
  type Meaning,
  type TextMark,
} from '../curves/drawing.ts';
import { chained, sameDistance } from '../curves/chain.ts';
import { fitContour } from '../curves/fit.ts';
import { segmentsNear, withLead } from '../curves/lead.ts';
import { cutThrough, meantContours, type Meant } from '../drawing/meaning.ts';
import { offsetContour, withCornerReliefs, withTabs } from '../curves/offset.ts';
import { repeatedParts } from '../drawing/repeated.ts';
import { growBox, noBox, type Box2 } from '../curves/measure.ts';
import { applied, times, transformed, type Affine } from '../curves/affine.ts';
import type { Segment } from '../curves/segment.ts';
import { Unusable, type Finding } from '../base/finding.ts';
import { lossFinding, type Loss } from '../base/loss.ts';
import { closedByThemselves } from '../formats/dxf/values.ts';
import { dxfFile, entitiesOf, plainName, type WrittenBlock, type WrittenLayer } from '../formats/dxf/write.ts';
import { pdfCurveDeviation, pdfFile, pdfTiles } from '../formats/pdf/write.ts';
import { svgFile, svgSplineDeviation } from '../formats/svg/write.ts';
import type { Engine } from '../engine/engine.ts';
import { usualLooks, type DrawingRecipe, type LayerLook } from '../model/drawing-recipe.ts';
import { fileNameOf, scaleOf, type Recipe } from '../recipe/recipe.ts';
import { lookOf } from '../receivers/looks.ts';
import { formatNames, receiverFor, type FileFormat, type Receiver } from '../receivers/receivers.ts';
import { farFinding } from '../geometry/far.ts';
import { mmPer } from '../base/readings.ts';

export interface WrittenDrawingFile {
  fileName: string;
  pieces: Iterable<Uint8Array>;
  designed: DesignedDrawing;
  findings: Finding[];
}

/** Deviation within which curves become arcs and lines when a machine takes nothing else and nobody has chosen, mm. */
export const usualFit = 0.01;

/** The map of size and place, from the drawing's own numbers to mm at the machine. */
export function placeOf(drawing: Drawing, scale: number, recipe: DrawingRecipe): Affine {
  const { turn, mirror, datum, point, at } = recipe.place;
  const angle = (turn * Math.PI) / 180;
  const [c, s] = [Math.cos(angle), Math.sin(angle)];
  const turned = times([c, s, -s, c, 0, 0], [mirror ? -scale : scale, 0, 0, scale, 0, 0]);
  if (datum === 'drawn') return [turned[0], turned[1], turned[2], turned[3], at[0], at[1]];
  if (datum === 'point') {
    const x = turned[0] * point[0] + turned[2] * point[1];
    const y = turned[1] * point[0] + turned[3] * point[1];
    return [turned[0], turned[1], turned[2], turned[3], at[0] - x, at[1] - y];
  }
  const box = boxOfDrawing(transformedDrawing(drawing, turned));
  const shift = datum === 'corner' ? [-box[0], -box[1]] : [-(box[0] + box[2]) / 2, -(box[1] + box[3]) / 2];
  return [turned[0], turned[1], turned[2], turned[3], at[0] + shift[0], at[1] + shift[1]];
}

/** A drawing made ready: placed, its contours with their meanings, moved by the kerf, with tabs and reliefs. */
export interface ReadyDrawing {
  meant: Meant[];
  fitted: number;
  allowed: number;
  findings: Finding[];
  /** Contours as placed, before kerf, tabs and reliefs: the edges the part is to have. */
  edges: Contour[];
  /** Writing of a flat pattern, as placed. */
  texts: TextMark[];
}

export function readyDrawing(part: PartSummary, drawing: Drawing, recipe: Recipe, engine: Engine): ReadyDrawing {
  const how = recipe.drawing!;
  const receiver = receiverFor(recipe);
  const map = placeOf(drawing, scaleOf(part, recipe), how);
  const place = transformedDrawing(drawing, map);
  // Meanings are judged on the placed drawing, so that areas and diameters are mm at the machine.
  let meant = deep(meantContours(place, how), how);
  const edges = meant.map((m) => m.contour);
  const findings: Finding[] = [];
  if (how.relief !== null) {
    let reliefs = 0;
    meant = meant.map((m) => {
      if (!cutThrough.has(m.meaning) && m.meaning !== 'pocket') return m;
      if (!m.contour.closed) return m;
      const done = withCornerReliefs(m.contour, how.relief!, m.depth % 2 === 1 || m.meaning === 'pocket');
      reliefs += done.reliefs;
      return { ...m, contour: done.contour };
    });
    findings.push({
      code: 'reliefs',
      severity: 'clear',
      count: reliefs,
      message: `${reliefs} inner corners got a relief for a bit of ${how.relief} mm.`,
      remedy: 'Nothing to do.',
    });
  }
  if (how.kerf > 0) meant = meant.flatMap((m) => moved(engine, m, how.kerf, findings));
  if (how.tabs) {
    const { count, width } = how.tabs;
    meant = meant.flatMap((m) =>
      m.contour.closed && m.depth % 2 === 0 && cutThrough.has(m.meaning) ? withTabs(m.contour, count, width).map((contour) => ({ ...m, contour })) : [m],
    );
  }
  if (how.leadIn) meant = led(meant, how.leadIn, findings);
  const fit = fitFor(meant, recipe, receiver);
  let fitted = 0;
  if (fit !== null) {
    meant = meant.map((m) => {
      const done = fitContour(m.contour, fit);
      fitted = Math.max(fitted, done.measured);
      return { ...m, contour: done.result };
    });
  }
  return { meant, fitted, allowed: fit ?? 0, findings, edges, texts: ownLabels(drawing) ? place.texts : [] };
}

/** Contours that are carved and say no depth take that of the recipe. */
const deep = (meant: Meant[], { carve }: DrawingRecipe): Meant[] =>
  carve
    ? meant.map((m) => (carved(m) && !(m.contour.depth && m.contour.depth > 0) ? { ...m, contour: { ...m.contour, depth: carve[carved(m)!] } } : m))
    : meant;

/** Which depth of the recipe a contour takes; null for what is cut through or not carved. */
const carved = ({ meaning }: Meant): 'pocket' | 'engrave' | null =>
  meaning === 'pocket' ? 'pocket' : meaning === 'engrave' || meaning === 'score' ? 'engrave' : null;

/** What is said of the depths in the evidence: they stand in the names of layers, and only there. */
function carveFinding(meant: readonly Meant[], { carve, stock, keepLayers }: DrawingRecipe, format: FileFormat): Finding[] {
  if (!carve || !meant.some(carved)) return [];
  const depths = [...new Set(meant.filter(carved).map((m) => `${m.meaning} ${Number(m.contour.depth!.toFixed(3))} mm`))].join(', ');
  const zero = stock ? `, Z 0 on ${stock.zZero === 'top' ? 'top of the sheet' : 'the bed'}` : '';
  const lost = keepLayers || format === 'pdf';
  const why = keepLayers ? 'Layers keep the names of the source' : 'A page has no layers';
  const where = lost ? `${why}: the depths are not in the file.` : 'They stand in the names of the layers.';
  return [
    {
      code: 'depths',
      severity: lost ? 'look' : 'clear',
      count: 1,
      message: `Carved with a bit of ${carve.bit} mm ${carve.side === 'on' ? 'on the line' : 'on the waste side'}${zero}: ${depths}. ${where}`,
      remedy: lost ? 'Write DXF or SVG with layers by meaning, or tell the depths to whoever runs the machine.' : 'Nothing to do.',
    },
  ];
}

/** Every closed cut begun from a way in; those that have no room for one are told. */
function led(meant: Meant[], length: number, findings: Finding[]): Meant[] {
  const near = segmentsNear(meant.map((m) => m.contour));
  let without = 0;
  const out = meant.flatMap((m): Meant[] => {
    if (!cutThrough.has(m.meaning)) return [m];
    // What tabs have cut open begins on its edge at each of them.
    const done = withLead(m.contour, length, m.depth % 2 === 1, near);
    if (!done) {
      without++;
      return [m];
    }
    return [
      { ...m, meaning: 'lead', depth: -1, contour: done.lead },
      { ...m, contour: done.contour },
    ];
  });
  if (without > 0) {
    findings.push({
      code: 'no-lead',
      severity: 'look',
      count: without,
      message: `${without === 1 ? 'One cut has' : `${without.toLocaleString('en')} cuts have`} no room for a way in of ${length} mm and ${without === 1 ? 'begins' : 'begin'} on the edge.`,
      remedy: 'Choose a shorter way in.',
    });
  }
  return out;
}

/** The contour at half the kerf to the waste side; open and engraved ones stay. */
function moved(engine: Engine, m: Meant, kerf: number, findings: Finding[]): Meant[] {
  if (!cutThrough.has(m.meaning) || !m.contour.closed) return [m];
  const outward = m.depth % 2 === 0;
  const done = offsetContour(engine, m.contour, outward ? kerf / 2 : -kerf / 2);
  if (done.contours.length === 0) {
    findings.push({
      code: 'kerf-swallows',
      severity: 'stop',
      count: 1,
      message: `A hole in the drawing is narrower than the kerf of ${kerf} mm; nothing is left of it.`,
      remedy: 'Make it larger, or drill it.',
    });
  }
  return done.contours.map((contour) => ({ ...m, contour }));
}

/** Whether, and how finely, curves have to become lines and arcs. */
function fitFor(meant: Meant[], recipe: Recipe, receiver: Receiver): number | null {
  const how = recipe.drawing!;
  if (how.fit !== null) return how.fit;
  const curves = meant.some((m) => m.contour.segments.some((s) => s.kind !== 'line' && s.kind !== 'arc'));
  const plain = recipe.file.format === 'dxf' && (how.version === 'R12' || receiver.cutter?.curves === false);
  return curves && plain ? usualFit : null;
}

/**
 * The pass of a drawing up to the bytes. Nothing is read back here.
 * @throws Unusable when the receiver takes no such file, or a layer has no name.
 */
export async function writeDrawing(part: PartSummary, drawing: Drawing, recipe: Recipe, engine: Engine): Promise<WrittenDrawingFile> {
  const how = recipe.drawing;
  const { format, unit } = recipe.file;
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
  const all = readyDrawing(part, drawing, recipe, engine);
  // A contour without length can't be cut, and readers drop it.
  const ready = { ...all, meant: all.meant.filter((m) => lengthOfContour(m.contour) > 0) };
  const look = (m: Meaning): LayerLook => lookOf(m, how, receiver.cutter);
  const written = (name: string) => (format === 'dxf' ? plainName(name, how.version) : name);
  const { blocks, rest } =
    format === 'dxf' && how.blocks && !how.keepLayers
      ? repeatedParts(ready.meant, (m) => written(layerName(look(m.meaning).name, depthOf(m))))
      : { blocks: [] as WrittenBlock[], rest: ready.meant };
  // Contours that meet on the layer they are written to arrive as one: a reader joins them.
  const layersBy = how.keepLayers ? (list: Meant[]) => sourceLayers(list, drawing) : (list: Meant[]) => layersOf(list, look);
  const joined = distinct(layersBy(ready.meant).map((l) => ({ ...l, name: written(l.name) })));
  const plain: Drawing = { layers: joined, texts: [], points: [] };
  const whole = format === 'pdf' || blocks.length > 0 ? plain : asRead(plain, format);
  // Layers whose contours all went into blocks are still declared.
  const alone = blocks.length > 0 ? layersOf(rest, look) : null;
  const layers = layersBy(ready.meant).map((l, i) => ({
    ...l,
    name: alone ? l.name : joined[i].name,
    contours: alone ? (alone.find((a) => a.name === l.name)?.contours ?? []) : whole.layers[i].contours,
  }));
  const box = boxOfDrawing(whole);
  if (whole.layers.some((l) => l.contours.length > 0) && Math.max(box[2] - box[0], box[3] - box[1]) < leastSize) {
    throw new Unusable(
      'too-small',
      `The drawing is ${Math.max(box[2] - box[0], box[3] - box[1]).toPrecision(3)} mm large, less than the digits of a file hold.`,
      'Check the unit on the Size step.',
    );
  }
  const sheet = sheetOf(box, how);
  const designed: DesignedDrawing = {
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
    fold:
      drawing.pattern && how.kerf === 0 && !how.tabs && how.relief === null
        ? { pattern: drawing.pattern, drawing, map: placeOf(drawing, scaleOf(part, recipe), how) }
        : null,
    patch:
      drawing.patch && how.kerf === 0 && !how.tabs && how.relief === null && !how.leadIn
        ? { patch: drawing.patch, map: placeOf(drawing, scaleOf(part, recipe), how) }
        : null,
    traced: tracedOf(drawing, part, recipe),
  };
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
    ...unwritten(drawing, ready.texts, format, part.lost ?? [], all.meant.length - ready.meant.length),
    ...farFinding(Math.max(...box.map(Math.abs))),
  ];
  return { fileName: fileNameOf(part, recipe), pieces: await bytesOf(layers, blocks, designed, how, part.name), designed, findings };
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

/** Chains of a few pieces that double back on themselves may come apart again when they are read: so often it is looked again. */
const mostRounds = 3;

/** The contours as a reader of the format chains them: DXF has no entity for a chain that holds curves, so its pieces are joined anew. */
function asRead(plain: Drawing, format: FileFormat): Drawing {
  const count = (d: Drawing) => d.layers.reduce((n, l) => n + l.contours.length, 0);
  let whole = plain;
  for (let round = 0; round < mostRounds; round++) {
    const loose = format === 'dxf' ? { ...whole, layers: whole.layers.map((l) => ({ ...l, contours: l.contours.flatMap(entitiesOf) })) } : whole;
    // What ends where it began is closed.
    if (format === 'dxf') closedByThemselves(loose, reachOf(boxOfDrawing(loose)));
    const next = chained(loose, sameDistance(loose)).drawing;
    const still = count(next) === count(whole);
    whole = next;
    if (still && round > 0) break;
  }
  return whole;
}

/** `cut`: whether anything on it is cut through. */
type MeantLayer = WrittenLayer & { meaning: Meaning; cut: boolean; depth?: number | null };

/** The depths that layers name, with how many contours go so deep. */
const depthsOf = (layers: readonly MeantLayer[]): DesignedDrawing['depths'] =>
  layers.flatMap(({ name, depth, contours }) => (depth ? [{ layer: name, depth, contours: contours.length }] : []));

/** Layers in the order of work: engraving first, holes before outer cuts, the sheet's edge last. */
const workOrder: Meaning[] = [
  'label',
  'fill',
  'engrave',
  'mark',
  'score',
  'bend',
  'bend-up',
  'bend-down',
  'bend-edge',
  'pocket',
  'lead',
  'hole',
  'small',
  'cut',
  'stock',
];

/** Pockets and engraving of different depth lie on layers of their own, with the depth in the name. */
const depthOf = (m: Meant): number | null => (carved(m) && m.contour.depth && m.contour.depth > 0 ? m.contour.depth : null);

function layersOf(meant: Meant[], look: (m: Meaning) => LayerLook): MeantLayer[] {
  const layers: MeantLayer[] = [];
  for (const meaning of workOrder) {
    const own = meant.filter((m) => m.meaning === meaning).sort((a, b) => b.depth - a.depth);
    const { name, colour, lineType } = look(meaning);
    for (const depth of [...new Set(own.map(depthOf))]) {
      const contours = own.filter((m) => depthOf(m) === depth).map(({ contour: { segments, closed } }) => contourOf(segments, closed));
      layers.push({
        meaning,
        name: layerName(name, depth),
        colour,
        lineType,
        texts: [],
        contours,
        filled: meaning === 'fill',
        cut: cutThrough.has(meaning),
        depth,
      });
    }
  }
  return layers;
}

/** Layers as the source has them: names, colours and line types, and colours of single contours. Ways in that were added keep their own. */
function sourceLayers(meant: Meant[], source: Drawing): MeantLayer[] {
  const names = [...new Set(meant.map((m) => (m.meaning === 'lead' ? usualLooks.lead.name : m.layer)))];
  return names.map((name): MeantLayer => {
    const own = meant.filter((m) => (m.meaning === 'lead' ? usualLooks.lead.name : m.layer) === name).sort((a, b) => b.depth - a.depth);
    const layer = source.layers.find((l) => l.name === name);
    const contours = own.map(({ contour: { segments, closed, colour } }) => contourOf(segments, closed, colour));
    const filled = own.every((m) => m.meaning === 'fill');
    const cut = own.some((m) => cutThrough.has(m.meaning));
    return { meaning: own[0].meaning, name, colour: layer?.colour ?? null, lineType: layer?.lineType ?? 'CONTINUOUS', texts: [], contours, filled, cut };
  });
}

/** Names that came out the same get numbers. */
function distinct<L extends { name: string }>(layers: L[]): L[] {
  const taken = new Set<string>();
  return layers.map((l) => {
    let name = l.name;
    for (let i = 2; taken.has(name.toUpperCase()); i++) name = `${l.name.slice(0, 27)}_${i}`;
    taken.add(name.toUpperCase());
    return { ...l, name };
  });
}

/** Longest layer name of R12. Source: DXF Reference, symbol names before version AC1015. */
const longestR12 = 31;

/** A layer's name with a depth behind it. A name that ends in a figure is set off with a dash: T2 with 3 mm must not be read as 2.3 mm. A long name loses its own end, not the depth. */
function layerName(name: string, depth: number | null): string {
  if (depth === null) return name;
  const said = `${/\d$/.test(name) ? '-' : '_'}${Number(depth.toFixed(3))}MM`;
  return `${name.slice(0, longestR12 - said.length)}${said}`;
}

async function bytesOf(
  layers: WrittenLayer[],
  blocks: WrittenBlock[],
  designed: DesignedDrawing,
  how: DrawingRecipe,
  title: string,
): Promise<Iterable<Uint8Array>> {
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

const ownLabels = (drawing: Drawing): boolean => drawing.pattern !== undefined || drawing.labels === true;

/** What the drawing shows and the file does not hold: writing that is not part of a flat pattern, and single points. */
function unwritten(drawing: Drawing, texts: readonly TextMark[], format: FileFormat, told: readonly Finding[], withoutLength: number): Finding[] {
  const losses: Loss[] = [];
  const lost = drawing.texts.length - (format === 'dxf' ? texts.length : 0);
  if (lost > 0 && !ownLabels(drawing) && !told.some((f) => f.code === 'texts'))
    losses.push({ what: 'text', count: lost, why: 'writing is not cut; turn it into outlines where the file was made' });
  if (withoutLength > 0) losses.push({ what: 'contour without length', count: withoutLength, why: 'there is nothing of it to cut' });
  if (drawing.points.length > 0) losses.push({ what: 'single point', count: drawing.points.length, why: 'points are not written' });
  const finding = lossFinding(losses);
  const findings = finding ? [finding] : [];
  if (lost > 0 && ownLabels(drawing))
    findings.push({
      code: 'labels',
      severity: 'clear',
      count: lost,
      message: `Not written, since ${formatNames[format]} goes out without text: ${lost.toLocaleString('en')} ${drawing.pattern ? 'bend ' : ''}${lost === 1 ? 'label' : 'labels'}.`,
      remedy: drawing.pattern ? 'The bend table says the same; choose DXF for labels on the flat.' : 'Choose DXF for labels in the file.',
    });
  return findings;
}

function around(a: Box2, b: Box2): Box2 {
  const box = noBox();
  for (const c of [a, b]) {
    growBox(box, [c[0], c[1]]);
    growBox(box, [c[2], c[3]]);
  }
  return box;
}

/** Whether the drawing fits the stock and the stock the machine, with figures. */
function fitFindings(box: Box2, how: DrawingRecipe, receiver: Receiver): Finding[] {
  const findings: Finding[] = [];
  const [w, h] = [box[2] - box[0], box[3] - box[1]];
  const { stock } = how;
  if (stock) {
    const over = [w - stock.width, h - stock.height];
    if (Math.max(...over) > 1e-6) {
      const k = over[0] > over[1] ? 0 : 1;
      const turns = w <= stock.height && h <= stock.width;
      findings.push({
        code: 'off-the-stock',
        severity: 'stop',
        count: 1,
        message: `The drawing is ${over[k].toFixed(1)} mm too long for the sheet of ${stock.width} × ${stock.height} mm along ${'XY'[k]}.`,
        remedy: turns ? 'It fits when turned by 90°.' : 'Take a larger sheet, or check the unit on the Size step.',
      });
    }
    if (stock.width > receiver.bed[0] || stock.height > receiver.bed[1] || stock.thickness > receiver.bed[2]) {
      findings.push({
        code: 'stock-too-large',
        severity: 'stop',
        count: 1,
        message: `The sheet of ${stock.width} × ${stock.height} × ${stock.thickness} mm does not go into ${receiver.name} (${receiver.bed.join(' × ')} mm).`,
        remedy: 'Cut the sheet down, or choose a larger machine.',
      });
    }
  }
  return findings;
}
