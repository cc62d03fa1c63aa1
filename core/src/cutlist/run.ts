import { unzipSync } from 'fflate';
import { Unusable, type Finding } from '../base/finding.ts';
import { sha256 } from '../base/sha256.ts';
import { checkDrawing } from '../curves/check.ts';
import { cutThrough } from '../drawing/meaning.ts';
import { partOfDrawing } from '../drawing/part.ts';
import { firstDrawingRecipe } from '../model/drawing-recipe.ts';
import { heldFiles } from '../pipeline/held.ts';
import { makeOneFile, type Keep, type Tools } from '../pipeline/one-file.ts';
import { receiveDrawing, type ReceivedDrawing } from '../processes/cutters.ts';
import { evidenceOf, evidenceOfFiles, withFindings, type Evidence } from '../prove/evidence.ts';
import { firstRecipe, safeFileName, type Recipe } from '../recipe/recipe.ts';
import type { FileFormat, Receiver } from '../receivers/receivers.ts';
import type { LetterFiles } from '../text/letters.ts';
import { cutListCsv, type CsvHow } from './csv.ts';
import type { NestChoice, StockSheet } from './how.ts';
import { labelPages, labelsOf } from './labels.ts';
import type { Nest } from './nested.ts';
import type { FoundSheet } from './found.ts';
import { runEvidence, sheetClaims } from './prove-sheet.ts';
import { planPages, type SheetFigures } from './report.ts';
import { badNames, sheetDrawing } from './sheet-drawing.ts';
import type { CutRow } from './row.ts';

/** A file that was made for a nest. */
export interface NestFile {
  name: string;
  bytes: number;
  sha256: string;
  evidence: Evidence | null;
  /** Number of the sheet from 0; null for what is about all of them. */
  sheet: number | null;
}

export interface NestFiles {
  files: NestFile[];
  /** Over the whole run. */
  evidence: Evidence;
}

export interface NestFileHow {
  receiver: Receiver;
  format: Extract<FileFormat, 'dxf' | 'svg' | 'pdf'>;
  /** Begins every file's name. */
  name: string;
  csv: CsvHow;
}

/** A nest with what it is of. */
export interface Nested {
  rows: readonly CutRow[];
  nest: Nest;
  choice: NestChoice;
}

export interface NestTools {
  tools: Tools;
  letters: LetterFiles;
}

/** Told before each file; true: give up. */
export type NestProgress = (share: number, what: string) => boolean;

/** The first machine that takes the format and all sheets; where none does, the one with the largest bed. Knives, which take nothing away, cut no panels unless there is nothing else. Null when no machine takes the format. */
export function machineFor(sheets: readonly Pick<StockSheet, 'width' | 'height'>[], format: FileFormat, receivers: readonly Receiver[]): Receiver | null {
  const taking = receivers.filter((r) => r.cutter && r.formats.includes(format));
  const sawing = taking.filter((r) => r.cutter!.kerf > 0);
  const able = sawing.length > 0 ? sawing : taking;
  const fits = able.find((r) => sheets.every((s) => s.width <= r.bed[0] + 1e-6 && s.height <= r.bed[1] + 1e-6));
  return fits ?? able.reduce<Receiver | null>((best, r) => (!best || r.bed[0] * r.bed[1] > best.bed[0] * best.bed[1] ? r : best), null);
}

/** What is said of lines that lie on each other. */
const aboutDoubles: ReadonlySet<string> = new Set(['doubles', 'cut-twice', 'touches', 'overlaps']);

/** What is said of contours that do not close, and of lines that cross: where cuts are shared they do both. */
const aboutEnds: ReadonlySet<string> = new Set(['open-contours', 'gaps']);
const aboutCrossing = 'crossings';

/** Whether outlines are open lines on purpose; that they part the sheet as meant is among what is claimed of it. */
const parted = ({ shared, tabs }: NestChoice): boolean => !!shared || !!tabs;

/** Whether a finding about lines is of what they are drawn so for. */
function expected({ code }: Finding, choice: NestChoice, received: ReceivedDrawing): boolean {
  if (parted(choice) && aboutEnds.has(code)) return true;
  if (choice.shared && code === aboutCrossing) return true;
  return aboutDoubles.has(code) && endsOfPockets(received);
}

