import { Unusable } from 'tall-kite/base/finding';
import { answer } from '@/server/answer.ts';
import { context } from '@/server/context.ts';
import { storedBytes } from '@/server/stored.ts';

export const dynamic = 'force-dynamic';

/** ?what=places: where findings are; ?what=view&n=0: a part that it would make, to be drawn. */
export function GET(request: Request, { params }: { params: Promise<{ operation: string }> }) {
  return answer(request, async () => {
    const row = await context()
      .db.selectFrom('operations')
      .select('result')
      .where('id', '=', (await params).operation)
      .executeTakeFirst();
    const query = new URL(request.url).searchParams;
    const sha256 = query.get('what') === 'places' ? row?.result?.places : row?.result?.made[Number(query.get('n') ?? 0)]?.view;
    if (!sha256) throw new Unusable('no-such-file', 'There is nothing to be drawn.', 'Ask for it again.');
    return storedBytes(request, sha256, {});
  });
}
