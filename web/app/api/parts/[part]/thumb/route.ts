import { Unusable } from 'tall-kite/base/finding';
import { noSuchPart } from '@tall-kite/server/parts/change';
import { answer } from '@/server/answer.ts';
import { context } from '@/server/context.ts';
import { pictureBytes } from '@/server/stored.ts';

export const dynamic = 'force-dynamic';

/** The small shaded picture of a part, WebP. */
export function GET(request: Request, { params }: { params: Promise<{ part: string }> }) {
  return answer(request, async () => {
    const part = await context()
      .db.selectFrom('parts')
      .select('summary')
      .where('id', '=', (await params).part)
      .executeTakeFirst();
    if (!part) throw noSuchPart();
    if (!part.summary.picture) throw new Unusable('no-picture', 'There is no picture of this part.', 'Bring its file in again to have one made.');
    return pictureBytes(request, part.summary.picture);
  });
}
