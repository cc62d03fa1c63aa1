import { writeFile } from 'node:fs/promises';
import { basename } from 'node:path';
import { Unusable, worst } from '../base/finding.ts';
import { counted, lengthText } from '../base/figures.ts';
import { command, type Asked, type Report } from '../command/command.ts';
import { millimetres } from '../command/option.ts';
import { facetOptions, readOptions, wholeOf } from '../command/source.ts';
import { store } from '../command/store.ts';
import { boxOf } from '../geometry/box.ts';
import { heightMap, scaleName } from '../pipeline/heights.ts';
import { rangeOf } from '../reliefs/field.ts';
import { stockBounds } from '../reliefs/choice.ts';

const options = { cell: millimetres(stockBounds.cell, 'Distance of heights; usually 400 along the longer side.'), ...readOptions, ...facetOptions };

/** `heights`: what can be seen from above as a 16-bit grey picture with its scale, read back and held against the mesh by rays. */
async function run(given: Asked<typeof options>): Promise<Report> {
  const { mesh, findings } = await wholeOf(given.files[0], given);
  const { min: low, max: high } = boxOf(mesh.positions);
  const cell = given.cell ?? Math.max(stockBounds.cell[0], Math.max(high[0] - low[0], high[1] - low[1]) / 400);
  const made = await heightMap(mesh, cell, basename(given.out), findings.filter((f) => f.code === 'left-out')); // prettier-ignore
  const png = await store(given.out, [made.png]);
  const beside = scaleName(given.out);
  await writeFile(beside, made.scaleText).catch((thrown: Error) => {
    throw new Unusable('not-written', `"${beside}" could not be written: ${thrown.message}.`, 'Check the folder and the space on the disk.');
  });
  const evidence = await made.provedFiles(new Uint8Array(png), made.scaleText);
  const range = rangeOf(made.field)!;
  const { columns, rows, step } = made.field;
  const verdict = worst([evidence.verdict, ...evidence.findings.map((f) => f.severity)]);
  const json = { file: given.out, scale: beside, columns, rows, step, lowest: range[0], highest: range[1], perGrey: made.scale.perGrey, evidence, verdict };
  const text = [
    `${verdict}: ${given.out}, ${columns} x ${rows} ${counted(columns * rows, 'height')} every ${lengthText(Math.max(...step))} mm, ${lengthText(range[0])} to ${lengthText(range[1])} mm, ${made.scale.perGrey.toPrecision(3)} mm a grey`,
    ...evidence.findings.map((f) => `  ${f.severity}: ${f.message} ${f.remedy}`),
  ];
  return { json, text: `${text.join('\n')}\n`, severities: [verdict] };
}

export const heightsCommand = command({
  word: 'heights',
  takes: 'IN',
  least: 1,
  most: 1,
  out: { kind: 'file', needed: true, endings: ['png'] },
  options,
  does: 'The heights of a relief or part seen from above, as a picture in 16 bits of grey with a JSON file beside it that says what its greys mean.',
  example: 'heights "WS-112 sign relief.obj" --cell 0.5 --out sign.png',
  run,
});
