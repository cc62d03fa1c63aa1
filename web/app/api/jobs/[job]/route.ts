import { jobView } from '@tall-kite/server/jobs/jobs';
import { answer } from '@/server/answer.ts';
import { context } from '@/server/context.ts';

export const dynamic = 'force-dynamic';

export function GET(request: Request, { params }: { params: Promise<{ job: string }> }) {
  return answer(request, async () => jobView(context().db, (await params).job));
}
