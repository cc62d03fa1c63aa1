import { unzipSync } from 'fflate';
import { asUnusable, worst, type Finding, type Severity } from '../base/finding.ts';
import { sha256 } from '../base/sha256.ts';
import { firstDrawingRecipe } from '../model/drawing-recipe.ts';
import { SolidBuilder } from '../kernel/build.ts';
import { measuredSolid, tubeSolid } from '../kernel/tube-build.ts';
import { partOfDrawing } from '../drawing/part.ts';
import { heldFiles } from '../pipeline/held.ts';
import { makeOneFile, type Keep, type Tools } from '../pipeline/one-file.ts';
import { readDesign } from '../pipeline/read.ts';
import { evidenceOf, evidenceOfFiles, same, within, withFindings, type Claim, type Evidence } from '../prove/evidence.ts';
import { noReceiver } from '../receivers/receivers.ts';
import { firstRecipe, safeFileName, type Recipe } from '../recipe/recipe.ts';
import type { LetterFiles } from '../text/letters.ts';
import { marksOf } from '../tubes/marks.ts';
import { pappusOf, stretchesOf } from '../tubes/rebuild.ts';
import { tubesOf } from '../tubes/recognise.ts';
import { developedOf, endOf, startOf, tableOf, type EndCut, type Run } from '../tubes/run.ts';
import { addSolid, emptySkin, type Skin } from '../tubes/skin.ts';
import { readBrepText } from '../surfaces/brep-text.ts';
import { scaled, type Vec3 } from '../geometry/vector.ts';
import { copeOf, type Cope } from './cope.ts';
import { clashFindings, usualSpace, type BenderSpace } from './order.ts';
import { proveTable } from './prove.ts';
import { benderFindings, machineTableOf, type BenderRules, type MachineTable } from './rules.ts';
import { runSheet } from './run-sheet.ts';
import { PartFacets, tubeFindings, type SkinRun, type TubesFound } from './source.ts';
import { bendTableText, pointsText } from './table-file.ts';
import { copeCurve, slantCurve, templateOf } from './template.ts';
import { LineWords } from './words.ts';

/** One kind of run with its number. */
export interface MarkedRun {
  mark: string;
  quantity: number;
  /** Mark that this one is a mirror image of. */
  mirrorOf: string | null;
  found: SkinRun;
  set: MachineTable;
  /** kg each. */
  weight: number;
  ends: [EndOf, EndOf];
  findings: Finding[];
}

/** An end with the tube that it lies on, when it lies on one. */
export interface EndOf {
  cut: EndCut;
  cope: Cope | null;
}

/** A file that was made for a mark. */
export interface TubeFile {
  name: string;
  mark: string;
  format: string;
  bytes: number;
  sha256: string;
  /** Null for sheets that are for people. */
  evidence: Evidence | null;
}

/** What came of one mark. */
export interface MarkDone {
  marked: MarkedRun;
  evidence: Evidence;
  distance: number;
  ends: number;
  /** The tube that its table makes. */
  received: Run;
  files: TubeFile[];
}

/** How the name of a bend table ends. */
const tableEnding = '_bends.csv';

export type TubeFormat = 'step' | 'dxf' | 'pdf' | 'svg';

/** How files are made. */
export interface TubeFileHow {
  /** Which of the solid, the templates and the sheet are written. */
  formats: readonly TubeFormat[];
  bender: BenderRules;
  space: BenderSpace | null;
  /** Puts the quantity into the names. */
  quantity: boolean;
}

