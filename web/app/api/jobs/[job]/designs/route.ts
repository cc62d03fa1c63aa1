import { Readable } from 'node:stream';
import type { ReadableStream as NodeStream } from 'node:stream/web';
import { bringIn } from '@tall-kite/server/designs/designs';
import { Unusable } from 'tall-kite/findings/finding';
import { mostBytes } from 'tall-kite/design/read';
import { answer } from '@/server/answer.ts';
import { context } from '@/server/context.ts';

export const dynamic = 'force-dynamic';

/** A file as the whole body, its name in ?name=. Streams to the store; nothing is kept when it breaks off. */
export function POST(request: Request, { params }: { params: Promise<{ job: string }> }) {
  return answer(request, async () => {
    const { db, blobs } = context();
    const header = request.headers.get('content-length');
    const length = header === null ? null : Number(header);
    if (length !== null && length > mostBytes)
      throw new Unusable('too-large', `The file has more than ${mostBytes / 2 ** 20} MB, which is the limit.`, 'Export fewer parts at a time.');
    const body = request.body ? Readable.fromWeb(request.body as NodeStream) : Readable.from([]);
    const name = new URL(request.url).searchParams.get('name') ?? '';
    return { id: await bringIn(db, blobs, (await params).job, name, body, length) };
  });
}
