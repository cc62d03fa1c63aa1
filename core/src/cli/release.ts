import { store } from '../command/store.ts';
import { readdir, readFile, mkdir, rename, rm, stat } from 'node:fs/promises';
import { createWriteStream } from 'node:fs';
import { basename, dirname, extname, join } from 'node:path';
import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { usualChoices } from '../model/choices.ts';
import { endings } from '../pipeline/opened.ts';
import { mostBytes, readDesign } from '../pipeline/read.ts';
import { sha256 } from '../base/sha256.ts';
import { asUnusable, Unusable, type Finding, type Severity } from '../base/finding.ts';
import { nodeKernels } from '../kernel/load.ts';
import { nodeTools } from '../pipeline/node-tools.ts';
import { comparedParts, manifestText, reportCsv, type Manifest } from '../release/manifest.ts';
import { readPartsList, type PartsRow } from '../release/parts-list.ts';
import { planned } from '../release/plan.ts';
import { partsOf, run as runRelease, type Source } from '../release/run.ts';
import { checkRelease } from '../release/schema.ts';
import { readyReceivers } from '../receivers/ready.ts';
import { zipped } from '../release/zip.ts';
import { command, toFolder, type Asked, type Report } from '../command/command.ts';
import { flag, text as typedText } from '../command/option.ts';
import { jsonFile } from '../command/json-file.ts';
import { releaseJob } from './release-job.ts';

const options = {
  recipe: typedText('RECIPE.json', 'What is made of what, for whom (needed); docs/releases.md says what stands in it.'),
  parts: typedText('PARTS.csv', 'A parts list: names, numbers, quantities, materials.'),
  zip: flag('A zip of all too.'),
  evenSo: flag('Leaves files whose verdict is stop.'),
};

const program = 'tall-kite 0.1.0';

/** Files that a release reads: one, or all readable ones of a folder, by name. */
async function sourcesOf(from: string): Promise<string[]> {
  const info = await stat(from).catch(() => null);
  if (info?.isFile()) return [from];
  if (!info?.isDirectory()) throw new Unusable('no-such-file', `There is no file or folder "${from}".`, 'Check the name.');
  const names = (await readdir(from)).filter((n) => extname(n).slice(1).toLowerCase() in endings).sort();
  if (names.length === 0)
    throw new Unusable('no-file', `The folder "${from}" holds no design.`, `Put files in it that end in ${Object.keys(endings).join(', ')}.`);
  return names.map((n) => join(from, n));
}

