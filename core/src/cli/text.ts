import { mkdir, readFile } from 'node:fs/promises';
import { basename, join } from 'node:path';
import Papa from 'papaparse';
import { Unusable, worst, type Severity } from '../base/finding.ts';
import { command, toFolder, type Asked, type Report } from '../command/command.ts';
import { choice, flag, millimetres, number, parsed, text } from '../command/option.ts';
import { settled, settledText } from '../command/settle.ts';
import { store } from '../command/store.ts';
import { partOf, writeOut, writtenText } from '../command/written.ts';
import type { Drawing } from '../curves/drawing.ts';
import { bridged } from '../drawing/bridges.ts';
import { partOfDrawing } from '../drawing/part.ts';
import { raiseDrawing } from '../drawing/raise.ts';
import { nodeEngine } from '../engine/load.ts';
import { checkedText, type TextFile } from '../formats/text/file.ts';
import { firstDrawingRecipe } from '../model/drawing-recipe.ts';
import { nodeTools } from '../pipeline/node-tools.ts';
import { makeOneFile } from '../pipeline/one-file.ts';
import { withFindings } from '../prove/evidence.ts';
import { readyReceivers } from '../receivers/ready.ts';
import { firstRecipe, safeFileName, type Recipe } from '../recipe/recipe.ts';
import { mostRows, usualText, type TextChoice, type TextPlate } from '../text/choice.ts';
import { families } from '../text/fonts.ts';
import { filledIn } from '../text/filled.ts';
import { lettered, type Lettered } from '../text/lettering.ts';
import { nodeLetters } from '../text/node-files.ts';
import { patternFileOptions, patternReceiver } from './flat.ts';

/** "80x30" or "80x30r4": a plate's width, height and corner radius. */
function plateOf(_: string, typed: string): Pick<TextPlate, 'width' | 'height' | 'radius'> {
  const found = /^(\d+(?:\.\d+)?)x(\d+(?:\.\d+)?)(?:r(\d+(?:\.\d+)?))?$/.exec(typed.trim());
  if (!found) throw new Unusable('bad-plate', `--plate must be like 80x30 or 80x30r4, not "${typed}".`, 'Width, height and corner radius in mm.');
  return { width: Number(found[1]), height: Number(found[2]), radius: Number(found[3] ?? 0) };
}

/** "2x4@6": how many holes, their diameter, and how far in. */
function holesOf(_: string, typed: string): Pick<TextPlate, 'holes' | 'diameter' | 'inset'> {
  const found = /^([124])x(\d+(?:\.\d+)?)@(\d+(?:\.\d+)?)$/.exec(typed.trim());
  if (!found) throw new Unusable('bad-plate', `--holes must be like 2x4@6, not "${typed}".`, '1, 2 or 4 holes, their diameter and how far in, mm.');
  return { holes: Number(found[1]) as 1 | 2 | 4, diameter: Number(found[2]), inset: Number(found[3]) };
}

const lineFonts = families.filter((f) => f.kind === 'single lines').map((f) => f.id);

const options = {
  font: text('NAME|FILE', `Which letters: ${families.map((f) => f.id).join(', ')}, or a TTF, OTF, WOFF or WOFF2 file; usually sans.`),
  cap: millimetres([0.01, 10_000], 'Height of H; usually 10.'),
  width: millimetres([0.01, 100_000], 'Instead of --cap: how wide the widest line is.'),
  singleLine: flag('One stroke a line, to engrave.'),
  weight: number('N', [1, 1000], '', 'How heavy letters with that axis are: 400 is usual, 700 bold.'),
  spacing: millimetres([-100, 1000], 'More between letters, or less.'),
  line: number('N', [0.5, 10], '', 'From line to line, in heights of H; usually 1.6.'),
  align: choice(['left', 'centre', 'right'], 'centre', 'How lines stand to each other.'),
  arc: millimetres([0.1, 100_000], 'Round a circle of this radius, letters outside.'),
  inside: flag('With --arc: at its bottom, letters upright.'),
  mirror: flag('To be read from behind.'),
  plate: parsed('80x30r4', 'On a plate: width x height and corner radius.', plateOf),
  holes: parsed('2x4@6', 'With --plate: how many holes x diameter @ how far in.', holesOf),
  bridges: number('N', [1, 20], 'bridges', 'Insides of letters are held by so many bridges each.'),
  bridgeWidth: millimetres([0.05, 100], 'How wide bridges are; usually 1.'),
  thickness: millimetres([0.01, 10_000], 'Raised to a solid of this thickness: STL.'),
  list: text('FILE.csv', 'One drawing a row: {Column} in the words stands for the value.'),
  ...patternFileOptions,
  format: choice(['dxf', 'svg', 'pdf', 'stl'], 'dxf', 'What is written; STL with --thickness.'),
};
type Wish = Asked<typeof options>;

