import { store } from '../command/store.ts';
import { mkdir } from 'node:fs/promises';
import { join } from 'node:path';
import { usualChoices } from '../model/choices.ts';
import type { DesignPart } from '../model/design.ts';
import { withFindings } from '../prove/evidence.ts';
import { Unusable, type Severity } from '../base/finding.ts';
import { nodeTools } from '../pipeline/node-tools.ts';
import { makeOneFile } from '../pipeline/one-file.ts';
import { readyReceivers } from '../receivers/ready.ts';
import { firstRecipe, safeFileName, type Recipe } from '../recipe/recipe.ts';
import { flatFormats, formatNames, type FileFormat } from '../receivers/receivers.ts';
import { command, toFolder, type Asked, type Report } from '../command/command.ts';
import { choice, choiceOrNone } from '../command/option.ts';
import { drawingChoices, drawingReadOptions, facetOptions, knownLengthOption, loadDesign, partOption, readOptions, usualAngle } from '../command/source.ts';
import { meshFileOptions, receiverFor } from '../command/written.ts';
import { flatOptions, writeFlat } from './flat.ts';
import { settled, settledText } from '../command/settle.ts';
import { knownFactor } from './known-length.ts';

const options = {
  format: choice(Object.keys(formatNames) as FileFormat[], 'stl', 'What is written.'),
  ...partOption,
  ...readOptions,
  ...drawingReadOptions,
  ...knownLengthOption,
  ...facetOptions,
  ...meshFileOptions,
  place: choiceOrNone(['drawn', 'corner', 'middle'], 'Where the part lies; "drawn" keeps it where it is, however far away.'),
  ...flatOptions,
};

type Wish = Asked<typeof options>;

/** `write`: each chosen part to a file, proved from the bytes on the disk. */
async function run(given: Wish): Promise<Report> {
  const design = await loadDesign(given.files[0], { ...usualChoices, up: given.up, ...drawingChoices(given) });
  const chosen = design.parts.filter((part) => given.part === null || part.summary.name === given.part);
  if (chosen.length === 0) {
    const names = design.parts.map((part) => part.summary.name).join(', ') || 'none';
    throw new Unusable(
      'no-such-part',
      given.part === null ? 'The design has no part to write.' : `There is no part "${given.part}".`,
      `Parts in the file: ${names}.`,
    );
  }
  await mkdir(given.out, { recursive: true });
  const taken = new Set<string>();
  const written = [];
  const severities: Severity[] = [];
  let text = '';
  for (const part of chosen) {
    const recipe = recipeFor(part, given, taken);
    let row;
    try {
      row = flatFormats.includes(given.format) ? await writeFlat(part, recipe, given) : await writeOne(part, recipe, given);
    } catch (thrown) {
      // One part that can't be written takes none of the others with it.
      if (!(thrown instanceof Unusable) || chosen.length === 1) throw thrown;
      row = notWritten(part, thrown, given);
    }
    written.push(row);
    severities.push(row.verdict);
    text += settledText(row);
  }
  return { json: { written }, text, severities };
}

/** A part that could not be written, among others that could. */
function notWritten(part: DesignPart, why: Unusable, given: Wish) {
  return {
    file: '',
    format: given.format,
    part: part.summary.name,
    bytes: 0,
    sha256: '',
    verdict: 'stop' as const,
    reason: `${part.summary.name} was not written: ${why.message}`,
    kept: false,
    evidence: [],
    findings: [{ code: why.code, severity: 'stop' as const, count: 1, message: `${part.summary.name} was not written: ${why.message}`, remedy: why.remedy }],
  };
}

/** The part's first recipe with what was typed; two parts of one name get different file names. */
function recipeFor(part: DesignPart, given: Wish, taken: Set<string>): Recipe {
  const recipe = firstRecipe(part.summary, readyReceivers);
  recipe.receiver = receiverFor(given.receiver, given.format);
  if (given.deviation !== null) recipe.facets.deviation = given.deviation;
  if (given.angle !== null || given.deviation !== null) recipe.facets.angle = given.angle ?? usualAngle;
  if (given.balanced) recipe.facets.balanced = true;
  recipe.file.unit = given.unit;
  recipe.file.format = given.format;
  recipe.file.quads = given.quads;
  recipe.file.encoding = given.ascii ? 'ascii' : 'binary';
  recipe.size.reading = given.fromUnit;
  if (given.knownLength) recipe.size.factor = knownFactor(part.summary, recipe, given.knownLength).factor;
  if (given.place === 'drawn') recipe.stance = { ...recipe.stance, keepPlace: true };
  const base = `${safeFileName(part.summary.name)}_${given.unit}`;
  let name = base;
  for (let i = 2; taken.has(name.toLowerCase()); i++) name = `${base}_${i}`;
  taken.add(name.toLowerCase());
  recipe.file.name = name;
  return recipe;
}

async function writeOne(part: DesignPart, recipe: Recipe, given: Wish) {
  const { fileName, bytes, evidence } = await makeOneFile(part, recipe, nodeTools, (name, pieces) => store(join(given.out, name), pieces));
  return settled(
    { file: join(given.out, fileName), format: recipe.file.format, part: part.summary.name, bytes, evidence: withFindings(evidence, part.findings) },
    given,
  );
}

export const writeCommand = command({
  word: 'write',
  takes: 'FILE',
  least: 1,
  most: 1,
  out: toFolder,
  options,
  does: 'Writes each part, reads the bytes back and holds them against the design; of solids and meshes also drawings: a view, a section or a flat face.',
  example: 'write "WS-103 mast bracket.step" --format stl --out files',
  run,
});
