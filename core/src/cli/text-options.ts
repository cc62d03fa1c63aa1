import { Unusable } from '../base/finding.ts';
import type { Asked } from '../command/command.ts';
import { choice, flag, millimetres, number, parsed, text } from '../command/option.ts';
import type { TextPlate } from '../text/choice.ts';
import { families } from '../text/fonts.ts';
import { patternFileOptions } from './flat.ts';

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

/** Letters of single lines, by name. */
export const lineFonts = families.filter((f) => f.kind === 'single lines').map((f) => f.id);

/** What may be said of words on the command line. */
export const textOptions = {
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
  draft: number('DEGREES', [0, 60], 'degrees', 'With --thickness: how far walls lean from upright; usually 0.'),
  list: text('FILE.csv', 'One drawing a row: {Column} in the words stands for the value.'),
  ...patternFileOptions,
  format: choice(['dxf', 'svg', 'pdf', 'stl'], 'dxf', 'What is written; STL with --thickness.'),
};
export type TextWish = Asked<typeof textOptions>;
