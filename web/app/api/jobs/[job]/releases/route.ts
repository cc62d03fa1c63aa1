import { listReleases } from '@tall-kite/server/releases/report';
import { receiversOf } from '@tall-kite/server/stores/receivers';
import { beginRelease, checkWish } from '@tall-kite/server/releases/releases';
import { answer, jsonBody, manyParts } from '@/server/answer.ts';
import { context } from '@/server/context.ts';

export const dynamic = 'force-dynamic';

/** The job's releases, the newest first; with ?removed those that were removed. */
export function GET(request: Request, { params }: { params: Promise<{ job: string }> }) {
  return answer(request, async () => listReleases(context().db, (await params).job, new URL(request.url).searchParams.has('removed')));
}

/** {"recipe", "options"}: begins a release. */
export function POST(request: Request, { params }: { params: Promise<{ job: string }> }) {
  return answer(request, async () => {
    const { db, blobs, settings } = context();
    const wish = checkWish(await jsonBody(request, manyParts), await receiversOf(context().db, true));
    return {
      id: await beginRelease(db, blobs, (await params).job, {
        ...wish,
        options: { ...wish.options, folder: wish.options.folder && settings.releaseDir !== null },
      }),
    };
  });
}