/** Letters that come along by their name, or a file. */
async function fontOf({ font, singleLine }: Wish): Promise<Pick<TextChoice, 'font' | 'own'>> {
  if (font !== null && !families.some((f) => f.id === font))
    return { font: 'own', own: { name: basename(font), data: (await bytesOf(font)).toString('base64') } };
  const found = font ?? (singleLine ? 'line' : 'sans');
  if (singleLine && !lineFonts.includes(found))
    throw new Unusable('two-fonts', `"${font}" has outlines, and --single-line asks for strokes.`, `Leave one away, or choose ${lineFonts.join(', ')}.`);
  return { font: found };
}

function refuse(asked: Wish): void {
  if (asked.cap !== null && asked.width !== null) throw new Unusable('two-sizes', '--cap and --width exclude each other.', 'Leave one away.');
  if (asked.holes && !asked.plate) throw new Unusable('no-plate', '--holes needs a --plate.', 'Add --plate 80x30r4.');
  if ((asked.format === 'stl') !== (asked.thickness !== null))
    throw new Unusable('no-thickness', 'A solid needs --format stl and --thickness MM together.', 'Add the other one, or leave both away.');
}

/** Words are the one thing typed without a name. */
const choiceOf = async (asked: Wish): Promise<TextChoice> => ({
  ...usualText,
  ...(await fontOf(asked)),
  words: asked.files[0].replaceAll('\\n', '\n'),
  size: asked.width !== null ? { by: 'width', mm: asked.width } : { by: 'cap', mm: asked.cap ?? usualText.size.mm },
  spacing: asked.spacing ?? 0,
  line: asked.line ?? usualText.line,
  align: asked.align,
  path: asked.arc === null ? { kind: 'straight' } : { kind: 'arc', radius: asked.arc, inside: asked.inside },
  mirrored: asked.mirror,
  axes: asked.weight === null ? {} : { wght: asked.weight },
  meaning: asked.bridges !== null || asked.thickness !== null ? 'cut' : 'engrave',
  plate: asked.plate && { ...asked.plate, ...(asked.holes ?? { holes: 0, diameter: 4, inset: 6 }) },
});

async function bytesOf(file: string): Promise<Buffer> {
  return readFile(file).catch(() => {
    throw new Unusable(
      'no-such-file',
      `There is no file "${file}", and no letters of that name come along.`,
      `Letters: ${families.map((f) => f.id).join(', ')}.`,
    );
  });
}

/** A list with a head: columns and rows. */
async function listOf(file: string): Promise<NonNullable<TextFile['series']>> {
  const found = Papa.parse<string[]>((await bytesOf(file)).toString('utf8').replace(/^\ufeff/, ''), { skipEmptyLines: 'greedy' });
  const [columns, ...rows] = found.data;
  if (!columns || rows.length === 0) throw new Unusable('empty-list', `"${file}" has no rows below its head.`, 'The first line names the columns.');
  if (rows.length > mostRows)
    throw new Unusable('too-many-rows', `"${file}" has ${rows.length.toLocaleString('en')} rows; at most ${mostRows.toLocaleString('en')}.`, 'Part the list.');
  return { columns: columns.map((c) => c.trim()), rows };
}

