import { sql } from 'kysely';
import { keepPicture } from '@tall-kite/server/heavy/pictures';
import { noSuchPart } from '@tall-kite/server/parts/change';
import { Unusable } from 'tall-kite/base/finding';
import { answer } from '@/server/answer.ts';
import { context } from '@/server/context.ts';
import { pictureBytes } from '@/server/stored.ts';

export const dynamic = 'force-dynamic';

/** The small shaded picture of a part, WebP; of one among thousands it is made when it is first asked for. */
export function GET(request: Request, { params }: { params: Promise<{ part: string }> }) {
  return answer(request, async () => {
    const { db, blobs } = context();
    const { part: id } = await params;
    const part = await db.selectFrom('parts').select(['summary', 'view_sha256']).where('id', '=', id).executeTakeFirst();
    if (!part) throw noSuchPart();
    if (part.summary.picture) return pictureBytes(request, part.summary.picture);
    if (part.summary.kind === 'drawing') throw new Unusable('no-picture', 'There is no picture of this part.', 'It is drawn by its lines.');
    const picture = await keepPicture(blobs, part.view_sha256);
    await sql`update parts set summary = jsonb_set(summary, '{picture}', ${JSON.stringify(picture)}::jsonb) where id = ${id} and view_sha256 = ${part.view_sha256}`.execute(
      db,
    );
    return pictureBytes(request, picture);
  });
}
