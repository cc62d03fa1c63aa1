import { Unusable } from 'tall-kite/base/finding';
import { givePartsList, takePartsList } from '@tall-kite/server/parts/properties';
import { answer } from '@/server/answer.ts';
import { context } from '@/server/context.ts';
import { attachment } from '@/server/stored.ts';

export const dynamic = 'force-dynamic';

/** The job's parts as CSV. */
export function GET(request: Request, { params }: { params: Promise<{ job: string }> }) {
  return answer(
    request,
    async () =>
      new Response(await givePartsList(context().db, (await params).job), {
        headers: { 'Content-Type': 'text/csv; charset=utf-8', 'Content-Disposition': attachment('parts.csv'), 'Cache-Control': 'no-store' },
      }),
  );
}

/** A parts list as CSV; answers how many parts it filled, and which rows were bad or unused. */
export function POST(request: Request, { params }: { params: Promise<{ job: string }> }) {
  return answer(request, async () => {
    const text = await request.text();
    if (text.length > 5_000_000) throw new Unusable('too-large', 'The parts list has more than 5 MB.', 'Send fewer rows at a time.');
    return takePartsList(context().db, (await params).job, text);
  });
}
