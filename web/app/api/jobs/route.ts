import { listJobs, makeJob } from '@tall-kite/server/jobs/jobs';
import { answer, jsonBody } from '@/server/answer.ts';
import { context } from '@/server/context.ts';

export const dynamic = 'force-dynamic';

export function GET(request: Request) {
  return answer(request, () => listJobs(context().db));
}

export function POST(request: Request) {
  return answer(request, async () => {
    const body = (await jsonBody(request)) as { name?: unknown };
    return { id: await makeJob(context().db, String(body?.name ?? '')) };
  });
}