/** Numbers the kinds of run, longest first, each with what the machine is set to and what stands in the way. */
export function markedRuns(found: TubesFound, how: Pick<TubeFileHow, 'bender' | 'space'>): MarkedRun[] {
  const marks = marksOf(found.runs, (r) => r.run);
  const order = marks.map((_, i) => i).sort((a, b) => developedOf(marks[b].first.run) - developedOf(marks[a].first.run));
  const names = new Map(order.map((m, i) => [m, `R${i + 1}`]));
  return order.map((m) => {
    const { first, runs, mirrorOf } = marks[m];
    const { run } = first;
    const mark = names.get(m)!;
    const ends = ([0, 1] as const).map((side) => endOfRun(run, side, first.skin)) as [EndOf, EndOf];
    const findings = [
      ...benderFindings(mark, run, how.bender),
      ...clashFindings(mark, run, how.space ?? usualSpace(run.section.width)),
      ...ends.flatMap((e, i) => (e.cut.kind === 'cope' && !e.cope ? [noCope(mark, i)] : [])),
    ];
    const set = machineTableOf(run, how.bender);
    // g/cm3 and mm3: a million of them is a kilogram at density 1.
    const weight = (run.section.area * developedOf(run) * how.bender.density) / 1e6;
    const quantity = Math.max(1, Math.round(runs.reduce((sum, r) => sum + Math.max(...r.bodies.map((b) => found.bodies[b].wanted)), 0)));
    return { mark, quantity, mirrorOf: mirrorOf === null ? null : names.get(mirrorOf)!, found: first, set, weight, ends, findings };
  });
}

const noCope = (mark: string, i: number): Finding => ({
  code: 'no-cope',
  severity: 'look',
  count: 1,
  message: `${mark}, end ${'AB'[i]}: it is hollowed, but no round tube was found that it lies on; no template is made for it.`,
  remedy: 'Bring the other tube in with it.',
});

function endOfRun(run: Run, side: 0 | 1, skin: Skin): EndOf {
  const cut = run.ends[side];
  if (cut.kind !== 'cope' || !cut.points || run.section.shape !== 'round') return { cut, cope: null };
  const piece = side === 0 ? run.pieces[0] : run.pieces[run.pieces.length - 1];
  const [at, out]: [Vec3, Vec3] = side === 0 ? [piece.from, scaled(startOf(piece), -1)] : [piece.to, endOf(piece)];
  const headers = skin.faces.flatMap(({ surface }) => (surface.kind === 'cylinder' ? [{ at: surface.frame.at, along: surface.frame.z, r: surface.r }] : []));
  return { cut, cope: copeOf({ at, out, points: cut.points }, run.section.width / 2, headers, 0.02) };
}

const fileOf = (name: string, mark: string, bytes: Uint8Array, evidence: Evidence | null): TubeFile => ({
  name,
  mark,
  format: name.slice(name.lastIndexOf('.') + 1),
  bytes: bytes.length,
  sha256: sha256([bytes]),
  evidence,
});

/** What making the files needs. */
export interface TubeTools {
  tools: Tools;
  letters: LetterFiles;
  keep: Keep;
}

/**
 * All files of one mark: bend table, points, the solid built anew, templates of its ends and its sheet. The table is read back and the tube bent from it; the
 * solid is read back and looked through for its tube.
 */
export async function markFiles(marked: MarkedRun, found: TubesFound, facets: PartFacets, how: TubeFileHow & TubeTools): Promise<MarkDone> {
  const { mark, quantity } = marked;
  const { run } = marked.found;
  const name = safeFileName(how.quantity ? `${mark}_x${quantity}` : mark);
  const files: TubeFile[] = [];
  const encoder = new TextEncoder();
  const { mesh, points } = await facets.ofRun(marked.found);
  const table = await how.keep(`${name}${tableEnding}`, [encoder.encode(bendTableText(run, marked.set))]);
  const designed = {
    run,
    points,
    mesh,
    deviation: facets.deviation,
    volume: volumeOf(marked.found, found),
    exact: marked.found.skin.exact,
    fit: marked.found.skin.fit,
    moved: marked.found.moved ?? 0,
  };
  const proved = proveTable(designed, table, marked.findings);
  files.push(fileOf(`${name}${tableEnding}`, mark, table, proved.evidence));
  const corners = await how.keep(`${name}_points.csv`, [encoder.encode(pointsText(run))]);
  files.push(fileOf(`${name}_points.csv`, mark, corners, null));
  if (how.formats.includes('step')) files.push(await stepFile(name, marked, how));
  files.push(...(await templates(name, marked, how)));
  const drawn = how.formats.filter((f) => f === 'pdf' || f === 'svg');
  if (drawn.length > 0) {
    const sheet = await runSheet({ mark, quantity, run, set: marked.set, bender: how.bender, weight: marked.weight }, how.letters);
    for (const f of drawn) files.push(fileOf(`${name}_sheet.${f}`, mark, await how.keep(`${name}_sheet.${f}`, [sheet[f]]), null));
  }
  return { marked, evidence: proved.evidence, distance: proved.distance, ends: proved.ends, received: proved.run, files };
}

