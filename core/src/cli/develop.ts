import { store } from '../command/store.ts';
import { mkdir } from 'node:fs/promises';
import { join } from 'node:path';
import { develop, developChoice, developedCsv, partOfDeveloped } from '../develop/develop.ts';
import { sha256 } from '../base/sha256.ts';
import { withFindings } from '../prove/evidence.ts';
import { Unusable } from '../base/finding.ts';
import { nodeTools } from '../pipeline/node-tools.ts';
import { makeOneFile } from '../pipeline/one-file.ts';
import { firstDrawingRecipe } from '../model/drawing-recipe.ts';
import { readyReceivers } from '../receivers/ready.ts';
import { firstRecipe, safeFileName, type Recipe } from '../recipe/recipe.ts';
import { command, toFolder, type Asked, type Report } from '../command/command.ts';
import { patternFileOptions, patternReceiver } from './flat.ts';
import { settled, settledText } from '../command/settle.ts';

const options = patternFileOptions;

/** "width=200" and the like, after the name of the shape. @throws Unusable when one is not like that, or stands twice. */
function sizesOf(words: readonly string[]): Record<string, string> {
  const out: Record<string, string> = {};
  for (const word of words) {
    const found = /^([A-Za-z]+)=(\S+)$/.exec(word);
    if (!found) throw new Unusable('bad-size', `A size must be like width=200, not "${word}".`, 'Lengths are mm, angles degrees; type no units.');
    if (found[1] in out) throw new Unusable('bad-size', `"${found[1]}" stands twice.`, 'Leave one of them away.');
    out[found[1]] = found[2];
  }
  return out;
}

/** `develop`: a shape that is given by its sizes, developed, written, and read back. */
async function run(given: Asked<typeof options>): Promise<Report> {
  const [kind, ...words] = given.files;
  const sizes = { ...sizesOf(words), ...(given.fitArcs === null ? {} : { deviation: given.fitArcs }) };
  const choice = developChoice({ kind, ...sizes });
  const made = develop(choice);
  const part = partOfDeveloped(choice, made);
  const { name } = part.summary;
  const recipe: Recipe = {
    ...firstRecipe(part.summary, readyReceivers),
    receiver: patternReceiver(given),
    drawing: { ...firstDrawingRecipe(), version: given.dxfVersion, kerf: given.kerf ?? 0, ...(given.pages ? { pages: given.pages } : {}) },
  };
  recipe.file = { ...recipe.file, format: given.format, unit: given.unit };
  await mkdir(given.out, { recursive: true });
  const { fileName, bytes, evidence } = await makeOneFile(part, recipe, nodeTools, (as, pieces) => store(join(given.out, as), pieces));
  const proved = withFindings(evidence, part.findings);
  const file = await settled({ file: join(given.out, fileName), format: given.format, part: name, bytes, evidence: proved }, given);
  const beside: Record<string, unknown>[] = [];
  if (made.bends.length > 0) {
    const table = join(given.out, `${safeFileName(name)}_bends.csv`);
    const data = await store(table, [new TextEncoder().encode(developedCsv(made))]);
    beside.push({ file: table, format: 'csv', bytes: data.length, sha256: sha256([data]) });
  }
  const { findings, verdict } = proved;
  const { box } = part.summary;
  const { kind: _, ...taken } = choice;
  const json = {
    shape: kind,
    sizes: taken,
    part: name,
    flat: { box, area: made.area, areaInSpace: made.areaInSpace, deviation: made.deviation, checked: made.checked },
    bends: made.bends.map(({ order, angle, length }) => ({ order, angle, length })),
    findings,
    verdict,
    written: [file, ...beside],
  };
  const lines = [
    `${verdict}: ${name}, flat ${(box.max[0] - box.min[0]).toFixed(3)} x ${(box.max[1] - box.min[1]).toFixed(3)} mm, ${(made.area / 1e6).toFixed(4)} m2${made.bends.length > 0 ? `, ${made.bends.length} bend lines of ${made.bends[0].angle.toFixed(2)} degrees and the like` : ''}`,
  ];
  return {
    json,
    text: `${lines.join('\n')}\n${settledText(file)}${beside.map((b) => `  ${String(b.file)} (${String(b.bytes)} bytes)\n`).join('')}`,
    severities: [verdict],
  };
}

export const developCommand = command({
  word: 'develop',
  takes: 'square-to-round|cone|branch NAME=SIZE...',
  least: 1,
  most: 40,
  nothing: new Unusable(
    'no-shape',
    '"develop" needs a shape and its sizes.',
    'For instance: tall-kite develop cone lower=120 upper=60 height=100 thickness=1.5 --out DIR',
  ),
  out: toFolder,
  options,
  does: 'The development of a duct, a cone or a pipe branch from its sizes, with bend lines. A wrong or missing size is answered with the list of sizes. Developed in two ways, which must agree.',
  example: 'develop cone lower=120 upper=60 height=100 thickness=1.5 --out cone',
  run,
});
