import { Unusable } from 'tall-kite/base/finding';
import { keptFile } from '@tall-kite/server/stores/designs';
import { answer } from '@/server/answer.ts';
import { context } from '@/server/context.ts';
import { pictureBytes } from '@/server/stored.ts';

export const dynamic = 'force-dynamic';

/** The small picture of a design in the stores, WebP. */
export function GET(request: Request, { params }: { params: Promise<{ design: string }> }) {
  return answer(request, async () => {
    const { picture } = await keptFile(context().db, (await params).design);
    if (!picture) throw new Unusable('no-picture', 'There is no picture of this design yet.', 'Wait until it is read.');
    return pictureBytes(request, picture);
  });
}
