// npm run load: many people at lists that have grown, on loopback, bounded. Figures for the README's page on running it; nothing of it is kept.
import { spawn } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Readable } from 'node:stream';
import { Builder } from 'selenium-webdriver';
import chrome from 'selenium-webdriver/chrome.js';
import { connect } from '../server/dist/database/connect.js';
import { migrate } from '../server/dist/database/migrations.js';
import { bringIn } from '../server/dist/designs/designs.js';
import { makeJob } from '../server/dist/jobs/jobs.js';
import { Blobs } from '../server/dist/storage/blobs.js';
import { startCluster } from './cluster.mjs';
import { ensureBuild, ensureModules, freePort, giveUp, root } from './machine.mjs';

/** What stands in the lists, how many ask, and for how long (s). */
const usual = { jobs: 1000, parts: 100, large: 10_000, clients: 50, seconds: 15 };

/** Figures typed after the command: --jobs 1000 --clients 50 ... */
function wished(args) {
  const wish = { ...usual };
  for (let i = 0; i < args.length; i += 2) {
    const name = args[i].replace(/^--/, '');
    const value = Number(args[i + 1]);
    if (!(name in usual) || !(value >= 1 && value <= 100_000)) giveUp(`Known: ${Object.keys(usual).map((k) => `--${k} N`).join(' ')}, N from 1 to 100,000.`); // prettier-ignore
    wish[name] = value;
  }
  return wish;
}

const pause = (ms) => new Promise((done) => setTimeout(done, ms));
const share = (times, p) => [...times].sort((a, b) => a - b)[Math.min(times.length - 1, Math.floor(p * times.length))];

/** One box as OBJ: the part of which all others are copies. */
const box = Buffer.from(
  ['o Box', ...Array.from({ length: 8 }, (_, i) => `v ${i & 1 ? 10 : 0} ${i & 2 ? 5 : 0} ${i & 4 ? 3 : 0}`), ...['1 3 4 2', '5 6 8 7', '1 2 6 5', '3 7 8 4', '1 5 7 3', '2 4 8 6'].map((f) => `f ${f}`)].join('\n'), // prettier-ignore
);

/** Copies of a read part: into many jobs, and many into one. */
async function fill(pool, template, { jobs, parts, large }) {
  const columns = ['name', 'quantity', 'summary', 'findings', 'geometry_sha256', 'view_sha256', 'recipe', 'origin'];
  const names = columns.join();
  const copied = columns.map((c) => `p.${c}`).join();
  const { job, design, part } = template;
  await pool.query(`insert into jobs (name) select 'Kite ' || n from generate_series(1, $1::int) n`, [jobs]);
  await pool.query(
    `insert into designs (job_id, file_name, bytes, sha256, state, format, version, findings, tree)
    select j.id, 'boxes.obj', d.bytes, d.sha256, 'read', d.format, d.version, d.findings, d.tree from jobs j, designs d where d.id = $1 and j.id <> $2`,
    [design, job],
  );
  await pool.query(
    `insert into parts (job_id, design_id, position, ${names}) select d.job_id, d.id, n, ${copied}
    from designs d, parts p, generate_series(1, $1::int) n where p.id = $2 and d.id <> $3`,
    [parts, part, design],
  );
  await pool.query(
    `insert into parts (job_id, design_id, position, ${names}) select p.job_id, p.design_id, n, ${copied}
    from parts p, generate_series(1, $1::int) n where p.id = $2`,
    [large - 1, part],
  );
  await pool.query('update jobs set counts = null');
  await pool.query('analyze');
}

/** Clients that ask one after the other until the time is up; milliseconds of every answer. */
async function asked(clients, seconds, address) {
  const times = [];
  let bad = 0;
  const until = performance.now() + seconds * 1000;
  await Promise.all(
    Array.from({ length: clients }, async (_, client) => {
      for (let i = 0; performance.now() < until; i++) {
        const from = performance.now();
        const response = await fetch(address(client, i));
        await response.arrayBuffer();
        if (!response.ok) bad++;
        times.push(performance.now() - from);
      }
    }),
  );
  return { times, bad };
}

