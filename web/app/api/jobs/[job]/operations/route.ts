import { askForOperation } from '@tall-kite/server/operations/operations';
import { checkRequest } from 'tall-kite/operations/registry';
import { answer, jsonBody } from '@/server/answer.ts';
import { context } from '@/server/context.ts';

export const dynamic = 'force-dynamic';

/** A nest says where each of thousands of parts lies. */
const mostBytes = 8_000_000;

/** Asks for something to be computed: {"kind", ...}. */
export function POST(request: Request, { params }: { params: Promise<{ job: string }> }) {
  return answer(request, async () => ({ id: await askForOperation(context().db, (await params).job, checkRequest(await jsonBody(request, mostBytes))) }));
}
