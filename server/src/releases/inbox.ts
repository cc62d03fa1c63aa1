import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import { asUnusable, Unusable } from 'tall-kite/base/finding';
import type { Receiver } from 'tall-kite/receivers/receivers';
import type { Database } from '../database/connect.ts';
import { shownName } from '../designs/designs.ts';
import type { HeavyThread } from '../heavy/heavy.ts';
import { receiversOf } from '../stores/receivers.ts';
import type { Blobs } from '../storage/blobs.ts';

export interface InboxEntry {
  id: number;
  receiver: string;
  fileName: string;
  sha256: string;
  bytes: number;
  accepted: boolean;
  said: string;
  remedy: string;
  at: string;
}

/** What came to a receiver's inbox, the newest first. */
export async function inboxOf(db: Database, receiver: string, most = 200): Promise<InboxEntry[]> {
  const rows = await db.selectFrom('inbox').selectAll().where('receiver', '=', receiver).orderBy('id', 'desc').limit(most).execute();
  return rows.map(({ id, receiver: r, file_name, sha256, bytes, accepted, said, remedy, at }) => ({ id, receiver: r, fileName: file_name, sha256, bytes, accepted, said, remedy, at: at.toISOString() })); // prettier-ignore
}

/** How many each receiver accepted and refused. */
export async function inboxCounts(db: Database): Promise<Record<string, { accepted: number; refused: number }>> {
  const rows = await db
    .selectFrom('inbox')
    .select((eb) => ['receiver', 'accepted', eb.fn.countAll<number>().as('n')])
    .groupBy(['receiver', 'accepted'])
    .execute();
  const out: Record<string, { accepted: number; refused: number }> = {};
  for (const { receiver, accepted, n } of rows) (out[receiver] ??= { accepted: 0, refused: 0 })[accepted ? 'accepted' : 'refused'] = n;
  return out;
}

const keyTaken = () => new Unusable('key-taken', 'This key was used for another file, or for another receiver.', 'Give every file a key of its own.');

interface Taking {
  db: Database;
  blobs: Blobs;
  heavy: HeavyThread;
}

/** Takes bytes as a receiver's software would: read under its own rules, accepted or refused, and logged. The same file under the same key is taken once. */
async function take({ db, blobs, heavy }: Taking, rules: Receiver, request: IncomingMessage, name: string) {
  const fileName = shownName(name);
  const header = request.headers['content-length'];
  // A machine takes no more than its own limit, whatever is sent.
  const { sha256, bytes } = await blobs.take(request, rules.mostBytes, header === undefined ? null : Number(header));
  const key = String(request.headers['idempotency-key'] ?? '') || null;
  const known = key && (await db.selectFrom('inbox').selectAll().where('key', '=', key).executeTakeFirst());
  if (known && known.receiver === rules.id && known.sha256 === sha256) return known;
  if (known) throw keyTaken();
  const { accepted, said, remedy } = await heavy.call('receive', { sha256, fileName, receiver: rules });
  const row = { receiver: rules.id, key, file_name: fileName, sha256, bytes, accepted, said, remedy };
  const { numInsertedOrUpdatedRows: kept } = await db.insertInto('inbox').values(row).onConflict((c) => c.column('key').doNothing()).executeTakeFirst(); // prettier-ignore
  // The same file came a second time while this one was read; another one under its key is told.
  const first = kept === 0n && key !== null && (await db.selectFrom('inbox').select(['receiver', 'sha256']).where('key', '=', key).executeTakeFirst());
  if (first && (first.receiver !== rules.id || first.sha256 !== sha256)) throw keyTaken();
  return row;
}

const loopback = /^(localhost|127\.0\.0\.1|\[::1\])(:\d+)?$/;

/** The inboxes of all receivers on one port of this machine: POST bytes to /inbox/RECEIVER?name=FILE, GET the log there. */
export function inboxServer(db: Database, blobs: Blobs, heavy: HeavyThread): Server {
  const answer = (response: ServerResponse, status: number, body: unknown) =>
    response.writeHead(status, { 'Content-Type': 'application/json', 'Cache-Control': 'no-store' }).end(JSON.stringify(body));
  const serve = async (request: IncomingMessage, response: ServerResponse) => {
    const url = new URL(request.url ?? '/', 'http://127.0.0.1');
    const id = /^\/inbox\/([a-z0-9-]+)$/.exec(url.pathname)?.[1];
    if (!loopback.test(request.headers.host ?? '') || request.headers.origin)
      return answer(response, 403, { said: 'Only programs on this machine are served.' });
    const receiver = (await receiversOf(db, true)).find((r) => r.id === id);
    if (!receiver) return answer(response, 404, { said: 'There is no such receiver.' });
    if (request.method === 'GET') return answer(response, 200, await inboxOf(db, receiver.id));
    if (request.method !== 'POST') return answer(response, 405, { said: 'POST a file, or GET the log.' });
    const { accepted, said, remedy } = await take({ db, blobs, heavy }, receiver, request, url.searchParams.get('name') ?? '');
    return answer(response, accepted ? 200 : 422, { accepted, said, remedy });
  };
  return createServer((request, response) => {
    serve(request, response).catch((thrown) => {
      const { code, message, remedy } = asUnusable(thrown);
      const status = code === 'too-large' ? 422 : code === 'key-taken' ? 409 : thrown instanceof Unusable ? 400 : 500;
      if (!response.headersSent) answer(response, status, { accepted: false, said: message, remedy });
      request.resume();
    });
  });
}
