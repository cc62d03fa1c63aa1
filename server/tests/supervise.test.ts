/** The supervisor as it runs: what it keeps alive, what dies with it, and who may start beside it. Needs the build that npm test makes. */
import { spawn, type ChildProcess } from 'node:child_process';
import { existsSync, mkdtempSync, readdirSync, readFileSync, statSync } from 'node:fs';
import { createServer } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import type { Health } from '../src/standing/health.ts';

const root = fileURLToPath(new URL('../..', import.meta.url));
const dataDir = mkdtempSync(join(tmpdir(), 'tall-kite-standing-'));
const connections = join(mkdtempSync(join(tmpdir(), 'tall-kite-connections-')), 'went.txt');
const noted = fileURLToPath(new URL('./data/connections.mjs', import.meta.url));
let port = 0;
let first: Run;

interface Run {
  child: ChildProcess;
  said: () => string;
  ended: Promise<number | null>;
}

/** "npm start" on a data folder of its own, with its own database. */
function start(more: Record<string, string> = {}): Run {
  const { DATABASE_URL: _, RELEASE_DIR: __, INBOX_URL: ___, ...env } = process.env;
  const child = spawn(process.execPath, ['scripts/run.mjs', 'start'], {
    cwd: root,
    env: {
      ...env,
      DATA_DIR: dataDir,
      PORT: String(port),
      INBOX_PORT: String(port + 1),
      WORKERS: '1',
      NODE_OPTIONS: `--import ${noted}`,
      CONNECTIONS_FILE: connections,
      ...more,
    } as NodeJS.ProcessEnv,
    stdio: ['ignore', 'pipe', 'pipe'],
  });
  let text = '';
  for (const stream of [child.stdout!, child.stderr!]) stream.on('data', (chunk) => (text += chunk));
  return { child, said: () => text, ended: new Promise((done) => child.once('exit', done)) };
}

async function eventually<T>(look: () => Promise<T | null | false> | T | null | false, what: string, seconds = 40): Promise<T> {
  for (const until = Date.now() + seconds * 1000; Date.now() < until;) {
    const found = await look();
    if (found) return found;
    await new Promise((r) => setTimeout(r, 200));
  }
  throw new Error(`${what}: not within ${seconds} s. It said: ${first?.said().slice(-1500)}\nRunning: ${JSON.stringify(processes(), null, 1)}`);
}

const health = () =>
  fetch(`http://127.0.0.1:${port}/api/health`).then(
    async (r) => (await r.json()) as Health,
    () => null,
  );
const well = () => eventually(async () => ((await health())?.checks.every((c) => c.mark !== 'stop') ? true : null), 'all well again');

/** Processes that belong to this data folder, by their arguments. */
function processes(): { pid: number; line: string }[] {
  return readdirSync('/proc').flatMap((pid) => {
    if (!/^\d+$/.test(pid)) return [];
    try {
      const line = readFileSync(`/proc/${pid}/cmdline`, 'utf8').replaceAll('\0', ' ');
      const env = readFileSync(`/proc/${pid}/environ`, 'utf8');
      const state = readFileSync(`/proc/${pid}/stat`, 'utf8').split(') ')[1][0];
      const ours = Number(pid) !== process.pid && (env.includes(`DATA_DIR=${dataDir}\0`) || line.includes(dataDir));
      return ours && state !== 'Z' ? [{ pid: Number(pid), line }] : [];
    } catch {
      return [];
    }
  });
}
const postmaster = () => processes().find((p) => /\/postgres -D /.test(p.line) && !p.line.includes('postgres.mjs'))?.pid ?? null;

beforeAll(async () => {
  port = await new Promise<number>((done) => {
    const probe = createServer().listen(0, '127.0.0.1', () => {
      const at = probe.address() as { port: number };
      probe.close(() => done(at.port));
    });
  });
  first = start();
  await eventually(() => first.said().includes('is ready'), 'ready', 110);
}, 120_000);
afterAll(async () => {
  first?.child.kill('SIGTERM');
  for (const { pid } of processes()) process.kill(pid, 'SIGKILL');
});