/** Volume of a run's bodies when nothing else is in them, mm3. */
function volumeOf(run: SkinRun, { bodies, parts, runs }: TubesFound): number | null {
  if (run.run.ends.some((e) => e.kind === 'cope') || runs.some((r) => r !== run && r.bodies.some((b) => run.bodies.includes(b)))) return null;
  return run.bodies.reduce((sum, b) => {
    const { summary, scale } = parts[bodies[b].part];
    return sum + summary.volume * scale ** 3;
  }, 0);
}

/** The solid built anew, written, read back and looked through: the same table, and no surface but planes, cylinders and tori. */
async function stepFile(name: string, { mark, found: { run } }: MarkedRun, { tools, keep }: TubeTools): Promise<TubeFile> {
  const kernel = await tools.working();
  const builder = new SolidBuilder(kernel);
  const solid = tubeSolid(kernel, stretchesOf(run));
  const measured = measuredSolid(kernel, solid);
  const bytes = await keep(`${name}.step`, [builder.step(mark, [{ name: mark, colour: '#8a94a6', shape: solid, places: [[0, 0, 0]] }])]);
  const design = await readDesign(bytes, `${name}.step`, tools.kernels);
  const skin = emptySkin();
  const still = (p: Vec3): Vec3 => p;
  for (const [i, { geometry }] of design.parts.entries())
    if (geometry.kind === 'solid') addSolid(skin, readBrepText(geometry.brep), { number: i, place: still, turn: still, scale: 1 });
  const again = tubesOf(skin).runs;
  const pure = skin.faces.every((f) => ['plane', 'cylinder', 'torus'].includes(f.surface.kind));
  const claims: Claim[] = [
    same('Bodies', 1, design.parts.length),
    same('Runs', 1, again.length),
    same('Planes, cylinders and tori only', 'yes', pure ? 'yes' : 'no'),
    within('Volume', 'mm3', [measured.volume, design.parts.reduce((sum, p) => sum + p.summary.volume, 0)], Math.abs(measured.volume) * 1e-6),
  ];
  const mitred = run.ends.some((e) => e.kind !== 'square') || run.pieces.some((p) => p.kind === 'bend' && p.radius === 0);
  // By Pappus only where the ends are square and nothing is mitred.
  if (!mitred) claims.push(within('Volume, section times centre line', 'mm3', [pappusOf(run).volume, measured.volume], measured.volume * 1e-9));
  if (again.length === 1) claims.push(...tableClaims(run, again[0].run));
  const copes = run.ends.filter((e) => e.kind === 'cope').length;
  const findings: Finding[] = copes === 0 ? [] : [{ code: 'copes-square', severity: 'look', count: copes, message: `${copes === 1 ? 'One end' : 'Both ends'} of ${mark} lie on another tube: in this solid ${copes === 1 ? 'it is' : 'they are'} cut square, at the longest point.`, remedy: 'Cut it to its template after bending.' }]; // prettier-ignore
  return fileOf(`${name}.step`, mark, bytes, withFindings(evidenceOf(claims, []), findings));
}

function tableClaims(a: Run, b: Run): Claim[] {
  const [p, q] = [tableOf(a), tableOf(b)];
  const off =
    p.rows.length === q.rows.length
      ? Math.max(0, ...p.rows.map((r, i) => Math.max(Math.abs(r.length - q.rows[i].length), Math.abs(r.radius - q.rows[i].radius))))
      : Infinity;
  const turns =
    p.rows.length === q.rows.length
      ? Math.max(0, ...p.rows.map((r, i) => Math.max(Math.abs(r.angle - q.rows[i].angle), Math.abs(((r.rotation - q.rows[i].rotation + 540) % 360) - 180))))
      : Infinity;
  return [
    same('Bends', p.rows.length, q.rows.length),
    within('Lengths and radii of its table', 'mm', [0, off], 1e-4),
    within('Angles of its table', 'degrees', [0, turns], 1e-4),
  ];
}

