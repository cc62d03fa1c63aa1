import { createHash } from 'node:crypto';
import { existsSync, lstatSync, statSync } from 'node:fs';
import { createConnection, type Socket } from 'node:net';
import { tmpdir, userInfo } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';

/** What a program asks of a warm process: to do what was typed, in a folder, or to end. */
export type Request = { argv: string[]; cwd: string } | { stop: true };

/** What a warm process says: pieces of the two outputs, then the exit code and how much memory is held (bytes); or that it is at work for another. */
export type Reply = { out: string } | { err: string } | { code: number; memory: number } | { busy: true };

/**
 * Where a warm process of this user and of this very build listens: a socket in a folder that nobody else may enter.
 * @returns null on systems without users of that kind
 */
export function warmSocket(): string | null {
  const { uid } = userInfo();
  if (uid < 0) return null;
  const program = fileURLToPath(new URL('./main.js', import.meta.url));
  const built = existsSync(program) ? statSync(program).mtimeMs : 0;
  const name = createHash('sha256').update(`${program} ${built} ${process.version}`).digest('hex').slice(0, 16);
  return join(process.env.XDG_RUNTIME_DIR ?? tmpdir(), `tall-kite-${uid}`, `${name}.sock`);
}

/** Whether a folder is this user's own, and closed to others: else what listens there may be anybody. */
export function isOwn(folder: string): boolean {
  try {
    const { uid, mode } = lstatSync(folder);
    return lstatSync(folder).isDirectory() && uid === userInfo().uid && (mode & 0o077) === 0;
  } catch {
    return false;
  }
}

/** One JSON document a line, from a stream of text. @param most characters of a line; longer ones end the connection */
export function lines<T>(socket: Socket, take: (said: T) => void, most = Infinity): void {
  let rest = '';
  socket.setEncoding('utf8');
  socket.on('data', (text: string) => {
    const parts = (rest + text).split('\n');
    rest = parts.pop()!;
    if (rest.length > most) socket.destroy();
    for (const part of parts) {
      const said = parsed(part);
      if (said === null) socket.destroy();
      else take(said as T);
    }
  });
}

/** What a line says; null when it is no JSON document. */
function parsed(line: string): unknown {
  try {
    return JSON.parse(line);
  } catch {
    return null;
  }
}

/** Whether what a connection says is something to be done. */
export function isRequest(said: unknown): said is Request {
  if (typeof said !== 'object' || said === null) return false;
  const { stop, argv, cwd } = said as Record<string, unknown>;
  return stop === true || (typeof cwd === 'string' && Array.isArray(argv) && argv.every((a) => typeof a === 'string'));
}

/** Words that a program does by itself: they are quick, or about the warm process. */
const alone = new Set(['serve', 'help', '--help', '-h']);

/**
 * Has a warm process do what was typed, where one listens and is free.
 * @returns the exit code; null where the program has to do it by itself: nothing was done then
 * @example const code = (await askWarm(argv, out, err)) ?? (await main(argv, out, err));
 */
export async function askWarm(argv: string[], out: (text: string) => void, err: (text: string) => void): Promise<number | null> {
  const socket = argv.length === 0 || alone.has(argv[0]) || process.env.TALL_KITE_ALONE ? null : warmSocket();
  if (!socket || !existsSync(socket) || !isOwn(join(socket, '..'))) return null;
  return new Promise((done) => {
    let said = false;
    let code: number | null = null;
    const connection = createConnection(socket);
    connection.on('connect', () => connection.write(`${JSON.stringify({ argv, cwd: process.cwd() } satisfies Request)}\n`));
    lines<Reply>(connection, (reply) => {
      if ('busy' in reply) return;
      if ('code' in reply) code = reply.code;
      else {
        said = true;
        if ('out' in reply) out(reply.out);
        else err(reply.err);
      }
    });
    connection.on('error', () => {});
    connection.on('close', () => {
      if (code === null && said) err('The warm process ended in the middle of it. Do it once more.\n');
      done(code ?? (said ? 2 : null));
    });
  });
}
