import { receiversOf } from '@tall-kite/server/stores/receivers';
import { checkWish, previewRelease } from '@tall-kite/server/releases/releases';
import { answer, jsonBody, manyParts } from '@/server/answer.ts';
import { context } from '@/server/context.ts';

export const dynamic = 'force-dynamic';

/** {"recipe"}: what a release would make, with names and clashes, without making it. */
export function POST(request: Request, { params }: { params: Promise<{ job: string }> }) {
  return answer(request, async () => {
    const { db } = context();
    const wish = checkWish(await jsonBody(request, manyParts), await receiversOf(db, true));
    return previewRelease(db, (await params).job, wish.recipe);
  });
}
