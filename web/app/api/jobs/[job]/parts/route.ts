import { changeSeveral, checkSeveral } from '@tall-kite/server/parts/change';
import { answer, jsonBody, manyParts } from '@/server/answer.ts';
import { context } from '@/server/context.ts';

export const dynamic = 'force-dynamic';

/** {"parts": [{"id", "version", "fields"?}], "what", "fields"?}: a change of several parts, undone as one; refused with 409 when one was changed first. */
export function PATCH(request: Request, { params }: { params: Promise<{ job: string }> }) {
  return answer(request, async () => changeSeveral(context().db, (await params).job, checkSeveral(await jsonBody(request, manyParts))));
}