/** The large job in Chromium: how long until its rows are there, and the longest task while they go by. */
async function ledger(address, row) {
  const options = new chrome.Options();
  options.setChromeBinaryPath('/usr/bin/chromium');
  options.addArguments('--headless=new', '--no-sandbox', '--disable-dev-shm-usage', '--window-size=1280,943');
  const driver = await new Builder().forBrowser('chrome').setChromeOptions(options).setChromeService(new chrome.ServiceBuilder('/usr/bin/chromedriver')).build(); // prettier-ignore
  try {
    await driver.manage().setTimeouts({ script: 120_000 });
    const [rows, all] = [[], []];
    for (let i = 0; i < 3; i++) {
      await driver.get(address);
      // Rows that can be read, and then all parts counted.
      const seen = (what) => driver.executeAsyncScript(`const done = arguments[0]; const look = () => (${what}) ? done(performance.now()) : requestAnimationFrame(look); look();`); // prettier-ignore
      rows.push(await seen(`document.querySelector('tr[data-part]')`));
      all.push(await seen(`/ clear /.test(document.querySelector('[data-test=counts]').textContent)`));
    }
    const times = (list) => list.map((t) => `${(t / 1000).toFixed(1)} s`).join(', ');
    row('the same in Chromium, until its first rows stand: first time, then', times(rows));
    row('until all of its parts are there: first time, then', times(all));
    await pause(1500);
    const longest = await driver.executeAsyncScript(`const done = arguments[0]; const long = [0];
      new PerformanceObserver((l) => { for (const e of l.getEntries()) long.push(e.duration); }).observe({ type: 'longtask' });
      const box = document.querySelector('[data-test=scroll]'); let n = 0;
      const step = () => { box.scrollTo(0, 600 * ++n); if (n < 210) requestAnimationFrame(step); else setTimeout(() => done(Math.max(...long)), 500); }; step();`);
    row('longest task while scrolling it', longest === 0 ? 'none over 50 ms' : `${longest.toFixed(0)} ms`);
  } finally {
    await driver.quit();
  }
}

