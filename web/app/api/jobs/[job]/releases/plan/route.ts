import { checkWish, previewRelease } from '@tall-kite/server/releases/releases';
import { answer, jsonBody, manyParts } from '@/server/answer.ts';
import { context } from '@/server/context.ts';

export const dynamic = 'force-dynamic';

/** {"recipe"}: what a release would make, with names and clashes, without making it. */
export function POST(request: Request, { params }: { params: Promise<{ job: string }> }) {
  return answer(request, async () => previewRelease(context().db, (await params).job, checkWish(await jsonBody(request, manyParts)).recipe));
}
