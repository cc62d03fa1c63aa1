import { unzipSync } from 'fflate';
import { asUnusable, Unusable, type Finding } from '../../base/finding.ts';
import { chained } from '../../curves/chain.ts';
import { areaOfContour, contourOf, lengthOfContour, type Contour, type Drawing } from '../../curves/drawing.ts';
import { nest } from '../../curves/nest.ts';
import type { P2 } from '../../curves/segment.ts';
import { looksLikeDrill, readDrill, type DrillFile, type DrillTool } from '../drill/read.ts';
import type { GerberObject } from './objects.ts';
import { readGerber, type GerberFile } from './read.ts';
import type { Track } from './write.ts';
import { checkDrawing } from '../../curves/check.ts';

/** What a layer is for. */
export type LayerKind = 'profile' | 'copper' | 'mask' | 'legend' | 'score' | 'other';

export interface ReceivedLayer {
  file: string;
  kind: LayerKind;
  side: 'top' | 'bottom' | null;
  /** As the file says it, or its name does. */
  function: string;
  /** What is drawn is open. */
  negative: boolean;
  /** It said itself what it is; else its name was believed. */
  stated: boolean;
  unit: 'mm' | 'in';
  gerber: GerberFile;
}

export interface ReceivedDrill {
  file: string;
  plated: boolean | null;
  drill: DrillFile;
}

/** What a board shop understands from a zip's bytes alone. Lengths in mm. */
export interface ReceivedBoard {
  layers: ReceivedLayer[];
  drills: ReceivedDrill[];
  /** Closed contours of the profile: edges and, within them, cut-outs. */
  outline: Contour[];
  edges: Contour[];
  cutOuts: Contour[];
  /** Files that are for people, and those that nobody knows. */
  others: string[];
  /** As the job file says it; null without one. */
  thickness: number | null;
  mask: string | null;
  findings: Finding[];
}

/** A zip with more files, or larger ones, is no board. */
const mostFiles = 200;
const mostBytes = 300_000_000;

/** Ends of profile lines nearer than this meet, mm. */
const meets = 2e-6;

/** Endings of the trade, and words in names: what a file is that does not say it itself. Common practice, no source. */
const byName: readonly [RegExp, LayerKind, 'top' | 'bottom' | null][] = [
  [/\.g(ko|m1|m)$|profile|outline|edge|\.gml$/i, 'profile', null],
  [/\.gtl$|copper.*top|top.*copper|f[._-]cu/i, 'copper', 'top'],
  [/\.gbl$|copper.*bot|bot.*copper|b[._-]cu/i, 'copper', 'bottom'],
  [/\.gts$|mask.*top|top.*mask|f[._-]mask/i, 'mask', 'top'],
  [/\.gbs$|mask.*bot|bot.*mask|b[._-]mask/i, 'mask', 'bottom'],
  [/\.gto$|(legend|silk).*top|top.*(legend|silk)/i, 'legend', 'top'],
  [/\.gbo$|(legend|silk).*bot|bot.*(legend|silk)/i, 'legend', 'bottom'],
  [/score|v.?cut|\.gm2$/i, 'score', null],
];

/** What the file says of itself. Source: Gerber Layer Format Specification, 5.6.3 (from memory). */
function byAttribute(fields: readonly string[]): { kind: LayerKind; side: 'top' | 'bottom' | null } {
  const [what, ...more] = fields;
  const side = more.some((f) => /^Top$/i.test(f)) ? 'top' : more.some((f) => /^Bot$/i.test(f)) ? 'bottom' : null;
  const kinds: Record<string, LayerKind> = { Profile: 'profile', Copper: 'copper', Soldermask: 'mask', Legend: 'legend', Vcut: 'score' };
  return { kind: kinds[what] ?? 'other', side };
}

/** Whether a text begins as Gerber layers do. */
export const looksLikeGerber = (text: string): boolean => /%FS[LTD][AI][^*]*\*|%MO(MM|IN)\*%/.test(text);

/** The files of a zip, whatever folders they lie in. @throws Unusable for what is no zip, or too much of one */
export function filesInZip(bytes: Uint8Array): { file: string; bytes: Uint8Array }[] {
  let total = 0;
  let count = 0;
  try {
    const inside = unzipSync(bytes, {
      filter: ({ name, originalSize }) => {
        if (name.endsWith('/') || name.startsWith('__MACOSX')) return false;
        total += originalSize;
        if (++count > mostFiles || total > mostBytes)
          throw new Unusable('too-large', 'This zip holds more than a board has.', 'Pack the files of one board alone.');
        return true;
      },
    });
    return Object.entries(inside).map(([name, content]) => ({ file: name.split('/').pop()!, bytes: content }));
  } catch (thrown) {
    if (thrown instanceof Unusable) throw thrown;
    throw new Unusable('no-zip', 'The bytes are no zip that can be opened.', 'Pack the files of the board again.');
  }
}

