import { listJobs, makeJob } from '@tall-kite/server/jobs/jobs';
import { answer, jsonBody } from '@/server/answer.ts';
import { context } from '@/server/context.ts';

export const dynamic = 'force-dynamic';

const whole = (text: string | null, usual: number): number => (text !== null && /^\d{1,7}$/.test(text) ? Number(text) : usual);

/** One page of the jobs: ?from=0&many=50&search=...&removed for those that were removed. */
export function GET(request: Request) {
  return answer(request, () => {
    const asked = new URL(request.url).searchParams;
    const { db, book } = context();
    const wanted = {
      from: whole(asked.get('from'), 0),
      many: whole(asked.get('many'), 50),
      search: (asked.get('search') ?? '').slice(0, 120),
      removed: asked.has('removed'),
    };
    return listJobs(db, wanted, (_, jobId) => book.tallies(db, jobId));
  });
}

export function POST(request: Request) {
  return answer(request, async () => {
    const body = (await jsonBody(request)) as { name?: unknown };
    return { id: await makeJob(context().db, String(body?.name ?? '')) };
  });
}
