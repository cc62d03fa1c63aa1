import { store } from '../command/store.ts';
import { mkdir } from 'node:fs/promises';
import { dirname, join, resolve, sep } from 'node:path';
import { sha256 } from '../base/sha256.ts';
import { Unusable, type Severity } from '../base/finding.ts';
import type { Manifest, PartChange } from '../release/manifest.ts';
import type { Report } from '../command/command.ts';
import { jsonFile } from '../command/json-file.ts';

/** What the command needs of a release as the server tells it. */
interface Told {
  state: 'running' | 'done' | 'cancelled';
  changes: PartChange[] | null;
  rows: { id: string; name: string; state: string; sha256: string | null }[];
}

/** Asks a running Tall Kite. @throws Unusable with what it answered. */
async function asked(url: string, body?: unknown): Promise<Response> {
  const response = await fetch(
    url,
    body === undefined ? {} : { method: 'POST', headers: { 'Content-Type': 'application/json' }, body: JSON.stringify(body) },
  ).catch((thrown: Error) => {
    throw new Unusable(
      'no-server',
      `Nothing answers at ${new URL(url).origin} (${thrown.message}).`,
      'Start Tall Kite there, or release a folder without a server.',
    );
  });
  if (response.ok) return response;
  const said = (await response.json().catch(() => null)) as { error?: { code: string; message: string; remedy: string } } | null;
  const { code, message, remedy } = said?.error ?? {
    code: 'refused',
    message: `The server answered ${response.status}.`,
    remedy: 'Check the address of the job.',
  };
  throw new Unusable(code, message, remedy);
}

/** `release` of a job of a running Tall Kite, named by its address: its workers make the files, which are fetched and checked here. */
export async function releaseJob(given: { files: string[]; out: string; recipe: string; parts: string | null; zip: boolean }): Promise<Report> {
  const address = new URL(given.files[0]);
  const job = /^\/jobs\/([0-9a-f-]{36})\b/.exec(address.pathname)?.[1];
  if (!job)
    throw new Unusable('no-job', `"${given.files[0]}" is not the address of a job.`, 'Copy it from the browser: it looks like http://127.0.0.1:4180/jobs/…');
  if (given.parts !== null) throw new Unusable('parts-of-job', 'A job has its parts list already.', 'Take the list into the job, and leave --parts away.');
  // The server knows its own receivers: it checks the recipe.
  const recipe = await jsonFile(given.recipe, 'recipe');
  const api = `${address.origin}/api`;
  const { id } = (await (await asked(`${api}/jobs/${job}/releases`, { recipe })).json()) as { id: string };
  let told: Told;
  do {
    await new Promise((done) => setTimeout(done, 400));
    told = (await (await asked(`${api}/releases/${id}`)).json()) as Told;
  } while (told.state === 'running');
  const bytes = async (path: string) => new Uint8Array(await (await asked(`${api}/${path}`)).arrayBuffer());
  const manifestBytes = await bytes(`releases/${id}/report`);
  const manifest = JSON.parse(new TextDecoder().decode(manifestBytes)) as Manifest;
  const root = resolve(given.out);
  await mkdir(root, { recursive: true });
  for (const row of told.rows) {
    if (row.sha256 === null) continue;
    const file = resolve(root, ...row.name.split('/'));
    if (!file.startsWith(root + sep)) throw new Unusable('bad-name', `"${row.name}" leads out of the folder.`, 'Compose names without "..".');
    const got = await bytes(`release-files/${row.id}`);
    if (sha256([got]) !== row.sha256) throw new Unusable('broken-off', `"${row.name}" did not arrive whole.`, 'Try again.');
    await mkdir(dirname(file), { recursive: true });
    await store(file, [got]);
  }
  await store(join(root, 'manifest.json'), [manifestBytes]);
  await store(join(root, 'report.csv'), [await bytes(`releases/${id}/report?as=csv`)]);
  if (given.zip) await store(join(root, 'release.zip'), [await bytes(`releases/${id}/zip`)]);
  const stateOf = new Map(told.rows.map((r) => [r.name, r.state]));
  const files = manifest.files.map((f) => ({ ...f, state: stateOf.get(f.file) === 'made' ? 'made' : 'same' }));
  const made = files.filter((f) => f.state === 'made').length;
  const severities: Severity[] = [...files.map((f) => f.verdict), ...manifest.notMade.map((n) => n.severity)];
  const json = { made, same: files.length - made, files, notMade: manifest.notMade, changes: told.changes ?? [], findings: [] };
  const text = [
    `${files.length} files: ${made} made, ${files.length - made} same as before; ${manifest.notMade.length} not made`,
    ...files.map((f) => `  ${f.verdict}: ${f.file} (${f.bytes} bytes, ${f.state})`),
    ...manifest.notMade.map((n) => `  ${n.severity}: ${n.part} for ${n.receiver} not made. ${n.message} ${n.remedy}`),
  ];
  return { json, text: `${text.join('\n')}\n`, severities };
}
