import { mkdir } from 'node:fs/promises';
import { basename, dirname, extname } from 'node:path';
import { command, type Asked, type Report } from '../command/command.ts';
import { flag, text } from '../command/option.ts';
import { settled, settledText } from '../command/settle.ts';
import { loadDesign, readOptions } from '../command/source.ts';
import { store } from '../command/store.ts';
import { nodeKernels } from '../kernel/load.ts';
import { usualChoices } from '../model/choices.ts';
import { assembled, assembledIges } from '../pipeline/assembly.ts';

const options = {
  branch: text('NAME', "Only this branch of the design's tree."),
  evenSo: flag('Leaves the file even when its verdict is stop.'),
  up: readOptions.up,
};

async function run(asked: Asked<typeof options>): Promise<Report> {
  const { files, out, branch } = asked;
  const designs = [];
  for (const file of files) designs.push(await loadDesign(file, { ...usualChoices, up: asked.up }));
  const [{ tree }] = designs;
  const top = designs.length === 1 && tree.length === 1 && tree[0].children.length > 0 ? tree[0].name : null;
  const title = branch ?? top ?? basename(out, extname(out));
  const { bytes, evidence } = /\.(igs|iges)$/i.test(out)
    ? await assembledIges(designs, branch, title, nodeKernels)
    : await assembled(designs, branch, title, nodeKernels);
  await mkdir(dirname(out), { recursive: true });
  const stored = await store(out, [bytes]);
  const made = await settled({ file: out, format: 'step', part: title, bytes: stored, evidence }, asked);
  return { json: { inputs: files, branch, written: [made], verdict: made.verdict }, text: settledText(made), severities: [made.verdict] };
}

export const assembleCommand = command({
  word: 'assemble',
  takes: 'IN...',
  least: 1,
  most: 100,
  out: { kind: 'file', needed: true, endings: ['step', 'stp', 'igs', 'iges'] },
  options,
  does: 'Whole designs as one STEP file: tree, names, colours, every copy at its place; or as IGES, the solids only.',
  example: 'assemble "WS-104 cup.step" "WS-103 mast bracket.step" --out station.step',
  run,
});
