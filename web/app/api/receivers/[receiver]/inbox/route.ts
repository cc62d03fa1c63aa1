import { inboxOf } from '@tall-kite/server/releases/inbox';
import { receiverById } from '@tall-kite/server/stores/receivers';
import { answer } from '@/server/answer.ts';
import { context } from '@/server/context.ts';

export const dynamic = 'force-dynamic';

/** What came to a receiver's inbox, the newest first. */
export function GET(request: Request, { params }: { params: Promise<{ receiver: string }> }) {
  return answer(request, async () => {
    const { db } = context();
    const { id } = await receiverById(db, (await params).receiver);
    return inboxOf(db, id);
  });
}
