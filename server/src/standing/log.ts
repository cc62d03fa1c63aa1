import { AsyncLocalStorage } from 'node:async_hooks';
import pino from 'pino';

/** What a line of the log belongs to: the request that asked for it, the task that does it. */
export interface Ids {
  request?: string;
  task?: string;
}

const during = new AsyncLocalStorage<Ids>();

/** The ids of what is being done now. */
export const idsNow = (): Ids => during.getStore() ?? {};

/** Does work under ids, which every line that it writes then bears. @example withIds({ request: 'a1' }, () => log.info('heard')) */
export const withIds = <T>(ids: Ids, work: () => T): T => during.run({ ...idsNow(), ...ids }, work);

/** Words that must not stand in a log: passwords in addresses. */
function secretsOf(env: NodeJS.ProcessEnv): string[] {
  const found: string[] = [];
  for (const text of Object.values(env)) {
    const secret = /^[a-z]+:\/\/[^:/@\s]*:([^@/\s]+)@/.exec(text ?? '')?.[1];
    if (secret) found.push(secret, decodeURIComponent(secret));
  }
  return found;
}

/** A line without the secrets of this process. @example hidden('at postgres://u:geheim@h/d', ['geheim']) // 'at postgres://u:[hidden]@h/d' */
export const hidden = (line: string, secrets: readonly string[]): string => secrets.reduce((text, secret) => text.replaceAll(secret, '[hidden]'), line);

/**
 * What a line says of an error: a library may hang its whole state on one, a database client with the key of its connection among it.
 * @example log.warn({ err }, 'lost') // "err": { "type": "Error", "message": "...", "stack": "...", "code": "57P01" }
 */
export function errorOnLine(err: unknown): unknown {
  if (!(err instanceof Error)) return err;
  const { code } = err as { code?: unknown };
  const cause = err.cause === undefined ? {} : { cause: err.cause instanceof Error ? err.cause.message : String(err.cause) };
  return { type: err.name, message: err.message, stack: err.stack, ...(typeof code === 'string' || typeof code === 'number' ? { code } : {}), ...cause };
}

const levels = ['trace', 'debug', 'info', 'warn', 'error', 'fatal', 'silent'];
const wanted = process.env.LOG_LEVEL ?? 'info';
const secrets = secretsOf(process.env);

/**
 * The log of this process: JSON lines on standard output, with the ids of what is done. LOG_LEVEL tells how much: debug has every request, info (the
 * usual one) what changes something and every task, warn and error what went wrong.
 */
export const log = pino(
  {
    level: levels.includes(wanted) ? wanted : 'info',
    base: { process: process.env.LOG_NAME ?? 'tall-kite', pid: process.pid },
    timestamp: pino.stdTimeFunctions.isoTime,
    formatters: { level: (label) => ({ level: label }) },
    serializers: { err: errorOnLine },
    // A copy: what a line says is added to it.
    mixin: () => ({ ...idsNow() }),
  },
  { write: (line: string) => void process.stdout.write(hidden(line, secrets)) },
);
