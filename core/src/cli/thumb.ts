import { Unusable } from '../base/finding.ts';
import { command, type Asked, type Report } from '../command/command.ts';
import { number } from '../command/option.ts';
import { facetOptions, loadDesign, partOption, readOptions, wholeOf } from '../command/source.ts';
import { store } from '../command/store.ts';
import { usualChoices } from '../model/choices.ts';
import { thumbLimits, thumbnail, thumbnailOfDrawing, thumbSide } from '../pipeline/thumbnail.ts';

const options = { ...partOption, side: number('PIXELS', thumbLimits, 'pixels', 'Width and height; usually 192.'), ...readOptions, ...facetOptions };

/** `thumb`: a small shaded picture of what is in a file. */
async function run(given: Asked<typeof options>): Promise<Report> {
  const [file] = given.files;
  const side = Math.round(given.side ?? thumbSide);
  const design = await loadDesign(file, { ...usualChoices, up: given.up });
  const part = design.parts.find((p) => given.part === null || p.summary.name === given.part);
  if (!part) throw new Unusable('no-such-part', `There is no part "${given.part ?? ''}" in "${file}".`, 'See "tall-kite inspect" for what is in it.');
  const drawing = part.geometry.kind === 'drawing' ? part.geometry.drawing : null;
  const made = drawing ? await thumbnailOfDrawing(drawing, side) : await thumbnail((await wholeOf(file, given)).mesh, side);
  const bytes = await store(given.out, [made]);
  const json = { input: file, file: given.out, side, bytes: bytes.length, kind: part.summary.kind };
  return { json, text: `${given.out}: ${side} x ${side} pixels, ${bytes.length} bytes\n`, severities: [] };
}

export const thumbCommand = command({
  word: 'thumb',
  takes: 'IN',
  least: 1,
  most: 1,
  out: { kind: 'file', needed: true, endings: ['webp'] },
  options,
  does: 'A small shaded picture of a file, as the stores show it.',
  example: 'thumb "WS-104 cup.step" --out cup.webp',
  run,
});
