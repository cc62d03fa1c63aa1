import { copyPart } from '@tall-kite/server/operations/operations';
import { answer } from '@/server/answer.ts';
import { context } from '@/server/context.ts';

export const dynamic = 'force-dynamic';

/** A copy beside the part. */
export function POST(request: Request, { params }: { params: Promise<{ part: string }> }) {
  return answer(request, async () => ({ id: await copyPart(context().db, (await params).part, 5) }));
}
