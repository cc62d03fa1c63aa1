import { mkdir, readFile } from 'node:fs/promises';
import { basename, extname, join } from 'node:path';
import { Unusable, worst, type Severity } from '../base/finding.ts';
import { tubeOf, typedRun } from '../bender/typed.ts';
import { allMarks, verdictOf, type MarkDone, type MarkedRun, type TubeFileHow, type TubeFormat, type TubeTools } from '../bender/files.ts';
import { readBendRules, usualBender, type BenderRules } from '../bender/rules.ts';
import { findTubes, tubeFindings, type TubePart, type TubesFound } from '../bender/source.ts';
import { endView } from '../bender/view.ts';
import { bendTableText } from '../bender/table-file.ts';
import { toDies } from '../bender/to-die.ts';
import { command, type Asked, type Out, type Report } from '../command/command.ts';
import { badText, each, flag, millimetres, number, parsed, text } from '../command/option.ts';
import { loadDesign, partOption, readOptions } from '../command/source.ts';
import { store } from '../command/store.ts';
import { receiverOption } from '../command/written.ts';
import { workingKernel } from '../kernel/load.ts';
import { usualChoices } from '../model/choices.ts';
import { nodeTools } from '../pipeline/node-tools.ts';
import { readyReceivers } from '../receivers/ready.ts';
import { isBender, type Bender } from '../receivers/receivers.ts';
import { firstRecipe, scaleOf } from '../recipe/recipe.ts';
import { nodeLetters } from '../text/node-files.ts';
import { sayRun } from '../tubes/say.ts';
import { cornersOf, developedOf, tableOf } from '../tubes/run.ts';

const formats = ['step', 'dxf', 'pdf', 'svg'] as const;
const out: Out = { kind: 'folder', needed: false, endings: [] };

/** "30,50": two lengths, mm. */
function two(name: string, typed: string): [number, number] {
  const values = typed.split(',').map(Number);
  if (values.length !== 2 || values.some((v) => !(v >= 0 && v <= 10_000))) throw badText(name, typed, '30,50');
  return values as [number, number];
}

const options = {
  ...partOption,
  ...readOptions,
  ...receiverOption,
  table: text('OUT.csv', 'Writes the bend table of the first mark there, too.'),
  format: each(
    formats.join('|'),
    'What is written for each mark: the solid built anew, templates of its ends, its sheet; usually step and pdf.',
    (name, typed) => {
      if (!formats.includes(typed as TubeFormat)) throw badText(name, typed, formats.join(', '));
      return typed as TubeFormat;
    },
  ),
  rules: text('RULES.csv', 'Springback and elongation of the shop: material, radius, ratio, offset, elongation.'),
  material: text('NAME', 'Of the rules; written into the sheet.'),
  density: number('G_PER_CM3', [0.1, 30], 'g/cm3', 'For the weight; usually 7.85, steel.'),
  die: each('MM', 'Radius of a die that there is; say it again for each.', (name, typed) => {
    const v = Number(typed);
    if (!(v > 0 && v <= 10_000)) throw badText(name, typed, '60');
    return v;
  }),
  toDie: flag('Takes the nearest die for each bend; the corners stay, and what changes is told.'),
  clamp: millimetres([0, 10_000], 'Least straight that the clamp holds.'),
  leastRadius: number('2', [0, 100], 'times the outside size', 'Least radius of a bend, as a multiple of the outside size.'),
  longest: millimetres([1, 100_000], 'Longest tube that the machine takes; usually 6000.'),
  bed: millimetres([1, 10_000], 'How far the bed lies below the middle of the tube; usually there is none.'),
  allowance: parsed('A,B', 'Left on at the two ends, mm.', two),
  radius: millimetres([0, 10_000], 'For a row of points: radius of its bends.'),
  tube: parsed('42.4x2.6|30x20x2', 'For a row of points: round, or width x height, and wall.', tubeOf),
  fit: millimetres([0.001, 50], 'Fits tubes along free curves by straights and arcs within this; else they are left out and told.'),
  withQuantity: flag('Puts the quantity into the names of files.'),
};

type Wish = Asked<typeof options>;

