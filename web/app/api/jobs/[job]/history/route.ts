import { stepHistory } from '@tall-kite/server/parts/change';
import { Unusable } from 'tall-kite/base/finding';
import { answer, jsonBody } from '@/server/answer.ts';
import { context } from '@/server/context.ts';

export const dynamic = 'force-dynamic';

/** {"direction": "undo" | "redo"} */
export function POST(request: Request, { params }: { params: Promise<{ job: string }> }) {
  return answer(request, async () => {
    const { direction } = (await jsonBody(request)) as { direction?: unknown };
    if (direction !== 'undo' && direction !== 'redo') throw new Unusable('bad-direction', 'The direction must be undo or redo.', 'Send one of them.');
    return { what: await stepHistory(context().db, (await params).job, direction) };
  });
}
