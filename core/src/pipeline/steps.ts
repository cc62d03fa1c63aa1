import type { DrawingFigures, PartSummary } from '../model/design.ts';
import type { Evidence } from '../prove/evidence.ts';
import { worst, type Finding, type Severity } from '../base/finding.ts';
import { scaleOf, usualReading, type Recipe } from '../recipe/recipe.ts';
import type { Receiver } from '../receivers/receivers.ts';
import { readings } from '../base/readings.ts';
import { sideDown } from '../stance/stance.ts';

export const stepNames = ['Source', 'Size', 'Soundness', 'Stance', 'Facets', 'File', 'Received'] as const;
export type StepName = (typeof stepNames)[number];

/** A cell of the ledger: the figure that decides, one line of context, and how far the thread runs. */
export interface StepState {
  step: StepName;
  mark: Severity | 'none';
  figure: string;
  context: string;
  /** What is wrong and what mends it, when the mark is look or stop. */
  finding: Finding | null;
}

interface PartState {
  summary: PartSummary;
  findings: Finding[];
  recipe: Recipe;
  quantity: number;
}

interface FileStateOf {
  state: 'queued' | 'writing' | 'written' | 'failed';
  fileName: string | null;
  bytes: number | null;
  evidence: Evidence | null;
  failure: { code: string; message: string; remedy: string } | null;
  stale: boolean;
  recipe: Recipe;
}

/** Three lengths in mm with as many digits as matter. */
export function threeLengths(size: readonly number[]): string {
  return size.map((s) => lengthText(s)).join(' × ');
}

/** A length in mm: two decimals under 10, one above, more for the tiny. */
export function lengthText(mm: number): string {
  const a = Math.abs(mm);
  if (a >= 10) return mm.toFixed(1);
  return a >= 0.1 || a === 0 ? mm.toFixed(2) : mm.toPrecision(2);
}

/** Bytes as people read them. */
export function bytesText(bytes: number): string {
  if (bytes < 1000) return `${bytes} B`;
  return bytes < 1e6 ? `${(bytes / 1e3).toFixed(1)} kB` : `${(bytes / 1e6).toFixed(1)} MB`;
}

/** The seven cells of a part's row. Steps after a stop are not reached. */
export function stepsOf(part: PartState, file: FileStateOf | null): StepState[] {
  const steps = [source(part), size(part), soundness(part), stance(part), facets(part), fileStep(file), received(file)];
  const stopped = steps.findIndex((s) => s.mark === 'stop');
  if (stopped >= 0 && !file?.evidence) {
    for (let i = stopped + 1; i < steps.length; i++) steps[i] = { ...steps[i], mark: 'none', finding: null, figure: '', context: '' };
  }
  return steps;
}

function worstFinding(findings: Finding[]): Finding | null {
  const severity = worst(findings.map((f) => f.severity));
  return severity === 'clear' ? null : (findings.find((f) => f.severity === severity) ?? null);
}

function source({ summary }: PartState): StepState {
  const what = { solid: '1 solid', mesh: 'mesh', drawing: 'drawing' }[summary.kind];
  return { step: 'Source', mark: 'clear', figure: summary.format, context: `${what}, ${summary.unit ?? 'no unit'}`, finding: null };
}

/** Whether the size is believable: files without a unit are judged by the receiver's bed. */
export function sizeFinding(summary: PartSummary, recipe: Recipe): Finding | null {
  const scale = scaleOf(summary, recipe);
  const dims = [0, 1, 2].map((k) => (summary.box.max[k] - summary.box.min[k]) * scale) as [number, number, number];
  const { receiver } = recipe;
  const [asMm] = readings(dims, receiver.bed);
  const chosen = recipe.size.reading !== null || summary.unit !== null || recipe.size.factor !== 1;
  if (summary.kind === 'drawing') return flatSizeFinding(summary, dims, receiver, chosen);
  if (!asMm.fitsBed) {
    return {
      code: 'does-not-fit',
      severity: chosen ? 'look' : 'stop',
      count: 1,
      message: `At ${threeLengths(dims)} mm it does not fit the bed of ${receiver.name} (${receiver.bed.join(' × ')} mm).`,
      remedy: chosen ? 'Choose a larger receiver, or divide the part.' : 'Check the unit: its file has none.',
    };
  }
  if (chosen || asMm.likely === 2) return null;
  return {
    code: 'unlikely-size',
    severity: asMm.likely === 0 ? 'stop' : 'look',
    count: 1,
    message: `Read as millimetres it is ${lengthText(Math.max(...dims))} mm at its longest; the file has no unit.`,
    remedy: 'Choose the unit, or give one known length.',
  };
}

