// npm run demo, npm start: set-up, database, worker and web process, all stopped together.
import { spawnSync } from 'node:child_process';
import { availableParallelism } from 'node:os';
import { join, resolve } from 'node:path';
import { startCluster } from './cluster.mjs';
import { ensureBuild, ensureModules, ensurePackages, freePort, giveUp, must, postgresPackage, root, start } from './machine.mjs';

const demo = process.argv[2] === 'demo';
const ownDatabase = !process.env.DATABASE_URL;
if (Number(process.versions.node.split('.')[0]) < 20) giveUp(`Node 20 or newer is needed; this is ${process.version}.`);
if (ownDatabase) ensurePackages(postgresPackage);
ensureModules();
ensureBuild();

const dataDir = resolve(process.env.DATA_DIR ?? join(root, 'data'));
let cluster = ownDatabase ? await startCluster(dataDir) : null;
const env = { DATABASE_URL: cluster?.url ?? process.env.DATABASE_URL, DATA_DIR: dataDir, NEXT_TELEMETRY_DISABLED: '1', NODE_ENV: 'production' };
if (demo) env.RELEASE_DIR = process.env.RELEASE_DIR ?? join(dataDir, 'released');
const children = [];
let stopping = false;

async function stopAll(code) {
  if (stopping) return;
  stopping = true;
  const ends = children.map(
    (child) =>
      new Promise((done) => {
        if (child.exitCode !== null || child.signalCode !== null) return done();
        child.once('exit', done);
        signal(child, 'SIGTERM');
        setTimeout(() => signal(child, 'SIGKILL'), 5000).unref();
      }),
  );
  await Promise.all(ends);
  await cluster?.stop();
  process.exit(code);
}

function signal(child, name) {
  try {
    process.kill(-child.pid, name);
  } catch {
    // it has ended
  }
}
process.on('SIGINT', () => void stopAll(0));
process.on('SIGTERM', () => void stopAll(0));
process.on('SIGHUP', () => void stopAll(0));

/** A database that dies is started again at the same place; workers and pages wait for it. */
function watchDatabase() {
  const { port } = new URL(cluster.url);
  cluster.child.once('exit', () => {
    if (stopping) return;
    console.error('The database ended; it is started again.');
    setTimeout(async () => {
      if (stopping) return;
      cluster = await startCluster(dataDir, { wantedPort: Number(port) });
      watchDatabase();
    }, 1500);
  });
}
if (cluster) watchDatabase();

must(process.execPath, ['server/dist/migrate.js'], { env: { ...process.env, ...env } });
const host = process.env.HOST ?? '127.0.0.1';
const port = await freePort(Number(process.env.PORT ?? 4180));

function keep(name, command, args, more = {}) {
  const child = start(name, command, args, { ...env, ...more });
  children.push(child);
  child.once('exit', (code) => {
    if (stopping) return;
    console.error(`${name} ended (${code ?? 'killed'}).`);
    if (name !== 'The web process') setTimeout(() => !stopping && keep(name, command, args, more), 500);
    else void stopAll(1);
  });
}
const inboxPort = await freePort(Number(process.env.INBOX_PORT ?? 4195));
env.INBOX_URL = `http://127.0.0.1:${inboxPort}`;
// One worker for each two cores, two to four (each holds kernels of some hundred MB): a run of many files is shared among them.
const workers = Math.max(1, Number(process.env.WORKERS ?? Math.min(4, Math.max(2, Math.floor(availableParallelism() / 2)))));
for (let i = 0; i < workers; i++) keep('A worker', process.execPath, ['server/dist/worker.js']);
keep('The inboxes', process.execPath, ['server/dist/inboxes.js']);
if (demo) {
  const loaded = spawnSync(process.execPath, ['demo/dist/load.js'], { cwd: root, env: { ...process.env, ...env }, stdio: 'inherit' });
  if (loaded.status !== 0) console.error('The demo scenario could not be loaded; the app starts without it.');
}
keep('The web process', process.execPath, ['node_modules/next/dist/bin/next', 'start', 'web', '-H', host, '-p', String(port)], {
  HOST: host,
  PORT: String(port),
});
for (let i = 0; i < 100; i++) {
  const up = await fetch(`http://127.0.0.1:${port}/api/health`, { headers: { host: `127.0.0.1:${port}` } }).then((r) => r.ok).catch(() => false); // prettier-ignore
  if (up) break;
  await new Promise((done) => setTimeout(done, 150));
}
console.log(`\nTall Kite is ready: http://${host === '0.0.0.0' ? '127.0.0.1' : host}:${port}\nCtrl-C stops it.\n`);
