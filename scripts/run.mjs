// npm run demo, npm start: set-up, then database, workers, inboxes and web process, each begun again whenever it ends, all stopped together.
import { spawn, spawnSync } from 'node:child_process';
import { availableParallelism } from 'node:os';
import { join, resolve } from 'node:path';
import { startCluster } from './cluster.mjs';
import { hold, writeJson } from './hold.mjs';
import { keep } from './keep.mjs';
import { openLog } from './log-file.mjs';
import { ensureBuild, ensureModules, ensurePackages, freePort, giveUp, isLoopback, must, postgresPackage, root } from './machine.mjs';

const demo = process.argv[2] === 'demo';
const ownDatabase = !process.env.DATABASE_URL;
if (Number(process.versions.node.split('.')[0]) < 20) giveUp(`Node 20 or newer is needed; this is ${process.version}.`);
const host = process.env.HOST ?? '127.0.0.1';
if (!isLoopback(host))
  giveUp(
    `HOST is ${host}. Until there are accounts Tall Kite serves this machine only: whoever reaches it could change every job. Leave HOST out, or set it to 127.0.0.1.`,
  );
if (ownDatabase) ensurePackages(postgresPackage);
ensureModules();
ensureBuild();

const dataDir = resolve(process.env.DATA_DIR ?? join(root, 'data'));
let letGo;
try {
  letGo = hold(dataDir, demo ? 'npm run demo' : 'npm start');
} catch (thrown) {
  giveUp(thrown.message);
}
const env = { DATA_DIR: dataDir, NEXT_TELEMETRY_DISABLED: '1', NODE_ENV: 'production', HOST: host };
if (demo) env.RELEASE_DIR = process.env.RELEASE_DIR ?? join(dataDir, 'released');

/** What runs, in the order in which it is begun; written beside the data for "npm run status". */
const kept = [];
const told = () =>
  writeJson(join(dataDir, 'status.json'), {
    pid: process.pid,
    at: new Date().toISOString(),
    url: env.URL ?? null,
    database: env.DATABASE_URL ?? null,
    children: kept.map((k) => k.state),
  });
const add = (name, begin) => {
  const one = keep(name, begin, { told: (state) => (say(state), told()) });
  kept.push(one);
  return one;
};

function say({ name, state, last, restarts }) {
  if (state === 'waiting') console.error(`${name} ended (${last ?? 'no word'}); it is begun again${restarts > 1 ? `, for the ${restarts}th time` : ''}.`);
}

let stopping = false;
async function stopAll(code) {
  if (stopping) return;
  stopping = true;
  // The database last: the others still give their tasks back.
  const [first, ...others] = kept;
  await Promise.all(others.map((k) => k.stop()));
  await first?.stop();
  clearInterval(turning);
  letGo();
  process.exit(code);
}
for (const name of ['SIGINT', 'SIGTERM', 'SIGHUP']) process.on(name, () => void stopAll(0));
process.on('uncaughtException', (error) => console.error(`The supervisor goes on after: ${error.stack ?? error.message}`));
process.on('unhandledRejection', (error) => console.error(`The supervisor goes on after: ${error?.stack ?? error}`));

/** Where the processes write: JSON lines in a file, or here. */
const log = process.env.LOG_TO === 'terminal' ? null : openLog(dataDir);
const turning =
  log &&
  setInterval(() => {
    try {
      log.turn();
    } catch (thrown) {
      console.error(`The log could not be put aside: ${thrown.message}`);
    }
  }, 60_000);

/** A Node process of ours, by its name in the log: it ends when this one is gone. */
const node =
  (logName, args, more = {}) =>
  async () => {
    const child = spawn(process.execPath, ['--import', join(root, 'scripts', 'tether.mjs'), ...args], {
      cwd: root,
      env: { ...process.env, ...env, ...more, LOG_NAME: logName },
      stdio: ['ignore', log?.fd ?? 'inherit', log?.fd ?? 'inherit'],
      detached: true,
    });
    return { ended: endOf(child), stop: () => ended(child) };
  };