const readingWords = (unit: string): string => (unit.endsWith('dpi') ? `at ${unit.slice(0, -3)} per inch` : `as ${unit}`);

/** The same for a drawing: it may be turned on the sheet, and without a unit a look is due in any case for SVG. */
function flatSizeFinding(summary: PartSummary, dims: [number, number, number], receiver: Receiver, chosen: boolean): Finding | null {
  const [long, short] = [Math.max(dims[0], dims[1]), Math.min(dims[0], dims[1])];
  const [bedLong, bedShort] = [Math.max(receiver.bed[0], receiver.bed[1]), Math.min(receiver.bed[0], receiver.bed[1])];
  const shown = `${lengthText(dims[0])} × ${lengthText(dims[1])} mm`;
  if (long > bedLong || short > bedShort) {
    return {
      code: 'does-not-fit',
      severity: chosen ? 'look' : 'stop',
      count: 1,
      message: `At ${shown} it does not fit ${receiver.name} (${receiver.bed[0]} × ${receiver.bed[1]} mm).`,
      remedy: chosen ? 'Choose a larger machine.' : 'Check the unit: its file has none.',
    };
  }
  if (chosen || (summary.format === 'DXF' && long >= 5)) return null;
  const as = summary.format === 'SVG' ? 'at 96 per inch' : 'as millimetres';
  return {
    code: 'unlikely-size',
    severity: long < 1 ? 'stop' : 'look',
    count: 1,
    message: `Read ${as} it is ${shown}; the file has no unit.`,
    remedy: 'Compare the readings, or give one known length.',
  };
}

function size({ summary, recipe }: PartState): StepState {
  const scale = scaleOf(summary, recipe);
  const dims = [0, 1, 2].map((k) => (summary.box.max[k] - summary.box.min[k]) * scale);
  const finding = sizeFinding(summary, recipe);
  const how = summary.unit ? 'mm' : `mm, read ${readingWords(recipe.size.reading ?? usualReading(summary.format))}`;
  const factor = recipe.size.factor === 1 ? '' : `, × ${Number(recipe.size.factor.toPrecision(5))}`;
  return {
    step: 'Size',
    mark: finding?.severity ?? 'clear',
    figure: threeLengths(summary.kind === 'drawing' ? dims.slice(0, 2) : dims),
    context: how + factor,
    finding,
  };
}

function soundness({ summary, findings }: PartState): StepState {
  if (summary.drawing) return flatSoundness(summary.drawing, findings);
  const finding = worstFinding(findings);
  const closed = summary.kind === 'solid' || (summary.openEdges === 0 && summary.nonManifoldEdges === 0 && summary.flippedEdges === 0);
  const open = summary.openEdges ?? 0;
  const context = summary.kind === 'solid' ? `exact, ${summary.faces} faces` : `${open.toLocaleString('en')} open edges`;
  return { step: 'Soundness', mark: finding?.severity ?? 'clear', figure: closed ? 'closed' : open > 0 ? 'open' : 'not closed', context, finding };
}

function stance({ summary, recipe }: PartState): StepState {
  if (summary.drawing && recipe.drawing) return flatPlace(summary, recipe);
  return {
    step: 'Stance',
    mark: 'clear',
    figure: `${sideDown(recipe.stance.turn)} down`.replace('tilted down', 'tilted'),
    context: recipe.stance.how,
    finding: null,
  };
}

function facets({ summary, recipe }: PartState): StepState {
  if (summary.drawing && recipe.drawing) return flatForm(summary.drawing, recipe);
  if (summary.kind === 'mesh') {
    return { step: 'Facets', mark: 'clear', figure: 'as it came', context: `${(summary.triangles ?? 0).toLocaleString('en')} triangles`, finding: null };
  }
  const { deviation, angle, budget } = recipe.facets;
  const most = budget ? `${budget.most.toLocaleString('en')} ${budget.kind} at most` : `turn ${angle}° at most`;
  return { step: 'Facets', mark: 'clear', figure: budget ? 'by budget' : `≤ ${deviation} mm`, context: most, finding: null };
}

function flatSoundness(d: DrawingFigures, findings: Finding[]): StepState {
  const finding = worstFinding(findings);
  const figure = d.openContours === 0 ? 'all closed' : `${d.openContours.toLocaleString('en')} open`;
  return { step: 'Soundness', mark: finding?.severity ?? 'clear', figure, context: `${d.contours.toLocaleString('en')} contours, ${d.holes} holes`, finding };
}

