import { fork, type ChildProcess } from 'node:child_process';
import { chmodSync, mkdirSync, rmSync } from 'node:fs';
import { createConnection, createServer, type Server, type Socket } from 'node:net';
import { dirname } from 'node:path';
import { fileURLToPath } from 'node:url';
import { Unusable } from '../base/finding.ts';
import { command, type Asked, type Report } from '../command/command.ts';
import { flag, number } from '../command/option.ts';
import { isOwn, isRequest, lines, warmSocket, type Reply, type Request } from './warm.ts';

const options = {
  idle: number('MINUTES', [0.01, 24 * 60], 'minutes', 'It ends when it had nothing to do for so long; usually 15.'),
  stop: flag('Ends the one that is there.'),
};

/** A working process that holds more than this after its work is replaced by a fresh one, bytes. */
const mostMemory = 1.5e9;
const usualIdle = 15;
/** Characters of what is typed at most. */
const mostRequest = 4_000_000;

/** `serve`: a process that stays warm for the commands that follow; they find it by themselves. */
async function run({ idle, stop }: Asked<typeof options>): Promise<Report> {
  const socket = warmSocket();
  if (!socket) throw new Unusable('no-users', 'This system has no users by number, so nothing can be kept for one of them.', 'Do without: every command works by itself.'); // prettier-ignore
  const there = await reach(socket);
  if (stop) {
    there?.end(`${JSON.stringify({ stop: true } satisfies Request)}\n`);
    const text = there ? 'The warm process was told to end.\n' : 'No warm process is there.\n';
    return { json: { stopped: there !== null }, text, severities: ['clear'] };
  }
  if (there) {
    there.destroy();
    throw new Unusable('warm-already', 'A warm process is there already.', 'Use it: commands find it by themselves. "tall-kite serve --stop" ends it.');
  }
  const folder = dirname(socket);
  mkdirSync(folder, { recursive: true, mode: 0o700 });
  if (!isOwn(folder)) throw new Unusable('not-own', `The folder "${folder}" is not yours alone, so what listens there could be anybody.`, 'Remove it, or set XDG_RUNTIME_DIR to a folder of your own.'); // prettier-ignore
  rmSync(socket, { force: true });
  const minutes = idle ?? usualIdle;
  const commands = await new Warm(socket, minutes * 60_000).untilEnd(() => {
    process.stderr.write(
      `Warm. Commands typed from now on are done by it; it ends after ${minutes} minutes without work, by Ctrl-C, or by "tall-kite serve --stop".\n`,
    );
  });
  return { json: { commands }, text: `Ended after ${commands} ${commands === 1 ? 'command' : 'commands'}.\n`, severities: ['clear'] };
}

/** A connection to what listens; null when nothing does. */
function reach(socket: string): Promise<Socket | null> {
  return new Promise((done) => {
    const connection = createConnection(socket);
    connection.once('connect', () => done(connection));
    connection.once('error', () => done(null));
  });
}

/** Listens, and has one process do one command after another. A command that comes meanwhile is told to be done without it. */
class Warm {
  private readonly socket: string;
  private readonly idleMs: number;
  private readonly server: Server;
  private worker: ChildProcess;
  private asking: Socket | null = null;
  private done = 0;
  private timer: ReturnType<typeof setTimeout> | null = null;
  private ended: (() => void) | null = null;

  constructor(socket: string, idleMs: number) {
    [this.socket, this.idleMs] = [socket, idleMs];
    this.worker = this.fresh();
    this.server = createServer((connection) => this.connected(connection));
  }

  /** Works until it is told to end or had nothing to do for long enough. Gives how many commands were done. */
  untilEnd(begun: () => void): Promise<number> {
    return new Promise((resolve, reject) => {
      this.ended = () => resolve(this.done);
      this.server.once('error', (thrown) => {
        this.worker.kill();
        reject(new Unusable('not-listening', `Nothing can listen at "${this.socket}": ${thrown.message}.`, 'Check the folder.'));
      });
      this.server.listen(this.socket, () => {
        chmodSync(this.socket, 0o600);
        this.rest();
        begun();
      });
      for (const signal of ['SIGINT', 'SIGTERM'] as const) process.once(signal, () => this.end());
    });
  }

  private end(): void {
    if (this.timer) clearTimeout(this.timer);
    this.timer = null;
    this.server.close();
    this.asking?.destroy();
    this.worker.removeAllListeners();
    this.worker.kill();
    rmSync(this.socket, { force: true });
    this.ended?.();
  }

  private rest(): void {
    if (this.timer) clearTimeout(this.timer);
    this.timer = setTimeout(() => this.end(), this.idleMs);
  }

  private fresh(): ChildProcess {
    const worker = fork(fileURLToPath(new URL('./warm-worker.js', import.meta.url)), { stdio: ['ignore', 'ignore', 'ignore', 'ipc'] });
    worker.on('message', (reply: Reply) => this.said(reply));
    worker.on('exit', () => this.lost(worker));
    return worker;
  }

  private connected(connection: Socket): void {
    connection.on('error', () => {});
    lines<unknown>(
      connection,
      (request) => {
        if (!isRequest(request)) connection.destroy();
        else if ('stop' in request) this.end();
        else if (this.asking) connection.end(`${JSON.stringify({ busy: true } satisfies Reply)}\n`);
        else {
          this.asking = connection;
          if (this.timer) clearTimeout(this.timer);
          this.worker.send(request);
          // Who goes away in the middle wants it stopped, as by Ctrl-C.
          connection.once('close', () => {
            if (this.asking === connection) this.replace();
          });
        }
      },
      mostRequest,
    );
  }

  private said(reply: Reply): void {
    const { asking } = this;
    if (!asking) return;
    const line = `${JSON.stringify(reply)}\n`;
    if (!('code' in reply)) {
      asking.write(line);
      return;
    }
    this.done++;
    this.asking = null;
    asking.end(line);
    this.rest();
    if (reply.memory > mostMemory) this.replace();
  }

  /** A fresh working process in the place of the one that is. */
  private replace(): void {
    this.worker.removeAllListeners();
    this.worker.kill('SIGKILL');
    this.asking?.destroy();
    this.asking = null;
    this.worker = this.fresh();
    this.rest();
  }

  /** The working process ended by itself: who asked does it alone, or is told. */
  private lost(worker: ChildProcess): void {
    if (worker === this.worker) this.replace();
  }
}

export const serveCommand = command({
  word: 'serve',
  takes: '',
  least: 0,
  most: 0,
  out: null,
  options,
  does: 'Keeps a process warm for scripts: commands typed by the same user are done by it until it had nothing to do for some minutes, and need no start of their own.',
  example: 'serve --stop',
  run,
});
