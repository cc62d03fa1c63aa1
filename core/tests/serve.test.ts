/** The warm process of the command line: in folders of its own, so that no other is found. */
import { spawn, type ChildProcess } from 'node:child_process';
import { chmodSync, existsSync, mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { createConnection } from 'node:net';
import { tmpdir, userInfo } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { afterEach, beforeEach, describe, expect, test, vi } from 'vitest';
import type { Ran } from './cli.data.ts';

const program = fileURLToPath(new URL('../bin/tall-kite.mjs', import.meta.url));
const data = fileURLToPath(new URL('./data', import.meta.url));
let home: string;
const begun: ChildProcess[] = [];
beforeEach(() => {
  home = mkdtempSync(join(tmpdir(), 'warm-'));
  chmodSync(home, 0o700);
});
afterEach(() => {
  for (const child of begun.splice(0)) child.kill('SIGKILL');
  rmSync(home, { recursive: true, force: true });
});

function begin(args: string[], { cwd = data, alone = false } = {}): ChildProcess {
  const child = spawn(process.execPath, [program, ...args], {
    cwd,
    env: { ...process.env, XDG_RUNTIME_DIR: home, ...(alone ? { TALL_KITE_ALONE: '1' } : {}) },
  });
  begun.push(child);
  return child;
}
function ended(child: ChildProcess): Promise<Ran> {
  let [stdout, stderr] = ['', ''];
  child.stdout!.on('data', (text: Buffer) => (stdout += text.toString()));
  child.stderr!.on('data', (text: Buffer) => (stderr += text.toString()));
  return new Promise((done) => child.on('close', (status) => done({ status, stdout, stderr })));
}
const run = (args: string[], where: { cwd?: string; alone?: boolean } = {}) => ended(begin(args, where));
const folder = () => join(home, `tall-kite-${userInfo().uid}`);
const sockets = () => (existsSync(folder()) ? readdirSync(folder()) : []);
/** A warm process that listens. */
async function warm(...args: string[]): Promise<{ child: ChildProcess; end: Promise<Ran> }> {
  const child = begin(['serve', ...args]);
  const end = ended(child);
  await vi.waitFor(() => expect(sockets()).toHaveLength(1), { timeout: 20_000 });
  return { child, end };
}

/** What is said to a request. */
function saidBy(socket: string, request: object): Promise<string> {
  const connection = createConnection(socket);
  let said = '';
  connection.on('data', (text: Buffer) => (said += text.toString()));
  connection.on('error', () => {});
  connection.write(`${JSON.stringify(request)}\n`);
  return new Promise((done) => connection.once('close', () => done(said)));
}

describe('a warm process', { timeout: 60_000 }, () => {
  test('does what is typed as the program itself would: outputs, exit codes, files in the folder of the caller', async () => {
    const { end } = await warm();
    for (const args of [['inspect', 'cube-mm.step'], ['inspect', 'open.stl', '--json'], ['frobnicate']]) {
      const [one, other] = [await run(args), await run(args, { alone: true })];
      expect([args, one]).toEqual([args, other]);
    } // prettier-ignore
    const place = mkdtempSync(join(home, 'work-'));
    writeFileSync(join(place, 'in.step'), readFileSync(join(data, 'screw.step')));
    expect((await run(['write', 'in.step', '--out', 'files'], { cwd: place })).status).toBeLessThan(2);
    expect(readdirSync(join(place, 'files'))).toEqual([expect.stringMatching(/\.stl$/)]);
    expect((await run(['serve', '--stop'])).stdout).toBe('The warm process was told to end.\n');
    // Those that were done alone are not counted.
    expect((await end).stdout).toBe('Ended after 4 commands.\n');
    expect(sockets()).toEqual([]);
    expect((await run(['serve', '--stop'])).stdout).toBe('No warm process is there.\n');
  });

  test('there is one; it ends when it had nothing to do, and commands go on without it', async () => {
    const { end } = await warm('--idle', '0.05');
    const second = await run(['serve']);
    expect([second.status, second.stderr]).toEqual([2, expect.stringContaining('A warm process is there already.')]);
    expect((await end).status).toBe(0);
    expect(sockets()).toEqual([]);
    expect((await run(['inspect', 'cube-mm.step'])).status).toBe(0);
  });

  test('who goes away in the middle has it stopped; the next is done by a fresh one', async () => {
    const { end } = await warm();
    const socket = join(folder(), sockets()[0]);
    // A long piece of work, left in the middle.
    const left = createConnection(socket);
    await new Promise((done) => left.once('connect', done));
    left.write(`${JSON.stringify({ argv: ['inspect', ...Array<string>(40).fill('loft.step')], cwd: data })}\n`);
    // It is at work when it tells another so.
    await vi.waitFor(async () => expect(await saidBy(socket, { argv: ['help'], cwd: data })).toContain('busy'), { timeout: 20_000, interval: 5 });
    left.destroy();
    expect((await run(['inspect', 'cube-mm.step'])).status).toBe(0);
    await run(['serve', '--stop']);
    // Only the one that was waited for counts, unless it came before the fresh one was there and was done alone.
    expect((await end).stdout).toMatch(/^Ended after [01] commands?\.\n$/);
  });

  test('what is no request ends the connection, not the process', async () => {
    const { end } = await warm();
    for (const said of ['nonsense\n', '{"argv":"inspect"}\n', 'null\n', '{"argv":[1],"cwd":"/"}\n']) {
      const connection = createConnection(join(folder(), sockets()[0]));
      connection.on('error', () => {});
      connection.write(said);
      await new Promise((done) => connection.once('close', done));
    }
    expect((await run(['inspect', 'cube-mm.step'])).status).toBe(0);
    await run(['serve', '--stop']);
    expect((await end).stdout).toBe('Ended after 1 command.\n');
  });

  test('a folder that others may enter is not trusted: neither listened in nor asked', async () => {
    mkdirSync(folder(), { mode: 0o755 });
    chmodSync(folder(), 0o755);
    const refused = await run(['serve']);
    expect([refused.status, refused.stderr]).toEqual([2, expect.stringContaining('is not yours alone')]);
    expect((await run(['inspect', 'cube-mm.step'])).status).toBe(0);
  });

  test('a socket that nothing listens at any more is taken over', async () => {
    const { child } = await warm();
    child.kill('SIGKILL');
    await new Promise((done) => child.once('close', done));
    expect(sockets()).toHaveLength(1);
    expect((await run(['inspect', 'cube-mm.step'])).status).toBe(0);
    const again = begin(['serve', '--idle', '0.05']);
    expect((await ended(again)).stdout).toBe('Ended after 0 commands.\n');
  });
});