const wish = wished(process.argv.slice(2));
ensureModules();
ensureBuild();
const folder = mkdtempSync(join(tmpdir(), 'tall-kite-load-'));
const cluster = await startCluster(folder, { wantedPort: 54640 });
const children = [];
try {
  const { db, pool } = connect(cluster.url, 4);
  await migrate(db, pool);
  const port = await freePort(4280);
  const env = { ...process.env, DATABASE_URL: cluster.url, DATA_DIR: folder, NEXT_TELEMETRY_DISABLED: '1', NODE_ENV: 'production', PORT: String(port) };
  const start = (args) => children.push(spawn(process.execPath, args, { cwd: root, env, stdio: ['ignore', 'ignore', 'inherit'] }));
  start(['server/dist/worker.js']);
  start(['node_modules/next/dist/bin/next', 'start', 'web', '-H', '127.0.0.1', '-p', String(port)]);
  const base = `http://127.0.0.1:${port}`;
  while (!(await fetch(`${base}/api/health`).then((r) => r.ok, () => false))) await pause(200); // prettier-ignore

  const job = await makeJob(db, 'Large job');
  const design = await bringIn(db, new Blobs(folder), { jobId: job, name: 'boxes.obj', source: Readable.from([box]) });
  let part;
  while (!(part = await db.selectFrom('parts').select('id').where('job_id', '=', job).executeTakeFirst())) await pause(100);
  await fill(pool, { job, design, part: part.id }, wish);

  const row = (what, figure) => console.log(`| ${what} | ${figure} |`);
  const ms = (t) => `${t.toFixed(0)} ms`;
  console.log(`\n| ${wish.jobs} jobs with ${wish.jobs * wish.parts} parts, one of ${wish.large} | |\n|---|---|`);
  const timed = async (address, options) => {
    const from = performance.now();
    const response = await fetch(base + address, options);
    const bytes = (await response.arrayBuffer()).byteLength;
    if (!response.ok) throw new Error(`${address}: ${response.status}`);
    return { took: performance.now() - from, bytes };
  };
  const pages = Math.max(1, Math.ceil(wish.jobs / 50));
  const first = [];
  for (let i = 0; i < pages; i++) first.push((await timed(`/api/jobs?from=${i * 50}&many=50`)).took);
  row('a page of 50 jobs, counted for the first time, median', ms(share(first, 0.5)));
  const lists = await asked(wish.clients, wish.seconds, (c, i) => `${base}/api/jobs?from=${((c + i) % pages) * 50}&many=50`);
  row(`a page of 50 jobs, ${wish.clients} clients: median, p95, answers a second`, `${ms(share(lists.times, 0.5))}, ${ms(share(lists.times, 0.95))}, ${(lists.times.length / wish.seconds).toFixed(0)}`); // prettier-ignore
  if (lists.bad) row('answers that were none', lists.bad);
  const whole = await timed(`/api/jobs/${job}?part=none`);
  const again = await timed(`/api/jobs/${job}?part=none`);
  row(`the job of ${wish.large} parts, whole: first time, then`, `${ms(whole.took)}, ${ms(again.took)}, ${(whole.bytes / 1e6).toFixed(1)} MB`);

  const view = await fetch(`${base}/api/jobs/${job}?part=none`).then((r) => r.json());
  const some = view.parts.slice(0, 2000);
  const change = (fields, version) =>
    timed(`/api/jobs/${job}/parts`, {
      method: 'PATCH',
      headers: { 'Content-Type': 'application/json' },
      body: JSON.stringify({ what: 'load', fields, parts: some.map((p) => ({ id: p.id, version: p.version + version })) }),
    });
  row(`a change of ${some.length} parts (quantity)`, ms((await change({ quantity: 3 }, 0)).took));
  row(`a change of ${some.length} parts (recipe)`, ms((await change({ recipe: { ...some[0].recipe, receiver: 'wren' } }, 1)).took));
  const undone = await timed(`/api/jobs/${job}/history`, { method: 'POST', headers: { 'Content-Type': 'application/json' }, body: '{"direction":"undo"}' });
  row('the same taken back', ms(undone.took));
  const one = await timed(`/api/parts/${view.parts.at(-1).id}`, {
    method: 'PATCH',
    headers: { 'Content-Type': 'application/json' },
    body: JSON.stringify({ what: 'one', fields: { quantity: 5 }, version: view.parts.at(-1).version }),
  });
  row('a change of one part of it', ms(one.took));
  // As a page that is open: it has the whole job, then one part changes.
  const { stamp, order } = await fetch(`${base}/api/jobs/${job}?part=none`).then((r) => r.json());
  await timed(`/api/parts/${view.parts.at(-1).id}`, {
    method: 'PATCH',
    headers: { 'Content-Type': 'application/json' },
    body: JSON.stringify({ what: 'one', fields: { quantity: 6 }, version: view.parts.at(-1).version + 1 }),
  });
  const since = await timed(`/api/jobs/${job}?part=none&since=${stamp}&order=${order}`);
  row('what a page fetches after it', `${ms(since.took)}, ${(since.bytes / 1e3).toFixed(1)} kB`);
  const mixed = await asked(wish.clients, wish.seconds, (c) => (c < 2 ? `${base}/api/jobs/${job}?part=none` : `${base}/api/jobs?many=50`));
  row(`lists while two others load that job all the time: median, p95`, `${ms(share(mixed.times, 0.5))}, ${ms(share(mixed.times, 0.95))}`);
  await ledger(`${base}/jobs/${job}`, row);
  await db.destroy();
} finally {
  for (const child of children) child.kill('SIGKILL');
  await cluster.stop();
  rmSync(folder, { recursive: true, force: true });
}