/** `release`: a saved release run without a server: files, manifest, report and zip; again at the next revision only what changed. */
async function run(given: Asked<typeof options>): Promise<Report> {
  if (given.recipe === null) throw new Unusable('no-recipe', '"release" needs a recipe.', 'Add --recipe FILE.json; docs/releases.md says what stands in it.');

  if (/^https?:\/\//.test(given.files[0])) return releaseJob({ ...given, recipe: given.recipe });
  const recipe = checkRelease(await jsonFile(given.recipe, 'recipe'), readyReceivers);
  const list = given.parts === null ? { rows: [] as PartsRow[], bad: [] } : readPartsList(await readFile(given.parts, 'utf8'));
  const findings: Finding[] = list.bad.map(({ line, why }) => ({
    code: 'bad-row',
    severity: 'look',
    count: 1,
    message: `Line ${line} of the parts list was not taken: ${why}.`,
    remedy: 'Correct that line.',
  }));
  const sources: Source[] = [];
  for (const file of await sourcesOf(given.files[0])) {
    const name = basename(file);
    try {
      const info = await stat(file);
      if (info.size > mostBytes) throw new Unusable('too-large', `"${name}" is too large.`, 'Export fewer parts at a time.');
      const bytes = await readFile(file);
      sources.push({ file: name, sha256: sha256([bytes]), bytes: bytes.length, design: await readDesign(bytes, name, nodeKernels, usualChoices) });
    } catch (thrown) {
      // One file that can't be read does not stop the others.
      const { code, message, remedy } = thrown instanceof Unusable ? thrown : asUnusable(thrown);
      findings.push({ code, severity: 'stop', count: 1, message: `"${name}": ${message}`, remedy });
    }
  }
  const { parts, geometryOf } = partsOf(sources, list.rows, readyReceivers);
  const files = sources.map(({ file, sha256: sum, bytes }) => ({ file, sha256: sum, bytes })).sort((a, b) => (a.file < b.file ? -1 : 1));
  const plan = planned(parts, files, recipe, { program: program });
  await mkdir(given.out, { recursive: true });
  const manifestFile = join(given.out, 'manifest.json');
  const before = await readFile(manifestFile, 'utf8').then(
    (text) => JSON.parse(text) as Manifest,
    () => null,
  );
  const { manifest, made } = await runRelease(
    plan,
    before,
    nodeTools,
    geometryOf,
    async (name, pieces) => {
      const file = join(given.out, ...name.split('/'));
      await mkdir(dirname(file), { recursive: true });
      return store(file, pieces);
    },
    (name) =>
      readFile(join(given.out, ...name.split('/'))).then(
        (bytes) => sha256([bytes]),
        () => null,
      ),
    undefined,
    { evenSo: given.evenSo, drop: (name) => rm(join(given.out, ...name.split('/')), { force: true }) },
  );
  const changes = comparedParts(before?.parts ?? manifest.parts, manifest.parts);
  const encoder = new TextEncoder();
  const report = encoder.encode(reportCsv(manifest, changes, made));
  const manifestBytes = encoder.encode(manifestText(manifest));
  await store(manifestFile, [manifestBytes]);
  await store(join(given.out, 'report.csv'), [report]);
  if (given.zip) {
    const entries = [
      ...manifest.files.map((f) => ({ name: f.file, bytes: () => readFile(join(given.out, ...f.file.split('/'))) as Promise<Uint8Array> })),
      { name: 'manifest.json', bytes: async () => manifestBytes as Uint8Array },
      { name: 'report.csv', bytes: async () => report as Uint8Array },
    ];
    // Beside its name and renamed, so that no half zip ever has it.
    const zip = join(given.out, 'release.zip');
    await pipeline(Readable.from(zipped(entries)), createWriteStream(`${zip}.part`));
    await rename(`${zip}.part`, zip);
  }
  const stale = (before?.files ?? []).filter((f) => !manifest.files.some((n) => n.file === f.file)).map((f) => f.file);
  if (stale.length > 0) {
    findings.push({
      code: 'old-files',
      severity: 'look',
      count: stale.length,
      message: `${stale.length} files of the last release are no part of this one and still stand there, first "${stale[0]}".`,
      remedy: 'Take them away, so that nobody cuts the old revision again.',
    });
  }
  const severities: Severity[] = [...findings.map((f) => f.severity), ...manifest.files.map((f) => f.verdict), ...manifest.notMade.map((n) => n.severity)];
  const json = {
    made: [...made].length,
    same: manifest.files.length - made.size,
    files: manifest.files.map((f) => ({ ...f, state: made.has(f.file) ? 'made' : 'same' })),
    notMade: manifest.notMade,
    changes: before ? changes : [],
    findings,
  };
  const text = [
    `${manifest.files.length} files: ${made.size} made, ${manifest.files.length - made.size} same as before; ${manifest.notMade.length} not made`,
    ...manifest.files.map((f) => `  ${f.verdict}: ${f.file} (${f.bytes} bytes, ${made.has(f.file) ? 'made' : 'same'})`),
    ...manifest.notMade.map((n) => `  ${n.severity}: ${n.part} for ${n.receiver} not made. ${n.message} ${n.remedy}`),
    ...(before
      ? changes
          .filter((c) => c.state !== 'same')
          .map((c) => `  since the last release: ${c.part} ${c.state}${c.state === 'changed' ? `: ${c.what.join('; ')}` : ''}`)
      : []),
    ...findings.map((f) => `  ${f.severity}: ${f.message} ${f.remedy}`),
  ];
  return { json, text: `${text.join('\n')}\n`, severities };
}

export const releaseCommand = command({
  word: 'release',
  takes: 'FOLDER-or-FILE-or-JOB',
  least: 1,
  most: 1,
  out: toFolder,
  options,
  does: 'Chosen parts to their receivers in one run, each proved; manifest, report, zip. Again: only what changed is made. A job of a running server is named by its address.',
  example: 'release designs --recipe recipe.json --out release',
  run,
});