/** What is bent by: the machine that was named, with what was typed beside it. */
function benderOf(given: Wish, rules: BenderRules['rules'] | null): BenderRules {
  const { receiver } = given;
  if (receiver && !isBender(receiver))
    throw new Unusable(
      'no-bender',
      `${receiver.name} (${receiver.process}) bends no tubes.`,
      `Name a tube bender: --receiver ${readyReceivers.find(isBender)!.id}`,
    );
  const machine: Bender = receiver?.bender ?? usualBender;
  return {
    ...usualBender,
    rules: rules ?? machine.rules,
    dies: given.die.length > 0 ? given.die : machine.dies,
    clamp: given.clamp ?? machine.clamp,
    leastRadius: given.leastRadius ?? machine.leastRadius,
    longest: given.longest ?? machine.longest,
    material: given.material ?? '',
    density: given.density ?? usualBender.density,
    allowances: given.allowance ?? [0, 0],
  };
}

const textOf = (file: string, what: string): Promise<string> =>
  readFile(file, 'utf8').catch(() => {
    throw new Unusable('no-such-file', `There is no ${what} "${file}".`, 'Check the name and the folder.');
  });

/** Parts of all files; a CSV is a typed table or a row of points. */
async function partsOf(given: Wish): Promise<TubePart[]> {
  const parts: TubePart[] = [];
  for (const file of given.files) {
    if (extname(file).toLowerCase() === '.csv') {
      const about = { name: basename(file, extname(file)), radius: given.radius, section: given.tube };
      parts.push({ key: file, scale: 1, ...(await typedRun(await textOf(file, 'table'), about, workingKernel)) });
      continue;
    }
    const design = await loadDesign(file, { ...usualChoices, up: given.up });
    for (const [i, { summary, geometry }] of design.parts.entries()) {
      if (given.part !== null && summary.name !== given.part) continue;
      const recipe = firstRecipe(summary, readyReceivers);
      recipe.size.reading = given.fromUnit;
      parts.push({ key: `${file} ${i}`, summary, geometry, scale: scaleOf(summary, recipe) });
    }
    if (given.part !== null && parts.length === 0) {
      const names = design.parts.map((p) => p.summary.name).join(', ') || 'none';
      throw new Unusable('no-such-part', `There is no part "${given.part}".`, `Parts in the file: ${names}.`);
    }
  }
  return parts;
}

/** Keeps files in the folder, or only in the hand when nothing is to be written. */
const keeper =
  (out: string) =>
  async (name: string, pieces: Iterable<Uint8Array>): Promise<Uint8Array> =>
    out ? store(join(out, name), pieces) : Buffer.concat([...pieces]);

/** What is written, and for which machine. */
function howOf(given: Wish, bender: BenderRules): TubeFileHow & TubeTools {
  const usual: readonly TubeFormat[] = ['step', 'pdf'];
  return {
    formats: given.out ? (given.format.length > 0 ? given.format : usual) : [],
    bender,
    space: given.bed === null ? null : { bed: given.bed, backUp: null },
    quantity: given.withQuantity,
    tools: nodeTools,
    letters: nodeLetters,
    keep: keeper(given.out),
  };
}

/** `tube`: every bent tube of a design as marks with their tables, each table bent again and laid over the design. */
async function run(given: Wish): Promise<Report> {
  const rules = given.rules === null ? null : readBendRules(await textOf(given.rules, 'rules file'));
  const bender = benderOf(given, rules);
  const design: TubesFound = findTubes(await partsOf(given), given.fit);
  const { found, findings: changed } = given.toDie ? toDies(design, bender.dies) : { found: design, findings: [] };
  if (found.runs.length === 0 && found.none.length === 0)
    throw new Unusable('no-tube', `No tube or bar of straights and bends was found. ${tubeFindings(found)[0]?.message ?? ''}`.trim(), 'Tubes are round, square, rectangular or flat-oval, with bends of one radius each.'); // prettier-ignore
  if (given.out) await mkdir(given.out, { recursive: true });
  const { done, findings } = (await allMarks(found, howOf(given, bender)))!;
  if (given.table !== null && done.length > 0)
    await store(given.table, [new TextEncoder().encode(bendTableText(done[0].marked.found.run, done[0].marked.set))]);
  return reportOf({ found, done, findings: [...findings, ...changed], given });
}

