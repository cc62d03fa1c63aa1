import { randomUUID } from 'node:crypto';
import { idsNow, log, withIds } from '@tall-kite/server/standing/log';
import { Overtaken } from '@tall-kite/server/parts/change';
import { asUnusable, Unusable } from 'tall-kite/base/finding';
import { hostAllowed, originAllowed } from './guard.ts';

const statuses: Record<string, number> = {
  'no-such-job': 404,
  'no-such-part': 404,
  'no-such-file': 404,
  'no-such-release': 404,
  'no-such-receiver': 404,
  'too-large': 413,
  'disk-full': 507,
  'disk-closed': 507,
  'disk-busy': 503,
};

/** Answers a request with JSON; refusals and errors become a sentence with a remedy. */
export async function answer(request: Request, work: () => Promise<unknown>): Promise<Response> {
  const refused = refuse(request);
  if (refused) return refused;
  const id = randomUUID().slice(0, 8);
  return withIds({ request: id }, async () => {
    const from = performance.now();
    const response = await answered(work);
    response.headers.set('X-Request-Id', id);
    const { method, url } = request;
    const line = { method, path: new URL(url).pathname, status: response.status, ms: Math.round(performance.now() - from) };
    // Looking changes nothing and is told only when it is asked for.
    if (response.status >= 500) log.error(line, 'request');
    else if (method === 'GET' || method === 'HEAD') log.debug(line, 'request');
    else log.info(line, 'request');
    return response;
  });
}

async function answered(work: () => Promise<unknown>): Promise<Response> {
  try {
    const result = await work();
    return result instanceof Response ? result : Response.json(result ?? {}, { headers: { 'Cache-Control': 'no-store' } });
  } catch (thrown) {
    return failure(thrown);
  }
}

/** Foreign Host, Origin or site (Fetch Metadata Request Headers, W3C): 403. */
export function refuse(request: Request): Response | null {
  const host = request.headers.get('host');
  if (!hostAllowed(host)) return sentence(403, 'foreign-host', 'This address is not served here.', 'Use the address that was printed at the start.');
  if (request.headers.get('sec-fetch-site') === 'cross-site')
    return sentence(403, 'foreign-origin', 'The request came from another site.', 'Use the pages of Tall Kite itself.');
  const changes = request.method !== 'GET' && request.method !== 'HEAD';
  if (changes && !originAllowed(request.headers.get('origin'), host)) {
    return sentence(403, 'foreign-origin', 'The request came from another site.', 'Use the pages of Tall Kite itself.');
  }
  return null;
}

function sentence(status: number, code: string, message: string, remedy: string): Response {
  return Response.json({ error: { code, message, remedy } }, { status, headers: { 'Cache-Control': 'no-store' } });
}

/** An error as an answer. A broken identifier is a wrong address, not a fault of the server. */
export function failure(thrown: unknown): Response {
  if ((thrown as { code?: string }).code === '22P02') return sentence(404, 'no-such-page', 'There is nothing at this address.', 'Go back to the list of jobs.');
  if (
    ['ECONNRESET', 'ERR_STREAM_PREMATURE_CLOSE', 'ABORT_ERR'].includes(String((thrown as { code?: string }).code)) ||
    (thrown as Error)?.message === 'aborted'
  ) {
    return sentence(400, 'broken-off', 'The upload broke off; nothing was kept.', 'Send the file again.');
  }
  const { code, message, remedy } = asUnusable(thrown);
  if (thrown instanceof Overtaken) return sentence(409, code, message, remedy);
  if (thrown instanceof Unusable) return sentence(statuses[code] ?? 400, code, message, remedy);
  log.error({ err: thrown }, 'not foreseen');
  const { request } = idsNow();
  return sentence(500, 'server-error', 'The server could not do this.', `Try again; if it happens again, look for request ${request ?? ''} in the log.`);
}

/** Characters of a request that speaks of thousands of parts. */
export const manyParts = 3_000_000;

/** The body of a request as text, counted while it comes: what is too long is not taken in to be measured. */
async function textOf(request: Request, most: number): Promise<string> {
  const decoder = new TextDecoder();
  const pieces: string[] = [];
  let length = 0;
  for await (const chunk of (request.body ?? []) as AsyncIterable<Uint8Array>) {
    length += chunk.length;
    if (length > most) throw new Unusable('too-large', 'The request is too long.', 'Send less at a time.');
    pieces.push(decoder.decode(chunk, { stream: true }));
  }
  return pieces.join('') + decoder.decode();
}

/** The JSON body of a request; a sentence when it is none or too long. */
export async function jsonBody(request: Request, most = 100_000): Promise<unknown> {
  const text = await textOf(request, most);
  try {
    return JSON.parse(text);
  } catch {
    throw new Unusable('not-json', 'The request is not JSON.', 'Send a JSON document.');
  }
}

/** Whether a request removes or brings back. @throws Unusable when it says neither */
export function removedIn(body: unknown): boolean {
  const { removed } = (body ?? {}) as { removed?: unknown };
  if (typeof removed !== 'boolean') throw new Unusable('bad-change', 'The request does not say whether to remove or to bring back.', 'Send {"removed": true} or {"removed": false}.'); // prettier-ignore
  return removed;
}
