import { addReceiver, storedReceivers } from '@tall-kite/server/stores/receivers';
import { checkReceiver } from 'tall-kite/receivers/rules';
import { answer, jsonBody } from '@/server/answer.ts';
import { context } from '@/server/context.ts';

export const dynamic = 'force-dynamic';

/** All machines, archived ones too. */
export function GET(request: Request) {
  return answer(request, () => storedReceivers(context().db));
}

/** Keeps a new machine. */
export function POST(request: Request) {
  return answer(request, async () => {
    const rules = checkReceiver(await jsonBody(request));
    await addReceiver(context().db, rules);
    return { id: rules.id };
  });
}
