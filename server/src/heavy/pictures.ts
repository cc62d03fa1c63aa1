import { sql } from 'kysely';
import { Unusable } from 'tall-kite/base/finding';
import { thumbnail } from 'tall-kite/pipeline/thumbnail';
import { unpackView } from 'tall-kite/view/view';
import type { Database } from '../database/connect.ts';
import { noSuchPart } from '../parts/change.ts';
import type { Blobs } from '../storage/blobs.ts';

/** The small picture of a part, from what is drawn of it; WebP. */
export const pictureOf = (view: ReturnType<typeof unpackView>): Promise<Uint8Array> =>
  thumbnail({ positions: Float64Array.from(view.positions), triangles: view.triangles });

/** The hash of a part's small picture; of one among thousands it is made when it is first asked for. @throws Unusable for drawings, and when there is no such part */
export async function pictureOfPart(db: Database, blobs: Blobs, id: string): Promise<string> {
  const part = await db.selectFrom('parts').select(['summary', 'view_sha256 as view']).where('id', '=', id).executeTakeFirst();
  if (!part) throw noSuchPart();
  if (part.summary.picture) return part.summary.picture;
  if (part.summary.kind === 'drawing') throw new Unusable('no-picture', 'There is no picture of this part.', 'It is drawn by its lines.');
  const drawn = unpackView(new Uint8Array(await blobs.read(part.view)).buffer);
  const { sha256 } = await blobs.put([await pictureOf(drawn)]);
  await sql`update parts set summary = jsonb_set(summary, '{picture}', ${JSON.stringify(sha256)}::jsonb) where id = ${id} and view_sha256 = ${part.view}`.execute(
    db,
  );
  return sha256;
}
