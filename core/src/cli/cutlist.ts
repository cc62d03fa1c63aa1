import { mkdir, readFile } from 'node:fs/promises';
import { basename, dirname, extname, join } from 'node:path';
import { Unusable, type Finding, type Severity } from '../base/finding.ts';
import { command, toFolder, type Asked, type Report } from '../command/command.ts';
import { badText, choice, each, flag, millimetres, number, parsed, tabsTyped, text } from '../command/option.ts';
import { loadDesign, readOptions } from '../command/source.ts';
import { store } from '../command/store.ts';
import { receiverOption } from '../command/written.ts';
import { cutListCsv, listedEdits, readCutList, totalsCsv } from '../cutlist/csv.ts';
import { badTogether, usualNest, type NestChoice, type StockSheet, type Turns } from '../cutlist/how.ts';
import { cutListWith, type ListPart } from '../cutlist/list.ts';
import { nestRows } from '../cutlist/nest-rows.ts';
import { edited, sortedRows, totalsOf, workText, type CutRow, type RowEdit } from '../cutlist/row.ts';
import { machineFor, nestFiles } from '../cutlist/run.ts';
import { mostTyped, typedFrom, typedRow, typedSizes } from '../cutlist/typed.ts';
import { nodeEngine } from '../engine/load.ts';
import { workingKernel } from '../kernel/load.ts';
import { usualChoices } from '../model/choices.ts';
import { nodeTools } from '../pipeline/node-tools.ts';
import { readyReceivers } from '../receivers/ready.ts';
import { firstRecipe } from '../recipe/recipe.ts';
import { nodeLetters } from '../text/node-files.ts';

const listOptions = {
  list: text(
    'LIST.csv',
    'Quantities, materials, grain, edge bands and notes by part number or name; other cells stay. Rows of no part that state length and width are plain panels.',
  ),
  material: text('NAME', 'Of parts that say none.'),
  thickness: millimetres([0.01, 1000], 'Of drawings, which have none of their own.'),
  ...readOptions,
};
type ListWish = Asked<typeof listOptions>;

/** The rows of some files, with what a list says of them. */
async function rowsOf({ files, list, material, thickness, up, fromUnit }: ListWish): Promise<{ rows: CutRow[]; findings: Finding[] }> {
  const parts: ListPart[] = [];
  const findings: Finding[] = [];
  for (const file of files) {
    const design = await loadDesign(file, { ...usualChoices, up });
    for (const [i, { summary, geometry }] of design.parts.entries()) {
      const recipe = firstRecipe(summary, readyReceivers);
      recipe.size.reading = fromUnit;
      parts.push({
        key: `${basename(file)} ${i + 1}`,
        summary,
        recipe,
        geometry,
        quantity: summary.quantity,
        number: summary.partNumber ?? '',
        material: material ?? '',
        thickness,
      });
    }
  }
  if (files.length === 0 && list === null)
    throw new Unusable('no-parts', 'Nothing was named to be listed.', 'Name the files of a case, or --list with panels and their sizes.');
  if (files.length > 0 && parts.length === 0)
    throw new Unusable('no-parts', 'There is no part in these files.', 'See "tall-kite inspect" for what is in them.');
  let rows = (await cutListWith(parts, workingKernel))!;
  if (list !== null) {
    const read = readCutList(await readFile(list, 'utf8').catch(() => { throw new Unusable('no-such-file', `There is no file "${list}".`, 'Check the name and the folder.'); })); // prettier-ignore
    const { edits, unknown } = listedEdits(rows, read.rows);
    rows = rows.map((r) => edited(r, edits.get(r.key))).filter((r) => r.quantity > 0);
    for (const { line, why } of read.bad) findings.push({ code: 'bad-line', severity: 'look', count: 1, message: `Line ${line} of the list was not taken: ${why}.`, remedy: 'Correct it and try again.' }); // prettier-ignore
    // A row that names no part but states its sizes is a plain panel of its own.
    const own = typedFrom(unknown);
    rows = [...rows, ...own.panels.map(typedRow).map((r) => edited(r, { ...(material === null ? {} : { material }), ...(thickness === null ? {} : { thickness }), ...own.edits.get(r.key) }))].filter((r) => r.quantity > 0); // prettier-ignore
    const named = (list: readonly { number: string; name: string }[]) => list.slice(0, 5).map((u) => u.number || u.name).join(', '); // prettier-ignore
    const sizeless = unknown.filter((u) => u.length === null || u.width === null);
    const beyond = unknown.length - sizeless.length - own.panels.length;
    if (sizeless.length > 0) findings.push({ code: 'unknown-part', severity: 'look', count: sizeless.length, message: `The list speaks of parts that are not there: ${named(sizeless)}.`, remedy: 'Check their numbers and names, or state length and width.' }); // prettier-ignore
    if (beyond > 0) findings.push({ code: 'bad-size', severity: 'stop', count: beyond, message: `${beyond} rows of the list state sizes that no sheet has.`, remedy: `Panels are ${typedSizes.least} to ${typedSizes.most.toLocaleString('en')} mm long and wide; at most ${mostTyped.toLocaleString('en')} of them.` }); // prettier-ignore
    if (own.panels.length > 0 && files.length > 0) findings.push({ code: 'typed-panels', severity: 'look', count: own.panels.length, message: `Rows that name no part of these files are plain panels of their sizes: ${named(own.panels.map((p) => ({ number: '', name: p.name })))}.`, remedy: 'Correct their numbers and names if they are parts.' }); // prettier-ignore
  }
  return { rows: sortedRows(rows), findings };
}

