import { keptDetails } from '@tall-kite/server/stores/designs';
import { answer } from '@/server/answer.ts';
import { context } from '@/server/context.ts';

export const dynamic = 'force-dynamic';

/** A design in the stores with its revisions and where it is used. */
export function GET(request: Request, { params }: { params: Promise<{ design: string }> }) {
  return answer(request, async () => keptDetails(context().db, (await params).design));
}
