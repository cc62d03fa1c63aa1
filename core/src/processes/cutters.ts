import { checkDrawing, type DrawingCheck } from '../curves/check.ts';
import { boxOfContour, boxOfDrawing, transformedDrawing, type Contour, type Drawing, type Meaning } from '../curves/drawing.ts';
import { circleDiameters, cutThrough, meantContours, type Meant } from '../drawing/meaning.ts';
import Flatbush from 'flatbush';
import { flattened } from '../curves/flatten.ts';
import { pointInside } from '../curves/nest.ts';
import { distance, endOf, isFull, pointAt, startOf, type P2 } from '../curves/segment.ts';
import { lengthOf } from '../curves/measure.ts';
import { Unusable, type Finding } from '../base/finding.ts';
import { readDxf, versionNames } from '../formats/dxf/read.ts';
import { pdfMargin, scaleLine } from '../formats/pdf/write.ts';
import { readPdf } from '../formats/pdf/read.ts';
import { readSvg } from '../formats/svg/read.ts';
import { firstDrawingRecipe } from '../model/drawing-recipe.ts';
import { mmPer } from '../base/readings.ts';
import { meaningFor } from '../receivers/looks.ts';
import { formatNames, onlyParts, type Cutter, type FileFormat, type Receiver } from '../receivers/receivers.ts';
import { tinyFindings } from './tiny.ts';

/** One contour in the order in which it is cut. */
export interface CutStep {
  number: number;
  meaning: Meaning;
  layer: string;
  length: number;
  closed: boolean;
  start: P2;
}

/** What a machine for sheets understood from the bytes of a file alone. Lengths in mm under its own assumptions, times in s. */
export interface ReceivedDrawing {
  kind: 'drawing';
  receiver: string;
  drawing: Drawing;
  check: DrawingCheck;
  meant: Meant[];
  diameters: number[];
  /** Unit that the file states, and what the machine took its numbers for. */
  unit: string | null;
  taken: string;
  version: string;
  bytes: number;
  findings: Finding[];
  order: CutStep[];
  cut: number;
  travel: number;
  time: number;
}

/**
 * The stand-in of a laser's, router's or plotter's software: reads the bytes and nothing else, under its own rules.
 * @throws Unusable when it does not take the format, version or entities.
 */
export async function receiveDrawing(bytes: Uint8Array, format: FileFormat, receiver: Receiver): Promise<ReceivedDrawing> {
  onlyParts(receiver);
  const { cutter } = receiver;
  if (!cutter || !receiver.formats.includes(format)) {
    throw new Unusable(
      'format-refused',
      `${receiver.name} does not read ${formatNames[format]}; it reads ${receiver.formats.map((f) => formatNames[f]).join(', ')}.`,
      'Choose one of these formats on the File step, or another machine.',
    );
  }
  const read = await understood(bytes, format, receiver);
  const check = checkDrawing(read.drawing);
  // A machine with names of its own knows layers by them.
  const byLayer = Object.fromEntries(read.drawing.layers.flatMap(({ name }) => (meaningFor(name, cutter) ? [[name, meaningFor(name, cutter)!]] : [])));
  const recipe = { ...firstDrawingRecipe(), holeMost: 60, byLayer };
  const meant = meantContours(read.drawing, recipe);
  const order = cutOrder(meant);
  let cut = 0;
  let travel = 0;
  let at: P2 = [0, 0];
  for (const step of order) {
    cut += step.length;
    travel += distance(at, step.start);
    const { contour } = meant[step.number];
    at = endOf(contour.segments[contour.segments.length - 1]);
  }
  const passes = cutter.kind === 'router' && cutter.pass > 0 ? Math.ceil(receiver.bed[2] / cutter.pass) : 1;
  return {
    kind: 'drawing',
    receiver: receiver.id,
    drawing: read.drawing,
    check,
    meant,
    diameters: circleDiameters(meant.map((m) => m.contour)),
    unit: read.unit,
    taken: read.taken,
    version: read.version,
    bytes: bytes.length,
    findings: [...read.findings, ...cutterFindings(receiver, bytes.length, check, read)],
    order,
    cut,
    travel,
    time:
      cutter.feed > 0
        ? ((cut * (cutter.kind === 'router' ? Math.min(passes, 3) : 1)) / cutter.feed + travel / cutter.rapid) * 60 + order.length * cutter.pierce
        : 0,
  };
}

type Understood = Pick<ReceivedDrawing, 'drawing' | 'unit' | 'taken' | 'version' | 'findings'> & { sheet?: [number, number] };