/** What a program is told of a row. */
const rowJson = ({ layers: _, area, ...row }: CutRow) => ({ ...row, area, work: workText(row) });

const csvOptions = {
  csv: text('FILE.csv', 'Where the list is written.'),
  decimalComma: flag('A comma for decimals and a semicolon between cells.'),
  bom: flag('A byte order mark at the beginning of the list.'),
  totals: text('FILE.csv', 'Pieces, area, weight and edge band of each material and thickness.'),
};
const cutlistOptions = { ...csvOptions, ...listOptions };

async function writeList(rows: CutRow[], asked: Asked<typeof csvOptions>): Promise<string[]> {
  const written: string[] = [];
  const put = async (file: string, content: string) => {
    await mkdir(dirname(file), { recursive: true });
    await store(file, [new TextEncoder().encode(content)]);
    written.push(file);
  };
  if (asked.csv !== null) await put(asked.csv, cutListCsv(rows, { comma: asked.decimalComma, mark: asked.bom }));
  if (asked.totals !== null) await put(asked.totals, totalsCsv(rows));
  return written;
}

async function runList(asked: Asked<typeof cutlistOptions>): Promise<Report> {
  const { rows, findings } = await rowsOf(asked);
  const written = await writeList(rows, asked);
  const told = [...findings, ...rows.flatMap((r) => r.findings.map((f) => ({ ...f, message: `${r.name}: ${f.message}` })))];
  const line = (r: CutRow) =>
    r.kind === 'panel'
      ? `  ${r.quantity} × ${r.number ? `${r.number} ` : ''}${r.name}: ${fig(r.length)} × ${fig(r.width)} × ${r.thickness === null ? '?' : fig(r.thickness)} mm${r.material ? `, ${r.material}` : ''}${workText(r) ? `; ${workText(r)}` : ''}${r.mirrorOf ? ' (mirror image of another)' : ''}`
      : `  ${r.quantity} × ${r.name}: elsewhere. ${r.why}`;
  const totals = totalsOf(rows);
  const said = [
    `${rows.reduce((n, r) => n + r.quantity, 0)} parts in ${rows.length} rows, ${rows.filter((r) => r.kind === 'panel').length} of them panels`,
    ...rows.map(line),
    ...totals.map((t) => `${t.stock}: ${t.pieces} pieces, ${t.area.toFixed(3)} m2${t.weight === null ? '' : `, ${t.weight.toFixed(2)} kg`}`),
    ...told.map((f) => `${f.severity}: ${f.message} ${f.remedy}`),
    ...written.map((w) => `written: ${w}`),
  ];
  return { json: { rows: rows.map(rowJson), totals, findings: told, written }, text: `${said.join('\n')}\n`, severities: told.map((f) => f.severity) };
}