/** Whether nothing lies on something else but open ends of pockets on outlines, as they must: what is cut through by itself, and every other layer by itself. */
function endsOfPockets({ drawing, meant }: ReceivedDrawing): boolean {
  let n = 0;
  const through = drawing.layers.map((l) => ({ ...l, contours: l.contours.filter(() => cutThrough.has(meant[n++].meaning)) }));
  const rest = drawing.layers.map((l, i) => ({ ...l, contours: l.contours.filter((c) => !through[i].contours.includes(c)) }));
  const sets = [through, ...rest.map((l) => [l])].filter((layers) => layers.some((l) => l.contours.length > 0));
  return sets.every((layers) => {
    const { doubles, overlaps } = checkDrawing({ ...drawing, layers });
    return doubles.length + overlaps.length === 0;
  });
}

const named = (title: string) => ({ name: title, path: [title], quantity: 1, unit: 'mm', format: 'made here' as const });

/** The recipe under which a sheet is written: as drawn, its layers as they are called. */
function sheetRecipe(how: NestFileHow): Recipe {
  const part = partOfDrawing({ layers: [], texts: [], points: [] }, named('sheet'));
  const recipe = firstRecipe(part.summary, [how.receiver]);
  const usual = firstDrawingRecipe();
  const { cutter } = how.receiver;
  if (!cutter) throw new Unusable('not-a-cutter', `${how.receiver.name} takes no drawings.`, 'Choose a laser, router or plotter.');
  return {
    ...recipe,
    receiver: how.receiver,
    file: { ...recipe.file, format: how.format, unit: 'mm' },
    drawing: { ...usual, place: { ...usual.place, datum: 'drawn' }, version: cutter.versions.includes('2000') ? '2000' : cutter.versions[0], keepLayers: true },
  };
}

/**
 * Writes one file a sheet, the cut list, labels and the plan; each sheet's file is read back from its stored bytes by the machine's stand-in, which finds
 * every part again by its shape. @throws Unusable when layers have bad names, or a file can't be written; Cancelled never: null when given up
 */
export async function nestFiles(
  { rows, nest, choice }: Nested,
  how: NestFileHow,
  { tools, letters, keep }: NestTools & { keep: Keep },
  progress: NestProgress = () => false,
): Promise<NestFiles | null> {
  const bad = badNames(choice.names);
  if (bad) throw new Unusable('bad-layer-names', bad, 'Give each kind a name of its own.');
  const listed = new Set(rows.map((r) => r.key));
  if (nest.sheets.some((s) => s.parts.some((p) => !listed.has(p.row))))
    throw new Unusable('not-on-the-list', 'A part that is laid on a sheet is not on the list any more.', 'Lay the parts out again.');
  const engine = await tools.engine();
  const files: NestFile[] = [];
  const found: FoundSheet[] = [];
  const figures: (SheetFigures | null)[] = [];
  const title = safeFileName(how.name);
  const recipe = sheetRecipe(how);
  for (const [i, sheet] of nest.sheets.entries()) {
    if (progress((0.9 * i) / nest.sheets.length, `sheet ${i + 1} of ${nest.sheets.length}`)) return null;
    const drawn = await sheetDrawing(nest, i, { rows, choice }, { engine, letters });
    const part = partOfDrawing(drawn.drawing, named(`${title}_${safeFileName(sheet.name)}_${i + 1}`));
    const of = new Set(sheet.parts.map((p) => p.row));
    const own = rows.filter((r) => of.has(r.key)).flatMap((r) => r.findings.map((f) => ({ ...f, message: `${r.name}: ${f.message}` })));
    const name = `${title}_${safeFileName(sheet.name)}_${String(i + 1).padStart(2, '0')}_${safeFileName(stockText(sheet.stock))}.${how.format}`;
    const made = await makeOneFile(part, recipe, tools, (_, pieces) => keep(name, pieces));
    const received = await receiveDrawing(made.bytes, how.format, how.receiver);
    // A page has no layers and splits no meanings: its parts are found by all that it shows.
    const claims = how.format === 'pdf' ? null : sheetClaims(sheet, { rows, choice, engine }, received);
    if (claims) found.push(claims.found);
    const plain = made.evidence.findings.filter((f) => !expected(f, choice, received));
    const proved = claims ? evidenceOf([...claims.claims, ...made.evidence.claims], plain) : made.evidence;
    const told = [...own, ...drawn.findings, ...part.findings.filter((f) => !aboutDoubles.has(f.code) && !expected(f, choice, received))];
    const evidence = withFindings(proved, told);
    files.push({ name, bytes: made.bytes.length, sha256: sha256([made.bytes]), evidence, sheet: i });
    figures.push({ file: name, cut: received.cut, time: received.time, verdict: evidence.verdict });
  }
  const evidence = withFindings(found.length === nest.sheets.length ? runEvidence({ rows, choice }, found, nest.notPlaced) : evidenceOf([], []), [
    ...notPlacedFindings(rows, nest),
    ...(how.format === 'pdf' ? [notFoundAgain] : []),
  ]);
  if (progress(0.92, 'list, labels and plan')) return null;
  const plain = async (name: string, bytes: Uint8Array) => {
    const kept = await keep(name, [bytes]);
    files.push({ name, bytes: kept.length, sha256: sha256([kept]), evidence: null, sheet: null });
  };
  await plain(`${title}_cut-list.csv`, new TextEncoder().encode(cutListCsv(rows, how.csv)));
  await plain(`${title}_labels.pdf`, await labelPages(labelsOf(rows, nest), `${how.name}: labels`, letters));
  await plain(`${title}_plan.pdf`, await planPages({ title: `${how.name}: cut list`, rows, nest, figures }, letters));
  progress(1, '');
  return { files, evidence };
}

