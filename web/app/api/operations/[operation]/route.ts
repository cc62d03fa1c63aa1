import { dropOperation, keepOperation, reportOf } from '@tall-kite/server/operations/operations';
import { answer } from '@/server/answer.ts';
import { context } from '@/server/context.ts';

export const dynamic = 'force-dynamic';

/** The whole report of what was asked for; lists of a job come without rows. */
export function GET(request: Request, { params }: { params: Promise<{ operation: string }> }) {
  return answer(request, async () => reportOf(context().db, (await params).operation));
}

/** Keeps a proposal. */
export function POST(request: Request, { params }: { params: Promise<{ operation: string }> }) {
  return answer(request, async () => keepOperation(context().db, (await params).operation));
}

/** Drops a proposal or report, or gives up one at work. */
export function DELETE(request: Request, { params }: { params: Promise<{ operation: string }> }) {
  return answer(request, async () => dropOperation(context().db, (await params).operation));
}