async function understood(bytes: Uint8Array, format: FileFormat, receiver: Receiver): Promise<Understood> {
  if (format === 'dxf') return understoodDxf(bytes, receiver);
  return format === 'svg' ? understoodSvg(bytes, receiver.cutter!) : understoodPdf(bytes);
}

function understoodDxf(bytes: Uint8Array, receiver: Receiver): Understood {
  const cutter = receiver.cutter!;
  const file = readDxf(bytes);
  const version = versionNames[file.version] ?? file.version;
  if (!(cutter.versions as string[]).includes(version)) {
    throw new Unusable(
      'version-refused',
      `${receiver.name} does not read DXF ${version}; it reads ${cutter.versions.join(', ')}.`,
      'Choose one of these versions on the File step.',
    );
  }
  const curves = (file.kinds.SPLINE ?? 0) + (file.kinds.ELLIPSE ?? 0);
  if (!cutter.curves && curves > 0) {
    throw new Unusable(
      'curves-refused',
      `${receiver.name} takes lines and arcs only, and the file holds ${curves} splines or ellipses.`,
      'Let curves become arcs (File step), within a deviation.',
    );
  }
  const findings = file.findings.filter((f) => f.code !== 'texts');
  if (file.unit !== null && !cutter.readsUnit && file.unit !== receiver.unit) {
    // The machine sees bare numbers: what the reader turned into mm is turned back.
    const back = mmPer(receiver.unit) / mmPer(file.unit);
    return { drawing: transformedDrawing(file.drawing, [back, 0, 0, back, 0, 0]), unit: file.unit, taken: receiver.unit, version, findings };
  }
  return { drawing: file.drawing, unit: file.unit, taken: file.unit ?? receiver.unit, version, findings };
}

function understoodSvg(bytes: Uint8Array, { perInch }: Cutter): Understood {
  const { drawing, unit, version, findings } = readSvg(bytes, 'groups', perInch !== null);
  const perNumber = perInch !== null ? 25.4 / perInch : unit === null ? 25.4 / 96 : 1;
  return {
    drawing: perNumber === 1 ? drawing : transformedDrawing(drawing, [perNumber, 0, 0, perNumber, 0, 0]),
    unit,
    taken: perInch !== null ? `${perInch} per inch` : (unit ?? '96 per inch'),
    version,
    findings,
  };
}

/** A page with its scale line taken off. */
async function understoodPdf(bytes: Uint8Array): Promise<Understood> {
  const said = { unit: 'mm', taken: 'true scale', version: 'PDF', findings: [] };
  const file = await readPdf(bytes);
  if (file.tiled) return { ...said, drawing: file.drawing, sheet: file.page };
  const isScale = ({ segments }: Contour) => segments.length === 1 && Math.abs(lengthOf(segments[0]) - scaleLine) < 1e-3 && startOf(segments[0])[1] < pdfMargin;
  const layers = file.drawing.layers.map((l) => ({ ...l, contours: l.contours.filter((c) => !isScale(c)) })).filter((l) => l.contours.length > 0);
  return { ...said, drawing: transformedDrawing({ ...file.drawing, layers }, [1, 0, 0, 1, -pdfMargin, -pdfMargin]) };
}

/** Engraving and scoring first, then inside out; among equals the nearest start. Common practice: what is cut free may move. */
export function cutOrder(meant: readonly Meant[]): CutStep[] {
  const rank: Record<Meaning, number> = {
    label: 0,
    engrave: 1,
    fill: 1,
    lead: 3,
    score: 2,
    mark: 1,
    bend: 2,
    'bend-up': 2,
    'bend-down': 2,
    'bend-edge': 2,
    pocket: 3,
    hole: 4,
    small: 5,
    cut: 5,
    stock: 9,
  };
  const groups = new Map<number, number[]>();
  const within = depthAround(meant);
  meant.forEach((m, i) => {
    // A line that parts what is within an outline goes before that outline, after all that is within deeper.
    if (cutThrough.has(m.meaning) && m.depth < 0 && within(m) >= 0) {
      const key = 4000 + 2 * (500 - Math.min(499, within(m)));
      groups.set(key, [...(groups.get(key) ?? []), i]);
      return;
    }
    // What is cut through goes inside out at any depth: what lies in a hole before the hole, that before what is around it.
    const key = cutThrough.has(m.meaning) ? 4000 + 2 * (500 - Math.min(499, Math.max(0, m.depth))) + (m.meaning === 'hole' ? 0 : 1) : rank[m.meaning] * 1000;
    const group = groups.get(key);
    if (group) group.push(i);
    else groups.set(key, [i]);
  });
  const out: CutStep[] = [];
  let at: P2 = [0, 0];
  for (const key of [...groups.keys()].sort((a, b) => a - b)) {
    const left = groups.get(key)!.map((i) => ({ i, start: startOf(meant[i].contour.segments[0]) }));
    // Nearest next for jobs of a usual size; larger ones in sweeps from the left.
    const sweeps = left.length > 3000;
    if (sweeps) left.sort((a, b) => a.start[0] - b.start[0]);
    while (left.length > 0) {
      let best = 0;
      if (!sweeps) for (let k = 1; k < left.length; k++) if (distance(at, left[k].start) < distance(at, left[best].start)) best = k;
      const [{ i, start }] = sweeps ? [left.shift()!] : left.splice(best, 1);
      const m = meant[i];
      out.push({
        number: i,
        meaning: m.meaning,
        layer: m.layer,
        length: m.contour.segments.reduce((n, s) => n + lengthOf(s), 0),
        closed: m.contour.closed,
        start,
      });
      at = endOf(m.contour.segments[m.contour.segments.length - 1]);
    }
  }
  return out;
}

