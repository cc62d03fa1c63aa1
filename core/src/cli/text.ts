import { mkdir, readFile } from 'node:fs/promises';
import { basename } from 'node:path';
import Papa from 'papaparse';
import { Unusable } from '../base/finding.ts';
import { command, toFolder, type Report } from '../command/command.ts';
import { checkedText, type TextFile } from '../formats/text/file.ts';
import { safeFileName } from '../recipe/recipe.ts';
import { mostRows, usualText, type TextChoice } from '../text/choice.ts';
import { families } from '../text/fonts.ts';
import { filledIn } from '../text/filled.ts';
import { lineFonts, textOptions, type TextWish } from './text-options.ts';
import { rowsMade } from './text-rows.ts';
import type { TextRow } from './text-row.ts';

/** Letters that come along by their name, or a file. */
async function fontOf({ font, singleLine }: TextWish): Promise<Pick<TextChoice, 'font' | 'own'>> {
  if (font !== null && !families.some((f) => f.id === font))
    return { font: 'own', own: { name: basename(font), data: (await bytesOf(font)).toString('base64') } };
  const found = font ?? (singleLine ? 'line' : 'sans');
  if (singleLine && !lineFonts.includes(found))
    throw new Unusable('two-fonts', `"${font}" has outlines, and --single-line asks for strokes.`, `Leave one away, or choose ${lineFonts.join(', ')}.`);
  return { font: found };
}

function refuse(asked: TextWish): void {
  if (asked.cap !== null && asked.width !== null) throw new Unusable('two-sizes', '--cap and --width exclude each other.', 'Leave one away.');
  if (asked.holes && !asked.plate) throw new Unusable('no-plate', '--holes needs a --plate.', 'Add --plate 80x30r4.');
  if ((asked.format === 'stl') !== (asked.thickness !== null))
    throw new Unusable('no-thickness', 'A solid needs --format stl and --thickness MM together.', 'Add the other one, or leave both away.');
}

/** Words are the one thing typed without a name. */
const choiceOf = async (asked: TextWish): Promise<TextChoice> => ({
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
async function run(asked: TextWish): Promise<Report> {
  refuse(asked);
  const wanted = await choiceOf(asked);
  const series = asked.list === null ? undefined : await listOf(asked.list);
  const { choice: base } = checkedText({ choice: wanted, ...(series ? { series } : {}) });
  await mkdir(asked.out, { recursive: true });
  const made = await rowsMade(namedTexts(base.words, series), { ...base, words: '' }, asked);
  if (made.length === 0) throw new Unusable('no-letters', 'No row of the list has words in it.', 'Check the names of the columns in braces.');
  return { json: { written: made.map((m) => m.json) }, text: made.map((m) => m.text).join(''), severities: made.map((m) => m.verdict) };
}

/** Words with the names of their files: by the first column of a list, else by the words; no name twice. */
function namedTexts(words: string, series: TextFile['series']): TextRow[] {
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

export const textCommand = command({
  word: 'text',
  takes: '"WORDS"',
  least: 1,
  most: 1,
  out: toFolder,
  options: textOptions,
  does: 'Words as outlines or single lines, on a plate or alone, one drawing for each row of a list; written and read back.',
  example: 'text "WS-101" --cap 8 --plate 60x24r3 --holes 2x3@5 --format dxf --out plates',
  run,
});