describe('what runs', () => {
  test('a second start on the same folder is told who holds it, and disturbs nothing', async () => {
    const second = start();
    expect(await second.ended).toBe(1);
    expect(second.said()).toContain(`is held by process ${first.child.pid} (npm start)`);
    expect((await health())!.ok).toBe(true);
  });
  test('an address that others could reach is refused with the reason', async () => {
    const open = start({ HOST: '0.0.0.0' });
    expect(await open.ended).toBe(1);
    expect(open.said()).toContain('serves this machine only');
  });
  test('the data folder is for this user only', () => {
    expect(statSync(dataDir).mode & 0o066).toBe(0);
  });
  test('a database killed twice, the second time while the first is being mended, comes back at the same place', async () => {
    const other = (...gone: number[]) =>
      eventually(() => {
        const now = postmaster();
        return now !== null && !gone.includes(now) ? now : null;
      }, 'the database begun again');
    const one = postmaster()!;
    process.kill(one, 'SIGKILL');
    const two = await other(one);
    process.kill(two, 'SIGKILL');
    await other(one, two);
    await eventually(async () => (await health())?.ok === true, 'the pages can be used again', 60);
    expect(first.child.exitCode).toBeNull();
  });
  test('web, worker and inboxes killed are begun again; what they are is told by status', async () => {
    await well();
    for (const name of ['next', 'server/dist/worker.js', 'server/dist/inboxes.js']) {
      for (const { pid } of processes().filter((p) => p.line.includes(name))) process.kill(pid, 'SIGKILL');
    }
    await well();
    const status = JSON.parse(readFileSync(join(dataDir, 'status.json'), 'utf8')) as { children: { name: string; state: string; restarts: number }[] };
    expect(status.children.map((c) => c.name)).toEqual(['The database', 'The worker', 'Short work', 'The inboxes', 'The web process']);
    expect(status.children.every((c) => c.state === 'up' && c.restarts > 0)).toBe(true);
    // The address of the database with its password stands in it.
    expect(statSync(join(dataDir, 'status.json')).mode & 0o777).toBe(0o600);
  });
  test('what the processes write is in a log for this user only: JSON with who wrote it, without the password', async () => {
    const log = join(dataDir, 'logs', 'tall-kite.log');
    await fetch(`http://127.0.0.1:${port}/api/jobs`, { method: 'POST', body: '{"name":"Logged"}' });
    const lines = await eventually(() => {
      const read = readFileSync(log, 'utf8').split('\n').filter((line) => line.startsWith('{')); // prettier-ignore
      return read.some((line) => line.includes('"/api/jobs"')) && read;
    }, 'the request in the log');
    const entries = lines.map((line) => JSON.parse(line) as Record<string, unknown>);
    expect(new Set(entries.map((e) => e.process))).toEqual(new Set(['worker-1', 'worker-short', 'inboxes', 'web']));
    expect(entries.find((e) => e.path === '/api/jobs')).toMatchObject({
      level: 'info',
      method: 'POST',
      status: 200,
      request: expect.stringMatching(/^[0-9a-f]{8}$/) as string,
    });
    expect(readFileSync(log, 'utf8')).not.toContain(readFileSync(join(dataDir, 'database-password'), 'utf8'));
    expect(statSync(log).mode & 0o777).toBe(0o600);
  });
  test('a design read, a file written, a release sent to its machine: nothing of it leaves this machine', async () => {
    const call = async (method: string, path: string, body?: BodyInit) => {
      const response = await fetch(`http://127.0.0.1:${port}${path}`, { method, body });
      expect({ path, ok: response.ok }).toEqual({ path, ok: true });
      return (await response.json()) as { id: string; state: string; parts: { id: string; file: { state: string } | null }[]; rows: { delivery: string }[] };
    };
    const { id: job } = await call('POST', '/api/jobs', '{"name":"Loopback"}');
    await call('POST', `/api/jobs/${job}/designs?name=Helix.stl`, readFileSync(join(root, 'core/tests/data/Helix.stl')));
    const view = () => call('GET', `/api/jobs/${job}?part=none`);
    const [part] = await eventually(async () => ((await view()).parts.length > 0 ? (await view()).parts : null), 'the part');
    await call('POST', `/api/parts/${part.id}/write`);
    await eventually(async () => (await view()).parts[0].file?.state === 'written', 'the file');
    const { id } = await call('POST', `/api/jobs/${job}/releases`, JSON.stringify({ recipe: { lines: [{ receiver: 'lark', format: 'stl' }] }, options: { folder: false, deliver: true } })); // prettier-ignore
    await eventually(async () => (await call('GET', `/api/releases/${id}`)).rows.every((r) => r.delivery === 'accepted'), 'it delivered');
    const went = new Set(readFileSync(connections, 'utf8').trim().split('\n')); // prettier-ignore
    // To the database and to the inbox, so the list is kept; and to nobody else.
    expect(went.has('connect 127.0.0.1')).toBe(true);
    expect([...went].filter((line) => !/ (127\.0\.0\.1|localhost|::1|a path)$/.test(line))).toEqual([]);
  });
  test('killed itself, it leaves nothing running; the next start finds its way', async () => {
    first.child.kill('SIGKILL');
    await first.ended;
    await eventually(() => processes().length === 0, 'nothing left running', 30);
    first = start();
    await eventually(() => first.said().includes('is ready'), 'ready again', 60);
    await well();
  });
  test('told to end it ends everything and gives the folder back', async () => {
    first.child.kill('SIGTERM');
    expect(await first.ended).toBe(0);
    await eventually(() => processes().length === 0, 'nothing left running', 20);
    expect(existsSync(join(dataDir, 'held-by.json'))).toBe(false);
  });
});