/** `text`: words as drawings (or a solid), written, and read back. */
async function run(asked: Wish): Promise<Report> {
  refuse(asked);
  const wanted = await choiceOf(asked);
  const series = asked.list === null ? undefined : await listOf(asked.list);
  const { choice: base } = checkedText({ choice: wanted, ...(series ? { series } : {}) });
  await mkdir(asked.out, { recursive: true });
  const written = [];
  const severities: Severity[] = [];
  let said = '';
  for (const { name, words } of namedTexts(base.words, series)) {
    const made = await lettered({ ...base, words }, nodeLetters);
    const one = asked.format === 'stl' ? await asSolid(made, name, asked) : await asDrawing(made, name, asked);
    written.push(one.json);
    severities.push(one.verdict);
    said += one.text;
  }
  if (written.length === 0) throw new Unusable('no-letters', 'No row of the list has words in it.', 'Check the names of the columns in braces.');
  return { json: { written }, text: said, severities };
}

/** Words with the names of their files: by the first column of a list, else by the words; no name twice. */
function namedTexts(words: string, series: TextFile['series']): { name: string; words: string }[] {
  const taken = new Set<string>();
  return (series?.rows ?? [null]).flatMap((row) => {
    const filled = row ? filledIn(words, series!, row) : words;
    if (filled.trim() === '') return [];
    const base = safeFileName(((row?.[0] ?? '').trim() || filled.split('\n')[0].trim()).slice(0, 60)) || 'text';
    let name = base;
    for (let n = 2; taken.has(name.toLowerCase()); n++) name = `${base} (${n})`;
    taken.add(name.toLowerCase());
    return [{ name, words: filled }];
  });
}

function withBridges(drawing: Drawing, asked: Wish): Drawing {
  return asked.bridges === null ? drawing : bridged(drawing, { count: Math.round(asked.bridges), width: asked.bridgeWidth ?? 1, from: 0.125 }).drawing;
}

async function asDrawing({ drawing, findings }: Lettered, name: string, asked: Wish) {
  const held = withBridges(drawing, asked);
  const part = partOfDrawing(held, { name, path: [name], quantity: 1, unit: 'mm', format: 'text' });
  const recipe: Recipe = {
    ...firstRecipe(part.summary, readyReceivers),
    receiver: patternReceiver({ ...asked, format: asked.format as 'dxf' | 'svg' | 'pdf' }),
    drawing: { ...firstDrawingRecipe(), version: asked.dxfVersion, kerf: asked.kerf ?? 0, fit: asked.fitArcs },
  };
  recipe.file = { ...recipe.file, format: asked.format as 'dxf' | 'svg' | 'pdf', unit: asked.unit };
  const { fileName, bytes, evidence } = await makeOneFile(part, recipe, nodeTools, (as, data) => store(join(asked.out, as), data));
  const proved = withFindings(evidence, [...findings, ...part.findings]);
  const row = await settled({ file: join(asked.out, fileName), format: asked.format, part: name, bytes, evidence: proved }, asked);
  const { cap, letters, count } = drawing.lettering;
  const json = { ...row, letters: count, font: letters, cap, contours: part.summary.drawing!.contours };
  return { json, verdict: row.verdict, text: `${count} letters of "${letters}", H ${cap.toFixed(3)} mm high\n${settledText(row)}` };
}

async function asSolid({ drawing, findings }: Lettered, name: string, asked: Wish) {
  const mesh = raiseDrawing(await nodeEngine(), withBridges(drawing, asked), asked.thickness!);
  const stop = findings.find((f) => f.severity === 'stop');
  if (stop && !asked.evenSo) throw new Unusable(stop.code, stop.message, stop.remedy);
  const row = await writeOut(join(asked.out, `${name}.stl`), [partOf(name, mesh)], { unit: asked.unit, receiver: asked.receiver, ascii: false, quads: false });
  const { cap, letters, count } = drawing.lettering;
  const verdict = worst([row.verdict, ...findings.map((f) => f.severity)]);
  const json = { ...row, verdict, findings: [...findings, ...row.findings], letters: count, font: letters, cap, triangles: mesh.triangles.length / 3 };
  return { json, verdict, text: writtenText([row]) };
}

export const textCommand = command({
  word: 'text',
  takes: '"WORDS"',
  least: 1,
  most: 1,
  out: toFolder,
  options,
  does: 'Words as outlines or single lines, on a plate or alone, one drawing for each row of a list; written and read back.',
  example: 'text "WS-101" --cap 8 --plate 60x24r3 --holes 2x3@5 --format dxf --out plates',
  run,
});
