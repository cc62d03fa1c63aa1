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
import { asUnusable, Unusable, type Finding } from '../base/finding.ts';
import { nodeKernels } from '../kernel/load.ts';
import { nodeTools } from '../pipeline/node-tools.ts';
import { comparedParts, manifestText, reportCsv, type Manifest, type PartChange } from '../release/manifest.ts';
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

/** The designs of some files. One that can't be read does not stop the others; it is told. */
async function readSources(from: string, findings: Finding[]): Promise<Source[]> {
  const sources: Source[] = [];
  for (const file of await sourcesOf(from)) {
    const name = basename(file);
    try {
      const info = await stat(file);
      if (info.size > mostBytes) throw new Unusable('too-large', `"${name}" is too large.`, 'Export fewer parts at a time.');
      const bytes = await readFile(file);
      sources.push({ file: name, sha256: sha256([bytes]), bytes: bytes.length, design: await readDesign(bytes, name, nodeKernels, usualChoices) });
    } catch (thrown) {
      const { code, message, remedy } = thrown instanceof Unusable ? thrown : asUnusable(thrown);
      findings.push({ code, severity: 'stop', count: 1, message: `"${name}": ${message}`, remedy });
    }
  }
  return sources;
}

function parsed(text: string): unknown {
  try {
    return JSON.parse(text);
  } catch {
    return null;
  }
}

/** What the last release into a folder says of itself; null when there was none. */
async function lastManifest(file: string): Promise<Manifest | null> {
  const text = await readFile(file, 'utf8').catch(() => null);
  if (text === null) return null;
  const said = parsed(text) as Partial<Manifest> | null;
  if (said && Array.isArray(said.parts) && Array.isArray(said.files)) return said as Manifest;
  throw new Unusable(
    'bad-manifest',
    `"${file}" is not what a release says of itself, so what changed since can't be told.`,
    'Take it away, and everything is made anew; or release into another folder.',
  );
}

/** A zip of a release, beside its name and renamed, so that no half zip ever has it. */
async function writeZip(out: string, { files }: Manifest, papers: readonly { name: string; bytes: Uint8Array }[]): Promise<void> {
  const entries = [
    ...files.map((f) => ({ name: f.file, bytes: () => readFile(join(out, ...f.file.split('/'))) as Promise<Uint8Array> })),
    ...papers.map(({ name, bytes }) => ({ name, bytes: async () => bytes })),
  ];
  const zip = join(out, 'release.zip');
  await pipeline(Readable.from(zipped(entries)), createWriteStream(`${zip}.part`));
  await rename(`${zip}.part`, zip);
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
  const sources = await readSources(given.files[0], findings);
  const { parts, geometryOf } = partsOf(sources, list.rows, readyReceivers);
  const files = sources.map(({ file, sha256: sum, bytes }) => ({ file, sha256: sum, bytes })).sort((a, b) => (a.file < b.file ? -1 : 1));
  const plan = planned(parts, files, recipe, { program });
  await mkdir(given.out, { recursive: true });
  const manifestFile = join(given.out, 'manifest.json');
  const before = await lastManifest(manifestFile);
  const placeOf = (name: string) => join(given.out, ...name.split('/'));
  const { manifest, made, held } = await runRelease(plan, before, {
    tools: nodeTools,
    geometryOf,
    keep: async (name, pieces) => {
      await mkdir(dirname(placeOf(name)), { recursive: true });
      return store(placeOf(name), pieces);
    },
    there: (name) =>
      readFile(placeOf(name)).then(
        (bytes) => sha256([bytes]),
        () => null,
      ),
    evenSo: given.evenSo,
    drop: (name) => rm(placeOf(name), { force: true }),
  });
  const changes = comparedParts(before?.parts ?? manifest.parts, manifest.parts);
  const encoder = new TextEncoder();
  const report = encoder.encode(reportCsv(manifest, changes, made));
  const manifestBytes = encoder.encode(manifestText(manifest));
  await store(manifestFile, [manifestBytes]);
  await store(join(given.out, 'report.csv'), [report]);
  const papers = [
    { name: 'manifest.json', bytes: manifestBytes },
    { name: 'report.csv', bytes: report },
  ];
  if (given.zip) await writeZip(given.out, manifest, papers);
  findings.push(...staleFindings(before, manifest, held));
  return said(manifest, made, { changes: before ? changes : [], findings });
}

/** Files of the last release that no row of this one has. */
function staleFindings(before: Manifest | null, manifest: Manifest, held: ReadonlySet<string>): Finding[] {
  const now = new Set(manifest.files.map((f) => f.file));
  // What was held back this time was taken away.
  const stale = (before?.files ?? []).map((f) => f.file).filter((f) => !now.has(f) && !held.has(f));
  if (stale.length === 0) return [];
  return [
    {
      code: 'old-files',
      severity: 'look',
      count: stale.length,
      message: `${stale.length} files of the last release are no part of this one and still stand there, first "${stale[0]}".`,
      remedy: 'Take them away, so that nobody cuts the old revision again.',
    },
  ];
}

/** What a release says of itself on the command line. */
function said(manifest: Manifest, made: ReadonlySet<string>, { changes, findings }: { changes: PartChange[]; findings: Finding[] }): Report {
  const { files, notMade } = manifest;
  const stateOf = (file: string) => (made.has(file) ? 'made' : 'same');
  const json = {
    made: made.size,
    same: files.length - made.size,
    files: files.map((f) => ({ ...f, state: stateOf(f.file) })),
    notMade,
    changes,
    findings,
  };
  const text = [
    `${files.length} files: ${made.size} made, ${files.length - made.size} same as before; ${notMade.length} not made`,
    ...files.map((f) => `  ${f.verdict}: ${f.file} (${f.bytes} bytes, ${stateOf(f.file)})`),
    ...notMade.map((n) => `  ${n.severity}: ${n.part} for ${n.receiver} not made. ${n.message} ${n.remedy}`),
    ...changes
      .filter((c) => c.state !== 'same')
      .map((c) => `  since the last release: ${c.part} ${c.state}${c.state === 'changed' ? `: ${c.what.join('; ')}` : ''}`),
    ...findings.map((f) => `  ${f.severity}: ${f.message} ${f.remedy}`),
  ];
  return {
    json,
    text: `${text.join('\n')}\n`,
    severities: [...findings.map((f) => f.severity), ...files.map((f) => f.verdict), ...notMade.map((n) => n.severity)],
  };
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
