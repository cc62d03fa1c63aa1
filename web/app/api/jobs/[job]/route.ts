import { stampFrom } from '@tall-kite/server/jobs/book';
import { bringBackJob, jobView, removeJob } from '@tall-kite/server/jobs/jobs';
import { jobFirst, jobNews } from '@tall-kite/server/jobs/news';
import { answer } from '@/server/answer.ts';
import { context } from '@/server/context.ts';

export const dynamic = 'force-dynamic';

/**
 * The job with its parts and all evidence of their files. With ?part=ID only that part's file brings its evidence, with ?part=none no file does; then
 * the answer has a stamp, and with &since=STAMP&order=ORDER of an earlier one only what changed comes. With &first=N only the first N parts of a job of
 * many come, without a stamp, and how many there are (`of`).
 */
export function GET(request: Request, { params }: { params: Promise<{ job: string }> }) {
  return answer(request, async () => {
    const { db, book } = context();
    const { job } = await params;
    const asked = new URL(request.url).searchParams;
    const whole = asked.get('part');
    if (whole === null) return jobView(db, job);
    // Bounded: what is asked for is a screen of rows.
    const many = Math.min(500, Math.max(0, Math.floor(Number(asked.get('first') ?? 0)) || 0));
    const first = many > 0 ? await jobFirst(db, job, many) : null;
    if (first) return first;
    const json = await jobNews(db, book, job, { whole, since: stampFrom(asked.get('since')), order: asked.get('order') });
    return new Response(json, { headers: { 'Content-Type': 'application/json', 'Cache-Control': 'no-store' } });
  });
}

/** Removes the job; it can be brought back for a while. */
export function DELETE(request: Request, { params }: { params: Promise<{ job: string }> }) {
  return answer(request, async () => removeJob(context().db, (await params).job));
}

/** Brings a removed job back. */
export function PUT(request: Request, { params }: { params: Promise<{ job: string }> }) {
  return answer(request, async () => bringBackJob(context().db, (await params).job));
}
