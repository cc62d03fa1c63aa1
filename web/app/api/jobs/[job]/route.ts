import { bringBackJob, jobView, removeJob } from '@tall-kite/server/jobs/jobs';
import { answer } from '@/server/answer.ts';
import { context } from '@/server/context.ts';

export const dynamic = 'force-dynamic';

/** The job with its parts; with ?part=ID only that part's file brings its evidence, with ?part=none no file does. */
export function GET(request: Request, { params }: { params: Promise<{ job: string }> }) {
  return answer(request, async () => jobView(context().db, (await params).job, new URL(request.url).searchParams.get('part')));
}

/** Removes the job; it can be brought back for a while. */
export function DELETE(request: Request, { params }: { params: Promise<{ job: string }> }) {
  return answer(request, async () => removeJob(context().db, (await params).job));
}

/** Brings a removed job back. */
export function PUT(request: Request, { params }: { params: Promise<{ job: string }> }) {
  return answer(request, async () => bringBackJob(context().db, (await params).job));
}
