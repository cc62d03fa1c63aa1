import { changePart, checkChange } from '@tall-kite/server/parts/change';
import { answer, jsonBody } from '@/server/answer.ts';
import { context } from '@/server/context.ts';

export const dynamic = 'force-dynamic';

/** {"version", "what", "fields"}: refused with 409 when somebody else changed the part first. */
export function PATCH(request: Request, { params }: { params: Promise<{ part: string }> }) {
  return answer(request, async () => changePart(context().db, (await params).part, checkChange(await jsonBody(request))));
}