/** For an open cut the depth of the innermost closed cut around its first piece; -1: there is none. */
function depthAround(meant: readonly Meant[]): (m: Meant) => number {
  if (!meant.some((m) => m.depth < 0 && cutThrough.has(m.meaning))) return () => -1;
  const closed = meant.filter((m) => m.depth >= 0 && cutThrough.has(m.meaning));
  const rings = closed.map((m) => flattened(m.contour.segments, 0.01).flat());
  const index = new Flatbush(Math.max(1, closed.length));
  if (closed.length === 0) index.add(0, 0, 0, 0);
  for (const m of closed) index.add(...boxOfContour(m.contour));
  index.finish();
  return ({ contour }) => {
    const [s] = contour.segments;
    const [x, y] = s.kind === 'spline' ? startOf(s) : pointAt(s, 0.5);
    return index.search(x, y, x, y).reduce((deep, k) => (k < closed.length && pointInside(rings[k], x, y) ? Math.max(deep, closed[k].depth) : deep), -1);
  };
}

/** What a machine finds odd in a drawing. `sheet`: size of each sheet of a file of several, mm; absent when the drawing lies on one. */
function cutterFindings(receiver: Receiver, bytes: number, check: DrawingCheck, { drawing, sheet }: { drawing: Drawing; sheet?: [number, number] }): Finding[] {
  const cutter = receiver.cutter!;
  const found: Finding[] = [];
  const [left, bottom, right, top] = boxOfDrawing(drawing);
  const size = [right - left, top - bottom];
  // Sheets that are laid together go through one by one.
  const one = sheet ?? size;
  const over = one.map((s, k) => s - receiver.bed[k]);
  if (Math.max(...over) > 1e-6) {
    const k = over[0] > over[1] ? 0 : 1;
    found.push({
      code: 'off-the-bed',
      severity: 'stop',
      count: 1,
      message: `Too large for ${receiver.name}: ${over[k].toFixed(1)} mm too long along ${'XY'[k]} (${one.map((s) => s.toFixed(1)).join(' × ')} mm on ${receiver.bed[0]} × ${receiver.bed[1]} mm).`,
      remedy: 'Check the unit on the Size step, turn it, or choose a larger machine.',
    });
  }
  found.push(...tinyFindings(receiver, Math.max(...size)));
  if (bytes > receiver.mostBytes)
    found.push({
      code: 'too-heavy',
      severity: 'stop',
      count: 1,
      message: `${(bytes / 1e6).toFixed(1)} MB: ${receiver.name} takes ${receiver.mostBytes / 1e6} MB.`,
      remedy: 'Fit arcs, or write fewer layers.',
    });
  if (check.doubles.length > 0)
    found.push({
      code: 'cut-twice',
      severity: 'look',
      count: check.doubles.length,
      message: `${check.doubles.length} pieces would be cut twice.`,
      remedy: 'Drop doubles on the Soundness step.',
    });
  if (cutter.kind === 'router') {
    const small = drawing.layers
      .flatMap((l) => l.contours)
      .filter((c) => c.segments.length === 1 && c.segments[0].kind === 'arc' && isFull(c.segments[0]) && c.segments[0].radius * 2 < cutter.kerf - 1e-9);
    if (small.length > 0) {
      const least = Math.min(...circleDiameters(small));
      found.push({
        code: 'smaller-than-bit',
        severity: 'look',
        count: small.length,
        message: `${small.length === 1 ? 'One circle is' : `${small.length} circles are`} smaller than the bit of ${cutter.kerf} mm; the smallest is ${least.toFixed(2)} mm.`,
        remedy: 'Fine when the file holds the path of the bit; else drill them, or take a smaller bit.',
      });
    }
  }
  return found;
}
