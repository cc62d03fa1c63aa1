import { Unusable } from 'tall-kite/base/finding';
import { takeShelfZip } from '@tall-kite/server/stores/shelf-zip';
import { answer } from '@/server/answer.ts';
import { context } from '@/server/context.ts';

export const dynamic = 'force-dynamic';

/** Largest zip that is taken in at once. */
const mostZip = 1000 * 2 ** 20;

/** The whole body; null when it is larger than a zip may be, whatever it said of its length. */
async function bounded(request: Request): Promise<Uint8Array | null> {
  if (Number(request.headers.get('content-length') ?? 0) > mostZip) return null;
  const pieces: Uint8Array[] = [];
  let total = 0;
  const reader = request.body?.getReader();
  for (let next = await reader?.read(); next && !next.done; next = await reader!.read()) {
    total += next.value.length;
    if (total > mostZip) {
      await reader!.cancel();
      return null;
    }
    pieces.push(next.value);
  }
  return new Uint8Array(Buffer.concat(pieces));
}

/** A zip as the whole body: a shelf that was exported, or any zip of designs. ?shelf= where they are put. */
export function POST(request: Request) {
  return answer(request, async () => {
    const { db, blobs } = context();
    const bytes = await bounded(request);
    if (!bytes)
      throw new Unusable('too-large', `The zip has more than ${mostZip / 2 ** 20} MB, which is the limit.`, 'Make several of it, or take in a folder.');
    return takeShelfZip(db, blobs, bytes, { shelf: new URL(request.url).searchParams.get('shelf') });
  });
}