const fig = (v: number): string => String(Number(v.toFixed(2)));

export const cutlistCommand = command({
  word: 'cutlist',
  takes: '[IN...]',
  least: 0,
  most: 100,
  out: null,
  options: cutlistOptions,
  does: 'The cut list of a case: panels with their sizes and what is worked on them, equal ones in one row, the rest named with why they are none.',
  example: 'cutlist "WS-301 instrument crate.step" --csv list.csv',
  run: runList,
});

/** "2440x1220", "2440x1220@3" (three of them), "rest:800x600@1" (a remnant of that name). */
function sheetOf(name: string, typed: string): StockSheet {
  const found = /^(?:([^:]+):)?(\d+(?:\.\d+)?)x(\d+(?:\.\d+)?)(?:@(\d+))?$/.exec(typed.trim());
  if (!found) throw badText(name, typed, '2440x1220, 2440x1220@3 or rest:800x600@1');
  const [, called, width, height, copies] = found;
  return {
    name: called ?? 'sheet',
    width: Number(width),
    height: Number(height),
    copies: copies === undefined ? null : Number(copies),
    price: null,
    remnant: /^(rest|remnant)/i.test(called ?? ''),
    material: '',
    thickness: null,
    outline: null,
  };
}

/** "side panel=4" */
function quantityOf(name: string, typed: string): [string, number] {
  const found = /^(.+)=(\d+)$/.exec(typed.trim());
  if (!found) throw badText(name, typed, '"side panel=4"');
  return [found[1].trim(), Number(found[2])];
}

/** "side panel=plywood" */
function onlyOf(name: string, typed: string): [string, string] {
  const found = /^([^=]+)=(.+)$/.exec(typed.trim());
  if (!found) throw badText(name, typed, '"side panel=plywood"');
  return [found[1].trim(), found[2].trim()];
}

/** "0", "90" (quarter turns), "free", or degrees parted by commas. */
function turnsOf(name: string, typed: string): Turns {
  if (typed === '0') return 'none';
  if (typed === '90') return 'quarters';
  if (typed === 'free') return 'free';
  const list = typed.split(',').map(Number);
  if (typed.trim() === '' || list.some((v) => !(v >= -360 && v <= 360)) || list.length > 72) throw badText(name, typed, '0, 90, free or 0,45,90');
  return list;
}

const nestOptions = {
  sheet: each('WxH', 'Length and width of a sheet, mm; several kinds, so many of one (@3), a remnant (rest:800x600@1).', sheetOf),
  quantity: each('NAME=N', 'So many of a part, by number or name.', quantityOf),
  only: each('NAME=SHEET', 'A part that must lie on sheets of that name.', onlyOf),
  first: each('NAME', 'A part that is laid before others.', (_, typed) => typed.trim()),
  spacing: millimetres([0, 500], 'Between parts; usually 8.'),
  rim: millimetres([0, 1000], "From the sheet's edge; usually 10."),
  turns: parsed('0|90|free', 'How parts may be turned: not, by quarters, in steps of 15 degrees, or as listed (0,45). Usually 90.', turnsOf),
  mirror: flag('Parts may be turned over.'),
  grain: choice(['none', 'x', 'y'], 'none', 'Along what the grain of the sheets runs.'),
  saw: flag('Cut by a panel saw: from edge to edge, with the cuts in their order.'),
  stages: choice(['2', '3', 'any'], '3', 'With --saw: how often the direction of cutting may change.'),
  trim: millimetres([0, 500], 'With --saw: cut off on each side first; usually 10.'),
  kerf: millimetres([0, 50], 'Width of the cut; a saw usually 4.4.'),
  seconds: number('N', [0.1, 3600], 'seconds', 'Searches so long; results then depend on the machine.'),
  rounds: number('N', [1, 1_000_000], '', 'Searches so many rounds, with the same result every time; usually 150.'),
  seed: number('N', [0, 2_147_483_647], '', 'Another number searches in another order.'),
  smallArea: number('MM2', [0, 1e9], 'mm2', 'Parts under this area are on a layer of their own; usually 10000.'),
  skin: millimetres([0, 50], 'So much is left under small parts, so that they do not come loose.'),
  shared: flag('Parts lie one cut apart and share the cut where straight edges meet; lines are the middle of the cut.'),
  tabs: parsed('2x3', 'Small parts are held by tabs: how many x how wide, mm.', tabsTyped),
  label: millimetres([0, 200], 'Height of the number engraved on each part; 0: none. Usually 5.'),
  format: choice(['dxf', 'svg', 'pdf'], 'dxf', 'Of the sheet files.'),
  name: text('NAME', "Begins every file's name; usually the first file's."),
  ...receiverOption,
  ...listOptions,
};
type NestWish = Asked<typeof nestOptions>;

