import { Unusable } from 'tall-kite/base/finding';
import { takeShelfZip } from '@tall-kite/server/stores/shelf-zip';
import { answer } from '@/server/answer.ts';
import { context } from '@/server/context.ts';

export const dynamic = 'force-dynamic';

/** Largest zip that is taken in at once. */
const mostZip = 1000 * 2 ** 20;

/** A zip as the whole body: a shelf that was exported, or any zip of designs. ?shelf= where they are put. */
export function POST(request: Request) {
  return answer(request, async () => {
    const { db, blobs } = context();
    const length = Number(request.headers.get('content-length') ?? 0);
    if (length > mostZip)
      throw new Unusable('too-large', `The zip has more than ${mostZip / 2 ** 20} MB, which is the limit.`, 'Make several of it, or take in a folder.');
    const bytes = new Uint8Array(await request.arrayBuffer());
    return takeShelfZip(db, blobs, bytes, { shelf: new URL(request.url).searchParams.get('shelf') });
  });
}