/** Said of sheets that have no layers to find parts by. */
const notFoundAgain: Finding = {
  code: 'parts-not-found',
  severity: 'look',
  count: 1,
  message: 'A page has no layers: its sheets are held against their drawing, but parts were not found again in them one by one.',
  remedy: 'Write DXF or SVG for the machine, and take the page as a picture.',
};

const stockText = (stock: string): string =>
  stock
    .replace(/any material, /, '')
    .replace(/, /g, '_')
    .replace(/any thickness/, '')
    .replace(/ mm$/, 'mm') || 'mm';

function notPlacedFindings(rows: readonly CutRow[], nest: Nest): Finding[] {
  return nest.notPlaced.map(({ row, copies, why }) => {
    const name = rows.find((r) => r.key === row)?.name ?? row;
    return {
      code: 'not-placed',
      severity: 'stop',
      count: copies,
      message: `${copies} × ${name} ${copies === 1 ? 'is' : 'are'} on no sheet. ${why}`,
      remedy: 'Add a sheet that is large enough, or let it be turned.',
    };
  });
}

/** Everything that was made for a nest as one file. */
export interface NestZip {
  fileName: string;
  bytes: Uint8Array;
  /** The run, and each sheet by its worst. */
  evidence: Evidence;
  files: NestFile[];
}

/** Sheets, list, labels and plan in one zip: equal inputs give equal bytes. Null when given up. */
export async function nestZip(of: Nested, how: NestFileHow, tools: NestTools, progress: NestProgress = () => false): Promise<NestZip | null> {
  const { keep, zip } = heldFiles();
  const done = await nestFiles(of, how, { ...tools, keep }, progress);
  if (!done) return null;
  return { fileName: `${safeFileName(how.name)}_sheets.zip`, bytes: zip(), evidence: whole(done), files: done.files };
}

/** Everything that a nest's files say, as one piece of evidence. */
function whole({ files, evidence }: NestFiles): Evidence {
  const sheets = files.flatMap(({ name, evidence: e, sheet }) => (e ? [{ name, evidence: e, before: sheet === null ? '' : `Sheet ${sheet + 1}: ` }] : []));
  return evidenceOfFiles(sheets, evidence);
}

/** The sheet files within a nest's zip, in their order: what goes to the machine. */
export const sheetsInZip = (bytes: Uint8Array): { name: string; bytes: Uint8Array }[] =>
  Object.entries(unzipSync(bytes))
    .filter(([name]) => !/_(labels|plan)\.pdf$|_cut-list\.csv$/.test(name))
    .map(([name, content]) => ({ name, bytes: content }));
