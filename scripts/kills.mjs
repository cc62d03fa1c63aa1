// npm run kills: kills web, workers, inboxes, database and supervisor at random moments under uploads, reads, operations, files and releases, then looks
// whether anything is lost, doubled or half-written, and how long each took to come back. On loopback, in a folder of its own.
import { spawn } from 'node:child_process';
import { createHash } from 'node:crypto';
import { createReadStream, mkdtempSync, readdirSync, readFileSync, rmSync, statSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { pipeline } from 'node:stream/promises';
import { hashesOf } from './backup.mjs';
import { ensureBuild, ensureModules, freePort, giveUp, root } from './machine.mjs';

const usual = { kills: 200, seed: 1, within: 30 };
const wish = { ...usual };
for (let i = 2; i < process.argv.length; i += 2) {
  const name = process.argv[i].replace(/^--/, '');
  if (!(name in usual) || !(Number(process.argv[i + 1]) >= 1)) giveUp('Known: --kills N, --seed N, --within SECONDS.');
  wish[name] = Number(process.argv[i + 1]);
}
let state = wish.seed;
/** A whole number below n; the same order for the same seed. */
const random = (n) => Math.floor(((state = (state * 1103515245 + 12345) % 2147483648) / 2147483648) * n);
const pause = (ms) => new Promise((done) => setTimeout(done, ms));

ensureModules();
ensureBuild();
const dataDir = mkdtempSync(join(tmpdir(), 'tall-kite-kills-'));
const port = await freePort(4380);
const base = `http://127.0.0.1:${port}`;
let supervisor = null;
let stopping = false;
function start() {
  const { DATABASE_URL: _, RELEASE_DIR: __, INBOX_URL: ___, ...env } = process.env;
  supervisor = spawn(process.execPath, ['scripts/run.mjs', 'start'], { cwd: root, stdio: 'ignore', env: { ...env, DATA_DIR: dataDir, PORT: String(port), INBOX_PORT: String(port + 40), RELEASE_DIR: join(dataDir, 'released'), WORKERS: '2' } }); // prettier-ignore
  supervisor.once('exit', () => !stopping && setTimeout(() => !stopping && start(), 300));
}

/** Processes of this data folder, by their arguments. */
function processes() {
  return readdirSync('/proc').flatMap((pid) => {
    if (!/^\d+$/.test(pid) || Number(pid) === process.pid) return [];
    try {
      const line = readFileSync(`/proc/${pid}/cmdline`, 'utf8').replaceAll('\0', ' ');
      const ours = readFileSync(`/proc/${pid}/environ`, 'utf8').includes(`DATA_DIR=${dataDir}\0`) || line.includes(dataDir);
      return ours && line !== '' ? [{ pid: Number(pid), line }] : [];
    } catch {
      return [];
    }
  });
}
const victims = {
  web: (p) => /next-server|next\/dist\/bin\/next/.test(p.line),
  worker: (p) => p.line.includes('server/dist/worker.js'),
  inboxes: (p) => p.line.includes('server/dist/inboxes.js'),
  database: (p) => /\/postgres -D /.test(p.line) && !p.line.includes('postgres.mjs'),
  supervisor: (p) => p.pid === supervisor?.pid,
};
const isWell = () =>
  fetch(`${base}/api/health`, { signal: AbortSignal.timeout(3000) }).then(
    async (r) => r.ok && (await r.json()).checks.every((c) => c.mark !== 'stop'),
    () => false,
  );

/** Asks the server; null when it does not answer or answers with an error of its own. */
async function ask(method, path, body) {
  try {
    const raw = body instanceof Uint8Array;
    const response = await fetch(base + path, { method, body: raw || body === undefined ? body : JSON.stringify(body), signal: AbortSignal.timeout(20_000) });
    return response.ok ? await response.json() : null;
  } catch {
    return null;
  }
}

const data = (name) => readFileSync(join(root, 'core/tests/data', name));
const sources = [
  { name: 'cube-mm.step', parts: 1, mark: (b, n) => Buffer.concat([b, Buffer.from(`\n/* ${n} */\n`)]) },
  { name: 'as1-oc-214.stp', parts: 5, mark: (b, n) => Buffer.concat([b, Buffer.from(`\n/* ${n} */\n`)]) },
  { name: 'Helix.stl', parts: 1, mark: (b, n) => (b.write(`n${n}`.padEnd(12), 20, 'latin1'), b) },
];
/** What the server has said yes to: it must never be lost. */
const promised = { designs: new Map(), files: new Set(), releases: new Set(), changes: new Map() };
const jobs = [];
let sent = 0;

const acts = [
  async () => {
    const made = await ask('POST', '/api/jobs', { name: `Job ${jobs.length}` });
    if (made) jobs.push(made.id);
  },
  async () => {
    if (jobs.length === 0) return;
    const source = sources[random(sources.length)];
    const bytes = source.mark(Buffer.from(data(source.name)), sent++);
    const job = jobs[random(jobs.length)];
    const made = await ask('POST', `/api/jobs/${job}/designs?name=${source.name}`, bytes);
    if (made) promised.designs.set(made.id, { job, parts: source.parts, sha256: createHash('sha256').update(bytes).digest('hex') });
  },
  async () => {
    const view = await someJob();
    const part = view?.parts[random(Math.max(1, view.parts.length))];
    if (!part) return;
    const count = 1 + random(900);
    const changed = await ask('PATCH', `/api/parts/${part.id}`, { version: part.version, what: 'count', fields: { quantity: count } });
    if (changed && changed.version > (promised.changes.get(part.id)?.version ?? 0)) promised.changes.set(part.id, { count, version: changed.version });
  },
  async () => {
    const view = await someJob();
    const part = view?.parts[random(Math.max(1, view.parts.length))];
    const made = part && (await ask('POST', `/api/parts/${part.id}/write`));
    if (made) promised.files.add(made.id ?? part.id);
  },
  async () => {
    const view = await someJob();
    const part = view?.parts[random(Math.max(1, view.parts.length))];
    if (part?.summary.kind === 'mesh') await ask('POST', `/api/jobs/${view.id}/operations`, { kind: 'check', part: part.id, thickness: false });
  },
  async () => {
    const view = await someJob();
    if (!view?.parts.length) return;
    const made = await ask('POST', `/api/jobs/${view.id}/releases`, { recipe: { lines: [{ receiver: 'lark', format: 'stl' }, { receiver: 'wren', format: '3mf' }] }, options: { folder: true, deliver: true } }); // prettier-ignore
    if (made) promised.releases.add(made.id);
  },
];
const someJob = async () => (jobs.length === 0 ? null : ask('GET', `/api/jobs/${jobs[random(jobs.length)]}?part=none`));

/** People at work, until told to stop. */
let working = true;
const people = [0, 1, 2].map(async () => {
  while (working) {
    await acts[[0, 1, 1, 1, 2, 2, 3, 3, 4, 5][random(10)]]();
    if (jobs.length > 12) jobs.splice(0, 1);
    await pause(200 + random(600));
  }
});

const back = {};
start();
while (!(await isWell())) await pause(200);
for (let n = 0; n < wish.kills; n++) {
  await pause(500 + random(3500));
  const kinds = Object.keys(victims);
  // The supervisor now and then only: everything goes with it.
  const kind = random(12) === 0 ? 'supervisor' : kinds[random(kinds.length - 1)];
  const found = processes().filter(victims[kind]);
  const victim = found[random(Math.max(1, found.length))];
  if (!victim) continue;
  process.kill(victim.pid, 'SIGKILL');
  const from = Date.now();
  await pause(300);
  while (!(await isWell())) {
    if (Date.now() - from > 10 * wish.within * 1000)
      giveUp(`After kill ${n + 1} (${kind}) it did not come back within ${10 * wish.within} s; look at ${dataDir}.`);
    await pause(200);
  }
  (back[kind] ??= []).push((Date.now() - from) / 1000);
  if ((n + 1) % 20 === 0)
    console.log(`${n + 1} kills, ${promised.designs.size} designs, ${promised.files.size} files, ${promised.releases.size} releases promised`);
}
working = false;
await Promise.all(people);

/** Everything that waits is done, or said to have failed. */
const wrong = [];
const views = new Map();
const allJobs = [...new Set([...promised.designs.values()].map((d) => d.job))];
for (const until = Date.now() + 15 * 60_000; ; await pause(1000)) {
  let busy = 0;
  for (const job of allJobs) {
    const view = await ask('GET', `/api/jobs/${job}`);
    if (view) views.set(job, view);
    busy += view ? view.designs.filter((d) => ['queued', 'reading'].includes(d.state)).length : 1;
    busy += view ? view.parts.filter((p) => ['queued', 'writing'].includes(p.file?.state)).length : 0;
    busy += view ? view.operations.filter((o) => ['queued', 'working'].includes(o.state)).length : 0;
  }
  for (const id of promised.releases) busy += (await ask('GET', `/api/releases/${id}?after=999999999`))?.state === 'running' ? 1 : 0;
  if (busy === 0) break;
  if (Date.now() > until) {
    wrong.push(`${busy} things still wait after 15 minutes`);
    break;
  }
}
for (const [id, { job, parts, sha256 }] of promised.designs) {
  const view = views.get(job);
  const design = view?.designs.find((d) => d.id === id);
  if (!design) wrong.push(`design ${id} is lost`);
  else if (design.sha256 !== sha256) wrong.push(`design ${id} has other bytes`);
  else if (design.state !== 'read') wrong.push(`design ${id} (${design.fileName}) is ${design.state}: ${design.failure?.message}`);
  else if (view.parts.filter((p) => p.designId === id).length !== parts) wrong.push(`design ${id} has ${view.parts.filter((p) => p.designId === id).length} parts of ${parts}`); // prettier-ignore
}
const parts = new Map([...views.values()].flatMap((v) => v.parts.map((p) => [p.id, p])));
for (const [id, { count, version }] of promised.changes) {
  const part = parts.get(id);
  // A later one may have been made whose answer was lost with its process.
  if (!part || part.version < version || (part.version === version && part.quantity !== count)) wrong.push(`a change of part ${id} is lost`);
}
for (const part of [...views.values()].flatMap((v) => v.parts))
  if (part.file?.state === 'failed') wrong.push(`file of ${part.name} failed: ${part.file.failure?.message}`);
let delivered = 0;
for (const id of promised.releases) {
  const release = await ask('GET', `/api/releases/${id}`);
  if (!release) wrong.push(`release ${id} is lost`);
  for (const row of release?.rows ?? []) {
    if (['queued', 'making', 'failed'].includes(row.state)) wrong.push(`release ${id}: ${row.name} is ${row.state}: ${row.finding}`);
    if (row.delivery === 'failed') wrong.push(`release ${id}: ${row.name} was not delivered: ${row.deliverySaid}`);
    if (['accepted', 'refused'].includes(row.delivery)) delivered++;
  }
}
const status = JSON.parse(readFileSync(join(dataDir, 'status.json'), 'utf8'));
for (const sha256 of hashesOf(status.database)) {
  const path = join(dataDir, 'blobs', sha256.slice(0, 2), sha256);
  const there = statSync(path, { throwIfNoEntry: false });
  if (!there) continue;
  const hash = createHash('sha256');
  await pipeline(createReadStream(path), hash);
  if (hash.digest('hex') !== sha256) wrong.push(`stored file ${sha256} holds other bytes`);
}
for (const view of views.values())
  for (const sha of [...view.designs.map((d) => d.sha256), ...view.parts.flatMap((p) => [p.view, p.file?.sha256])])
    if (sha && !statSync(join(dataDir, 'blobs', sha.slice(0, 2), sha), { throwIfNoEntry: false })) wrong.push(`stored file ${sha} is lost`);

const all = Object.values(back).flat();
console.log(`\n| killed | times | back after, median | longest |\n|---|---|---|---|`);
for (const [kind, times] of Object.entries(back)) {
  const sorted = [...times].sort((a, b) => a - b);
  console.log(`| ${kind} | ${times.length} | ${sorted[Math.floor(times.length / 2)].toFixed(1)} s | ${sorted.at(-1).toFixed(1)} s |`);
}
console.log(
  `\n${all.length} kills; ${promised.designs.size} designs, ${promised.files.size} files, ${promised.releases.size} releases (${delivered} files delivered) promised.`,
);
const late = all.filter((t) => t > wish.within).length;
if (late > 0) wrong.push(`${late} times it took longer than ${wish.within} s to come back`);
console.log(wrong.length === 0 ? 'Nothing was lost, doubled or half-written.' : `Wrong:\n${[...new Set(wrong)].join('\n')}`);
stopping = true;
supervisor.kill('SIGTERM');
await new Promise((done) => (supervisor.exitCode === null && supervisor.signalCode === null ? supervisor.once('exit', done) : done()));
if (wrong.length === 0) rmSync(dataDir, { recursive: true, force: true });
process.exit(wrong.length === 0 ? 0 : 1);