const datumWords = { drawn: 'zero', corner: 'corner', middle: 'middle', point: 'point' };

function flatPlace(summary: PartSummary, recipe: Recipe): StepState {
  const { place, stock } = recipe.drawing!;
  const turned = place.turn === 0 ? '' : `, turned ${place.turn}°`;
  const figure = `${datumWords[place.datum]} at ${place.at.map((v) => Number(v.toFixed(1))).join(', ')}${turned}${place.mirror ? ', mirrored' : ''}`;
  const finding = stock ? stockFinding(summary, recipe) : null;
  const context = stock ? `sheet ${stock.width} × ${stock.height} × ${stock.thickness} mm` : 'no sheet chosen';
  return { step: 'Stance', mark: finding?.severity ?? 'clear', figure, context, finding };
}

/** Whether the drawing fits the sheet as it lies. */
function stockFinding(summary: PartSummary, recipe: Recipe): Finding | null {
  const { place, stock } = recipe.drawing!;
  const scale = scaleOf(summary, recipe);
  const [w, h] = [0, 1].map((k) => (summary.box.max[k] - summary.box.min[k]) * scale);
  const angle = (place.turn * Math.PI) / 180;
  const [c, s] = [Math.abs(Math.cos(angle)), Math.abs(Math.sin(angle))];
  const [tw, th] = [w * c + h * s, w * s + h * c];
  const over = [tw - stock!.width, th - stock!.height];
  if (Math.max(...over) <= 1e-6) return null;
  const k = over[0] > over[1] ? 0 : 1;
  const turns = th <= stock!.width && tw <= stock!.height;
  return {
    code: 'off-the-stock',
    severity: 'stop',
    count: 1,
    message: `The drawing is up to ${over[k].toFixed(1)} mm too long for the sheet along ${'XY'[k]}.`,
    remedy: turns ? 'It fits when turned by 90°.' : 'Take a larger sheet, or check the unit on the Size step.',
  };
}

function flatForm(d: DrawingFigures, recipe: Recipe): StepState {
  const how = recipe.drawing!;
  const pieces = Object.values(d.segments).reduce((n, v) => n + v, 0);
  const extras = [
    how.kerf > 0 ? `kerf ${how.kerf} mm` : 'on the line',
    how.tabs ? `${how.tabs.count} tabs` : '',
    how.relief ? `reliefs ${how.relief} mm` : '',
  ].filter(Boolean);
  return {
    step: 'Facets',
    mark: 'clear',
    figure: extras.join(', '),
    context: `${pieces.toLocaleString('en')} pieces, ${d.layers.length} ${d.layers.length === 1 ? 'layer' : 'layers'}`,
    finding: null,
  };
}

const none = (step: StepName, context = ''): StepState => ({ step, mark: 'none', figure: '', context, finding: null });

function fileStep(file: FileStateOf | null): StepState {
  if (!file) return none('File', 'not written');
  if (file.state === 'queued' || file.state === 'writing') return { ...none('File', 'being written'), figure: '…' };
  if (file.state === 'failed') {
    const failure = file.failure ?? { code: 'failed', message: 'The file could not be written.', remedy: 'Try again.' };
    return { step: 'File', mark: 'stop', figure: 'not written', context: '', finding: { ...failure, severity: 'stop', count: 1 } };
  }
  const unit = file.recipe.file.unit !== 'mm' ? `, ${file.recipe.file.unit}` : ', mm';
  const figure = file.fileName ?? '';
  if (file.stale) {
    const finding: Finding = { code: 'stale', severity: 'look', count: 1, message: 'The part changed after this file was written.', remedy: 'Write it again.' };
    return { step: 'File', mark: 'look', figure, context: 'older than the settings', finding };
  }
  return { step: 'File', mark: 'clear', figure, context: bytesText(file.bytes ?? 0) + unit, finding: null };
}

function received(file: FileStateOf | null): StepState {
  if (!file?.evidence || file.state !== 'written') return none('Received');
  const { claims, findings, verdict } = file.evidence;
  const agree = claims.filter((c) => c.verdict === 'clear').length;
  const bad = claims.find((c) => c.verdict === 'stop');
  const fromClaim: Finding | null = bad
    ? {
        code: 'claim',
        severity: 'stop',
        count: 1,
        message: `${bad.quantity}: designed ${bad.designed}, received ${bad.received} ${bad.unit}.`,
        remedy: 'Check the unit of the file and write it again.',
      }
    : null;
  return { step: 'Received', mark: verdict, figure: verdict, context: `${agree} of ${claims.length} agree`, finding: fromClaim ?? worstFinding(findings) };
}
