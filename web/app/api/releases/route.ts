import { listReleases } from '@tall-kite/server/releases/report';
import { answer } from '@/server/answer.ts';
import { context } from '@/server/context.ts';

export const dynamic = 'force-dynamic';

/** The releases of all jobs, the newest first. */
export function GET(request: Request) {
  return answer(request, async () => listReleases(context().db));
}