/** @throws Unusable when options speak against each other */
function goTogether({ saw, trim, shared, spacing, tabs, skin, kerf }: NestWish): void {
  if (!saw && trim !== null) throw new Unusable('two-options', '--trim goes with --saw.', 'Type --rim for other machines.');
  const why = badTogether({ saw: saw ? { stages: 3, trim: 0 } : null, shared, tabs, skin: skin ?? 0, kerf: kerf ?? 0 });
  if (why) throw new Unusable('not-together', why, 'Type --help for what goes with what.');
  if (shared && spacing !== null) throw new Unusable('two-options', '--spacing has no say where cuts are shared: parts lie one cut apart.', 'Type --kerf, the width of the cut.'); // prettier-ignore
}

/** A choice with what was typed in the place of the usual. */
function nestChoice(asked: NestWish): NestChoice {
  goTogether(asked);
  const { spacing, rim, turns, smallArea, skin } = asked;
  const typed = Object.fromEntries(Object.entries({ spacing, rim, turns, smallArea, skin, labelHeight: asked.label }).filter(([, v]) => v !== null));
  const stages = asked.stages === 'any' ? null : (Number(asked.stages) as 2 | 3);
  return {
    ...usualNest,
    ...typed,
    sheets: asked.sheet.length > 0 ? asked.sheet : usualNest.sheets,
    kerf: asked.kerf ?? (asked.saw ? 4.4 : 0),
    shared: asked.shared,
    tabs: asked.tabs,
    mirror: asked.mirror,
    grain: asked.grain,
    saw: asked.saw ? { stages, trim: asked.trim ?? 10 } : null,
    seed: Math.round(asked.seed ?? 1),
    rounds: asked.rounds === null ? null : Math.round(asked.rounds),
    seconds: asked.seconds,
  };
}

/** The row that a typed number or name speaks of. @throws Unusable when there is none */
function rowNamed(rows: readonly CutRow[], name: string): CutRow {
  const low = (s: string) => s.trim().toLowerCase();
  const row = rows.find((r) => low(r.number) === low(name)) ?? rows.find((r) => low(r.name) === low(name) || r.members.some((m) => low(m.name) === low(name)));
  if (!row) throw new Unusable('unknown-part', `There is no part "${name}".`, `There are: ${rows.map((r) => r.name).slice(0, 8).join(', ')}.`); // prettier-ignore
  return row;
}

/** Rows with the quantities that were typed. */
function counted(rows: CutRow[], typed: readonly [string, number][]): CutRow[] {
  const edits = new Map<string, RowEdit>(typed.map(([name, quantity]) => [rowNamed(rows, name).key, { quantity }]));
  return rows.map((r) => edited(r, edits.get(r.key))).filter((r) => r.quantity > 0);
}