/**
 * The stand-in of a board shop: reads a zip of layers and drill files and nothing else.
 * @throws Unusable when a file of it can't be read, or nothing of it is a board
 * @example receiveBoard(zip).edges.length
 */
export function receiveBoard(bytes: Uint8Array): ReceivedBoard {
  const out: ReceivedBoard = { layers: [], drills: [], outline: [], edges: [], cutOuts: [], others: [], thickness: null, mask: null, findings: [] };
  for (const { file, bytes: content } of filesInZip(bytes)) sorted(out, file, content);
  if (out.layers.length + out.drills.length === 0)
    throw new Unusable('no-board', 'Nothing in this zip is a Gerber layer or a drill file.', 'Pack the layers and drill files of the board.');
  outlineOf(out);
  layersTold(out);
  return out;
}

function sorted(out: ReceivedBoard, file: string, content: Uint8Array): void {
  const head = new TextDecoder('latin1').decode(content.subarray(0, 4000));
  try {
    if (/\.gbrjob$/i.test(file)) job(out, content);
    else if (looksLikeDrill(head)) drillIn(out, file, content);
    else if (looksLikeGerber(head)) layerIn(out, file, content);
    else out.others.push(file);
  } catch (thrown) {
    const { code, message, remedy } = asUnusable(thrown);
    throw new Unusable(code, `${file}: ${message}`, remedy);
  }
}

function drillIn(out: ReceivedBoard, file: string, content: Uint8Array): void {
  const drill = readDrill(content);
  const byItsName = /npth|non.?plated|bare/i.test(file) ? false : /pth|plated/i.test(file) ? true : null;
  out.drills.push({ file, plated: drill.plated ?? byItsName, drill });
  out.findings.push(...drill.findings.map((f) => ({ ...f, message: `${file}: ${f.message}` })));
}

function layerIn(out: ReceivedBoard, file: string, content: Uint8Array): void {
  const gerber = readGerber(content);
  const said = gerber.attributes.get('.FileFunction');
  const guess = byName.find(([words]) => words.test(file));
  const { kind, side } = said ? byAttribute(said) : { kind: guess?.[1] ?? ('other' as const), side: guess?.[2] ?? null };
  const negative = said ? gerber.attributes.get('.FilePolarity')?.[0] === 'Negative' : kind === 'mask';
  out.layers.push({ file, kind, side, function: said?.join(',') ?? kind, negative, stated: said !== undefined, unit: gerber.unit, gerber });
  out.findings.push(...gerber.findings.map((f) => ({ ...f, message: `${file}: ${f.message}` })));
}

function job(out: ReceivedBoard, content: Uint8Array): void {
  try {
    const said = JSON.parse(new TextDecoder().decode(content)) as {
      GeneralSpecs?: { BoardThickness?: number };
      MaterialStackup?: { Type?: string; Color?: string }[];
    };
    out.thickness = typeof said.GeneralSpecs?.BoardThickness === 'number' ? said.GeneralSpecs.BoardThickness : null;
    out.mask = said.MaterialStackup?.find((l) => l.Type === 'SolderMask')?.Color ?? null;
  } catch {
    out.findings.push({
      code: 'bad-job',
      severity: 'look',
      count: 1,
      message: 'The job file is no JSON; thickness and mask are not known.',
      remedy: 'Write it again.',
    });
  }
}

/** Lines of strokes and outlines of regions, as contours. */
export function contoursOfGerber(objects: readonly GerberObject[]): Contour[] {
  const out: Contour[] = [];
  for (const o of objects) {
    if (o.kind === 'stroke') out.push({ ...contourOf([o.track], false), width: o.aperture.diameter ?? undefined });
    if (o.kind === 'region') for (const c of o.chains) out.push(contourOf([...c], true));
  }
  return out;
}

/** Contours chained into closed ones where they meet. */
export function chainedContours(contours: Contour[]): Contour[] {
  const drawing: Drawing = { layers: [{ name: '', colour: null, lineType: 'CONTINUOUS', contours }], texts: [], points: [] };
  return chained(drawing, meets).drawing.layers.flatMap((l) => l.contours);
}

const stop = (code: string, message: string, remedy: string): Finding => ({ code, severity: 'stop', count: 1, message, remedy });

