import { pictureOfPart } from '@tall-kite/server/heavy/pictures';
import { answer } from '@/server/answer.ts';
import { context } from '@/server/context.ts';
import { pictureBytes } from '@/server/stored.ts';

export const dynamic = 'force-dynamic';

/** The small shaded picture of a part, WebP. */
export function GET(request: Request, { params }: { params: Promise<{ part: string }> }) {
  return answer(request, async () => {
    const { db, blobs } = context();
    return pictureBytes(request, await pictureOfPart(db, blobs, (await params).part));
  });
}