/** Paper templates of ends that are not square, for round tube. */
async function templates(name: string, { mark, found: { run }, ends }: MarkedRun, how: TubeFileHow & TubeTools): Promise<TubeFile[]> {
  const out: TubeFile[] = [];
  const r = run.section.width / 2;
  const lines = new LineWords(how.letters);
  for (const [i, { cut, cope }] of ends.entries()) {
    if (run.section.shape !== 'round' || (cut.kind === 'cope' && !cope) || cut.kind === 'square') continue;
    const f = (v: number) => Number(v.toFixed(2));
    const degrees = (v: number) => f((v * 180) / Math.PI);
    const says = cope
      ? `${f(2 * r)} on ${f(2 * cope.header)} at ${degrees(cope.angle)} degrees, offset ${f(cope.offset)} mm`
      : `${f(2 * r)}, slant ${degrees(cut.slant)} degrees`;
    const drawing = await templateOf(cope ? copeCurve(cope) : slantCurve(r, cut.slant), r, [`${mark}, end ${'AB'[i]}`, says], lines);
    const title = `${name}_end-${'AB'[i]}_template`;
    const part = partOfDrawing(drawing, { name: title, path: [title], quantity: 1, unit: 'mm', format: 'made here' });
    const usual = firstDrawingRecipe();
    for (const format of how.formats) {
      if (format === 'step') continue;
      const recipe: Recipe = {
        ...firstRecipe(part.summary, []),
        receiver: noReceiver,
        drawing: { ...usual, place: { ...usual.place, datum: 'drawn' }, keepLayers: true },
      };
      recipe.file = { ...recipe.file, format, unit: 'mm' };
      const made = await makeOneFile(part, recipe, how.tools, (_, pieces) => how.keep(`${title}.${format}`, pieces));
      out.push(fileOf(`${title}.${format}`, mark, made.bytes, made.evidence));
    }
  }
  return out;
}

/** Tables of all marks with what goes along with them, as one file; each table bent from its own bytes. Null when given up. */
export async function tubesZip(found: TubesFound, how: Omit<TubeFileHow, 'space'> & Omit<TubeTools, 'keep'> & { told?: readonly Finding[] }, going?: Going) {
  const held = heldFiles();
  const all = await allMarks(found, { ...how, space: null, keep: held.keep }, going);
  if (!all) return null;
  const files = all.done.flatMap((d) => d.files.flatMap((f) => (f.evidence ? [{ name: f.name, evidence: f.evidence }] : [])));
  const evidence = evidenceOfFiles(files, evidenceOf([], [...all.findings, ...(how.told ?? [])]));
  return { bytes: held.zip(), evidence, done: all.done, count: all.done.reduce((n, d) => n + d.files.length, 0) };
}

/** The bend tables within such a file: what goes to the machine. */
export const tablesInZip = (bytes: Uint8Array): { name: string; bytes: Uint8Array }[] =>
  Object.entries(unzipSync(bytes, { filter: ({ name }) => name.endsWith(tableEnding) })).map(([name, content]) => ({ name, bytes: content }));

/** The worst of everything about a mark. */
export const verdictOf = (done: MarkDone): Severity => worst([done.evidence.verdict, ...done.files.map((f) => f.evidence?.verdict ?? 'clear')]);

/** Told before each mark; true: give up. */
type Going = (share: number, mark: string) => boolean;

/** What came of all marks. */
export interface TubesDone {
  done: MarkDone[];
  findings: Finding[];
}

/**
 * Every mark with its files, one after another; one that fails is told and the others go on.
 * @param going told before each; true: give up. @returns null when given up
 */
export async function allMarks(found: TubesFound, how: TubeFileHow & TubeTools, going: Going = () => false): Promise<TubesDone | null> {
  const facets = new PartFacets(found, () => how.tools.working());
  const done: MarkDone[] = [];
  const findings = tubeFindings(found);
  const marks = markedRuns(found, how);
  for (const [i, marked] of marks.entries()) {
    if (going(i / marks.length, marked.mark)) return null;
    try {
      done.push(await markFiles(marked, found, facets, how));
    } catch (thrown) {
      const { code, message, remedy } = asUnusable(thrown);
      findings.push({ code, severity: 'stop', count: 1, message: `${marked.mark}: ${message}`, remedy });
    }
  }
  return { done, findings };
}