function outlineOf(out: ReceivedBoard): void {
  const profiles = out.layers.filter((l) => l.kind === 'profile');
  if (profiles.length === 0) {
    out.findings.push(stop('no-profile', 'There is no layer with the outline of the board (profile).', 'Write the profile, and pack it too.'));
    return;
  }
  if (profiles.length > 1)
    out.findings.push(
      stop('two-profiles', `${profiles.length} layers say that they are the outline: ${profiles.map((p) => p.file).join(', ')}.`, 'Leave one of them.'),
    );
  const contours = chainedContours(contoursOfGerber(profiles[0].gerber.objects));
  const open = contours.filter((c) => !c.closed);
  if (open.length > 0)
    out.findings.push(
      stop(
        'open-profile',
        `${open.length} ${open.length === 1 ? 'line' : 'lines'} of the outline ${open.length === 1 ? 'is' : 'are'} open; the shop can't tell what is board.`,
        'Close the outline.',
      ),
    );
  const closed = contours.filter((c) => c.closed);
  const drawing: Drawing = { layers: [{ name: '', colour: null, lineType: 'CONTINUOUS', contours: closed }], texts: [], points: [] };
  const { doubles, crossings, overlaps } = checkDrawing(drawing);
  if (doubles.length + overlaps.length > 0)
    out.findings.push(stop('double-profile', 'A line of the outline is drawn twice; it would be routed twice.', 'Take one of them away.'));
  if (crossings.length > 0)
    out.findings.push(
      stop('crossing-profile', `The outline crosses itself at ${crossings.length} ${crossings.length === 1 ? 'place' : 'places'}.`, 'Mend the outline.'),
    );
  if (closed.length === 0) {
    out.findings.push(stop('no-outline', 'The profile holds no closed outline.', 'Close the outline.'));
    return;
  }
  out.outline = closed;
  const nested = nest(drawing);
  out.edges = nested.filter((n) => n.depth % 2 === 0).map((n) => closed[n.contour]);
  out.cutOuts = nested.filter((n) => n.depth % 2 === 1).map((n) => closed[n.contour]);
}

function layersTold({ layers, drills, others, findings }: ReceivedBoard): void {
  for (const l of layers) {
    if (!l.stated)
      findings.push({
        code: 'unsaid-layer',
        severity: l.kind === 'other' ? 'stop' : 'look',
        count: 1,
        message: `${l.file} does not say what it is; ${l.kind === 'other' ? 'nobody knows where it belongs' : `by its name it is ${l.kind}${l.side ? `, ${l.side}` : ''}`}.`,
        remedy: 'Write X2 attributes, or name it by the trade.',
      });
    if (l.gerber.worstArc > 1e-3)
      findings.push({
        code: 'bad-arc',
        severity: 'look',
        count: 1,
        message: `${l.file}: an arc ends ${l.gerber.worstArc.toFixed(4)} mm nearer to or farther from its middle than it begins.`,
        remedy: 'Export it with more decimals.',
      });
  }
  for (const kind of ['copper', 'mask', 'legend'] as const)
    for (const side of ['top', 'bottom'] as const) {
      const same = layers.filter((l) => l.kind === kind && l.side === side && !/L\d\d|,Inr/.test(l.function));
      if (same.length > 1) findings.push(stop('two-layers', `${same.map((l) => l.file).join(' and ')} are both ${kind}, ${side}.`, 'Leave one of them.'));
    }
  for (const d of drills)
    if (d.plated === null)
      findings.push({
        code: 'unsaid-plating',
        severity: 'look',
        count: 1,
        message: `${d.file} does not say whether its holes are plated.`,
        remedy: 'Write its file function, or name it PTH or NPTH.',
      });
  const unknown = others.filter((f) => !/\.(txt|md|pdf|html?|csv)$/i.test(f));
  if (unknown.length > 0)
    findings.push({
      code: 'unknown-file',
      severity: 'look',
      count: unknown.length,
      message: `Nobody reads ${unknown.slice(0, 5).join(', ')}${unknown.length > 5 ? ' and others' : ''}: neither Gerber nor a drill file.`,
      remedy: 'Leave them out, or export them as Gerber.',
    });
}

/** Holes and slots of all drill files, each with whether it is plated. */
export function drilledOf({ drills }: Pick<ReceivedBoard, 'drills'>): {
  holes: { at: P2; diameter: number; plated: boolean | null }[];
  slots: { path: Track[]; width: number; plated: boolean | null }[];
} {
  const each = drills.flatMap(({ drill, plated }) => drill.tools.map((t) => ({ t, plated })));
  return {
    holes: each.flatMap(({ t, plated }) => t.holes.map((at) => ({ at, diameter: t.diameter, plated }))),
    slots: each.flatMap(({ t, plated }) => t.slots.map((path) => ({ path, width: t.diameter, plated }))),
  };
}

export const toolsOf = ({ drills }: Pick<ReceivedBoard, 'drills'>): DrillTool[] => drills.flatMap((d) => d.drill.tools);

/** Length of edges and cut-outs, and the area that is board before it is drilled, mm and mm2. */
export const outlineFigures = ({ outline, edges, cutOuts }: Pick<ReceivedBoard, 'outline' | 'edges' | 'cutOuts'>): { length: number; area: number } => ({
  length: outline.reduce((sum, c) => sum + lengthOfContour(c), 0),
  area: edges.reduce((sum, c) => sum + Math.abs(areaOfContour(c)), 0) - cutOuts.reduce((sum, c) => sum + Math.abs(areaOfContour(c)), 0),
});