function jsonOf({ marked, distance, ends }: Pick<MarkDone, 'marked' | 'distance' | 'ends'>) {
  const { mark, quantity, mirrorOf, found, set, weight } = marked;
  const { rows, lastLength } = tableOf(found.run);
  const { shape, width, height, wall } = found.run.section;
  return {
    mark,
    quantity,
    mirrorOf,
    section: { shape, width, height, wall },
    bends: rows.map(({ order, length, rotation, angle, radius }) => ({ order, length, rotation, angle, radius })),
    lastLength,
    points: cornersOf(found.run).points,
    developed: developedOf(found.run),
    cut: set.cut,
    machine: set.bends,
    weight,
    ends: marked.ends.map(endView),
    facets: found.run.pieces.map((p) => (p.kind === 'bend' ? p.facets : 0)).filter((n) => n > 0),
    received: { distance, ends },
  };
}

interface ReportOf {
  found: TubesFound;
  done: readonly MarkDone[];
  findings: ReturnType<typeof tubeFindings>;
  given: Wish;
}

function reportOf({ found, done, findings, given }: ReportOf): Report {
  const severities: Severity[] = [...done.map(verdictOf), ...findings.map((f) => f.severity)];
  const verdict = worst(severities);
  const written = given.out
    ? done.flatMap((d) =>
        d.files.map((f) => ({
          file: join(given.out, f.name),
          mark: f.mark,
          format: f.format,
          bytes: f.bytes,
          sha256: f.sha256,
          verdict: f.evidence?.verdict ?? null,
          reason: f.evidence?.reason ?? null,
          evidence: f.evidence?.claims ?? [],
        })),
      )
    : [];
  const all = [
    ...findings,
    ...done.flatMap((d) => [...d.evidence.findings, ...d.files.flatMap((f) => (f.name.endsWith('_bends.csv') ? [] : (f.evidence?.findings ?? [])))]),
  ];
  const json = { runs: done.map(jsonOf), leftOut: found.leftOut.map(({ what, why }) => ({ what, why })), findings: all, verdict, written };
  const lines = [`${verdict}: ${found.runs.length} ${found.runs.length === 1 ? 'run' : 'runs'} in ${done.length} ${done.length === 1 ? 'mark' : 'marks'}`];
  for (const { marked, evidence, distance } of done) lines.push(...markLines(marked, evidence.verdict, distance));
  for (const f of all) lines.push(`  ${f.severity}: ${f.message} ${f.remedy}`);
  for (const w of written) lines.push(`  ${w.verdict ?? 'for people'}: ${w.file} (${w.bytes} bytes)${w.reason ? ` because: ${w.reason}` : ''}`);
  return { json, text: `${lines.join('\n')}\n`, severities };
}

function markLines({ mark, quantity, mirrorOf, found, set }: MarkedRun, verdict: Severity, distance: number): string[] {
  const { rows, lastLength } = tableOf(found.run);
  const f = (v: number) => v.toFixed(3);
  return [
    `${verdict}: ${mark} x ${quantity}, ${sayRun(found.run)}, developed ${f(developedOf(found.run))} mm, cut ${f(set.cut)} mm${mirrorOf ? `, mirror image of ${mirrorOf}` : ''}`,
    ...rows.map(
      (r, i) =>
        `  bend ${r.order}: after ${f(r.length)} mm, turned ${f(r.rotation)}, bent ${f(r.angle)} degrees, R ${f(r.radius)} mm${set.bends[i].angle === null ? '' : `; set to ${f(set.bends[i].angle)} degrees`}`,
    ),
    `  end: ${f(lastLength)} mm; bent from the table alone it lies within ${distance.toFixed(5)} mm of the design`,
  ];
}

export const tubeCommand = command({
  word: 'tube',
  takes: 'IN...',
  least: 1,
  most: 50,
  out,
  options,
  does: 'Bent tubes and bars of a design, or of a typed table or row of points (CSV): one mark for each kind of run, its bend table, the solid built anew, templates of its ends, its sheet. Each table is read back and the tube bent from it is laid over the design.',
  example: 'tube "WS-410 winder handle.step" --rules shop.csv --material steel --out tubes',
  run,
});
