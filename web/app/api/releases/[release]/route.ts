import { cancelRelease, retryRelease, setReleaseRemoved } from '@tall-kite/server/releases/releases';
import { releaseView } from '@tall-kite/server/releases/report';
import { answer, jsonBody, removedIn } from '@/server/answer.ts';
import { context } from '@/server/context.ts';

export const dynamic = 'force-dynamic';

/** A release with its rows; with ?after=N only rows that changed since. */
export function GET(request: Request, { params }: { params: Promise<{ release: string }> }) {
  return answer(request, async () => {
    const after = Number(new URL(request.url).searchParams.get('after') ?? 0);
    return releaseView(context().db, (await params).release, Number.isFinite(after) ? after : 0);
  });
}

/** What failed or was cancelled is made again. */
export function POST(request: Request, { params }: { params: Promise<{ release: string }> }) {
  return answer(request, async () => retryRelease(context().db, (await params).release));
}

/** Cancels what is not made yet. */
export function DELETE(request: Request, { params }: { params: Promise<{ release: string }> }) {
  return answer(request, async () => cancelRelease(context().db, (await params).release));
}

/** {"removed": true} removes a release that has ended, false brings it back. */
export function PATCH(request: Request, { params }: { params: Promise<{ release: string }> }) {
  return answer(request, async () => setReleaseRemoved(context().db, (await params).release, removedIn(await jsonBody(request))));
}