/** How a child ended, in words. */
const endOf = (child) =>
  new Promise((done) => {
    // It may have ended before anybody listened.
    if (child.exitCode !== null) return done(`code ${child.exitCode}`);
    if (child.signalCode !== null) return done(`killed by ${child.signalCode}`);
    child.once('error', (error) => done(error.message));
    child.once('exit', (code, signal) => done(signal ? `killed by ${signal}` : `code ${code}`));
  });

/** Asks a child and its group to end, and makes it after a while. */
async function ended(child) {
  if (child.exitCode !== null || child.signalCode !== null) return;
  const gone = new Promise((done) => child.once('exit', done));
  const signal = (name) => {
    try {
      process.kill(-child.pid, name);
    } catch {
      // it has ended
    }
  };
  signal('SIGTERM');
  setTimeout(() => signal('SIGKILL'), 5000).unref();
  await gone;
}

if (ownDatabase) {
  // Where it once listened it listens again: workers and pages find it at the same place.
  let wantedPort = 54330;
  let first;
  const firstUp = new Promise((up, failed) => (first = { up, failed }));
  add('The database', async () => {
    try {
      const cluster = await startCluster(dataDir, { wantedPort, samePort: env.DATABASE_URL !== undefined });
      wantedPort = Number(new URL(cluster.url).port);
      first.up(cluster.url);
      return { ended: endOf(cluster.child), stop: cluster.stop };
    } catch (thrown) {
      // At the first start a person stands before it: they read why at once. Later it is tried for as long as it takes.
      first.failed(thrown);
      throw thrown;
    }
  });
  env.DATABASE_URL = await firstUp.catch((thrown) => (letGo(), giveUp(thrown.message)));
} else env.DATABASE_URL = process.env.DATABASE_URL;

must(process.execPath, ['server/dist/migrate.js'], { env: { ...process.env, ...env } });
const port = await freePort(Number(process.env.PORT ?? 4180));
env.URL = `http://127.0.0.1:${port}`;
const inboxPort = await freePort(Number(process.env.INBOX_PORT ?? 4195));
env.INBOX_URL = `http://127.0.0.1:${inboxPort}`;
// One worker for each two cores, two to four (each holds kernels of some hundred MB): a run of many files is shared among them.
const workers = Math.max(1, Number(process.env.WORKERS ?? Math.min(4, Math.max(2, Math.floor(availableParallelism() / 2)))));
for (let i = 0; i < workers; i++) add(workers > 1 ? `Worker ${i + 1}` : 'The worker', node(`worker-${i + 1}`, ['server/dist/worker.js']));
// One more takes short work only: small designs and single files do not wait behind large ones.
add('Short work', node('worker-short', ['server/dist/worker.js'], { LANE: 'short' }));
add('The inboxes', node('inboxes', ['server/dist/inboxes.js']));
if (demo) {
  const loaded = spawnSync(process.execPath, ['demo/dist/load.js'], { cwd: root, env: { ...process.env, ...env }, stdio: 'inherit' });
  if (loaded.status !== 0) console.error('The demo scenario could not be loaded; the app starts without it.');
}
add('The web process', node('web', ['node_modules/next/dist/bin/next', 'start', 'web', '-H', host, '-p', String(port)], { PORT: String(port) }));
for (;;) {
  const up = await fetch(`${env.URL}/api/health`, { headers: { host: `127.0.0.1:${port}` } }).then((r) => r.ok).catch(() => false); // prettier-ignore
  if (up || stopping) break;
  await new Promise((done) => setTimeout(done, 150));
}
if (!stopping) console.log(`\nTall Kite is ready: ${env.URL}\n${log ? `What happens is written to ${log.path}.\n` : ''}Ctrl-C stops it.\n`);
