import { Unusable } from 'tall-kite/base/finding';
import { checkCutList, cutListOfJob, keepCutList } from '@tall-kite/server/jobs/cutlists';
import { answer, jsonBody } from '@/server/answer.ts';
import { context } from '@/server/context.ts';

export const dynamic = 'force-dynamic';
type Params = { params: Promise<{ job: string }> };
/** Where every part of a large list lies is much to say. */
const mostBytes = 8_000_000;

/** The job's cut list as it was kept: { version, content }. */
export function GET(request: Request, { params }: Params) {
  return answer(request, async () => cutListOfJob(context().db, (await params).job));
}

/** Keeps it: { version, content }. */
export function PUT(request: Request, { params }: Params) {
  return answer(request, async () => {
    const { version, content } = ((await jsonBody(request, mostBytes)) ?? {}) as { version?: unknown; content?: unknown };
    if (!Number.isInteger(version)) throw new Unusable('bad-request', 'The version of the list is missing.', 'Reload the page.');
    return { version: await keepCutList(context().db, (await params).job, version as number, checkCutList(content)) };
  });
}
