import { makeVariant } from '@tall-kite/server/parts/variants';
import { answer, jsonBody, manyParts } from '@/server/answer.ts';
import { context } from '@/server/context.ts';

export const dynamic = 'force-dynamic';

/** {"parts", "variant", "times", "material", "thickness"}: those parts again as another variant. */
export function POST(request: Request, { params }: { params: Promise<{ job: string }> }) {
  return answer(request, async () => ({ made: await makeVariant(context().db, (await params).job, await jsonBody(request, manyParts)) }));
}