/** Sheets of a name for some parts, and which come first. @throws Unusable when a part or sheet is not there */
function wishes(rows: CutRow[], { only, first }: NestWish, { sheets }: NestChoice): Pick<NestChoice, 'only' | 'priority'> {
  const known = new Set(sheets.map((s) => s.name.toLowerCase()));
  for (const [, sheet] of only)
    if (!known.has(sheet.toLowerCase())) throw new Unusable('unknown-sheet', `There is no sheet called "${sheet}".`, 'Name it: --sheet plywood:2440x1220.');
  return {
    only: Object.fromEntries(only.map(([name, sheet]) => [rowNamed(rows, name).key, sheet])),
    priority: Object.fromEntries(first.map((name) => [rowNamed(rows, name).key, 1])),
  };
}

async function runNest(asked: NestWish): Promise<Report> {
  const { rows: listed, findings } = await rowsOf(asked);
  const rows = counted(listed, asked.quantity);
  const typed = nestChoice(asked);
  const choice = { ...typed, ...wishes(rows, asked, typed) };
  const nest = nestRows(rows, choice, await nodeEngine());
  await mkdir(asked.out, { recursive: true });
  const first = asked.files[0] ?? asked.list!;
  const title = asked.name ?? basename(first, extname(first));
  const receiver = asked.receiver ?? machineFor(choice.sheets, asked.format, readyReceivers)!;
  const how = { receiver, format: asked.format, name: title, csv: { comma: false, mark: false } };
  const done = (await nestFiles({ rows, nest, choice }, how, {
    tools: nodeTools,
    letters: nodeLetters,
    keep: (name, pieces) => store(join(asked.out, name), pieces),
  }))!;
  const name = (key: string) => rows.find((r) => r.key === key)?.name ?? key;
  const sheets = nest.sheets.map((s, i) => {
    const file = done.files.find((f) => f.sheet === i)!;
    const parts = s.parts.map(({ row, x, y, turn, mirrored }) => ({ name: name(row), x, y, turn, mirrored }));
    return {
      file: file.name,
      size: [s.width, s.height],
      stock: s.stock,
      parts,
      density: s.density,
      cuts: s.cuts,
      verdict: file.evidence!.verdict,
      evidence: file.evidence!.claims,
      findings: file.evidence!.findings,
    };
  });
  const notPlaced = nest.notPlaced.map(({ row, copies, why }) => ({ name: name(row), copies, why }));
  const severities: Severity[] = [...sheets.map((s) => s.verdict), done.evidence.verdict, ...findings.map((f) => f.severity)];
  const verdict = severities.includes('stop') ? 'stop' : severities.includes('look') ? 'look' : 'clear';
  const all = [...findings, ...done.evidence.findings];
  const placed = nest.sheets.reduce((n, s) => n + s.parts.length, 0);
  const json = {
    sheets,
    density: nest.density,
    placed,
    notPlaced,
    remnants: nest.remnants,
    files: done.files.map((f) => f.name),
    evidence: done.evidence.claims,
    findings: all,
    verdict,
  };
  const said = [
    `${placed} parts on ${sheets.length} ${sheets.length === 1 ? 'sheet' : 'sheets'}, ${(nest.density * 100).toFixed(1)} % of what is used`,
    ...sheets.map((s) => `  ${s.verdict}: ${s.file} (${s.parts.length} parts, ${(s.density * 100).toFixed(1)} %)`),
    ...nest.remnants.map((r) => `  left over on sheet ${r.sheet + 1}: ${fig(r.width)} × ${fig(r.height)} mm`),
    ...notPlaced.map((n) => `  stop: ${n.copies} × ${n.name} not placed. ${n.why}`),
    ...all.filter((f) => f.code !== 'not-placed').map((f) => `${f.severity}: ${f.message} ${f.remedy}`),
    ...done.files.filter((f) => f.sheet === null).map((f) => `written: ${join(asked.out, f.name)}`),
  ];
  return { json, text: `${said.join('\n')}\n`, severities };
}

export const nestCommand = command({
  word: 'nest',
  takes: '[IN...]',
  least: 0,
  most: 100,
  out: toFolder,
  options: nestOptions,
  does: 'Panels laid on sheets with little waste: one file a sheet with layers by meaning, the cut list, labels to print and a plan; every part is found again in the files.',
  example: 'nest "WS-301 instrument crate.step" --sheet 2440x1220 --out sheets',
  run: runNest,
});
