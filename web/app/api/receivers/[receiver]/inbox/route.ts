import { receivers } from 'tall-kite/receivers/receivers';
import { Unusable } from 'tall-kite/base/finding';
import { inboxOf } from '@tall-kite/server/releases/inbox';
import { answer } from '@/server/answer.ts';
import { context } from '@/server/context.ts';

export const dynamic = 'force-dynamic';

/** What came to a receiver's inbox, the newest first. */
export function GET(request: Request, { params }: { params: Promise<{ receiver: string }> }) {
  return answer(request, async () => {
    const { receiver } = await params;
    if (!receivers.some((r) => r.id === receiver)) throw new Unusable('no-such-receiver', 'There is no such receiver.', 'Go back to the list of receivers.');
    return inboxOf(context().db, receiver);
  });
}
