import { bringBackDesign, dismissDesign, removeDesign } from '@tall-kite/server/designs/designs';
import { answer, jsonBody, removedIn } from '@/server/answer.ts';
import { context } from '@/server/context.ts';

export const dynamic = 'force-dynamic';

/** Takes a design off the list that could not be read, or still waits. */
export function DELETE(request: Request, { params }: { params: Promise<{ design: string }> }) {
  return answer(request, async () => dismissDesign(context().db, (await params).design));
}

/** {"removed": true} removes a design with its parts, false brings it back. */
export function PATCH(request: Request, { params }: { params: Promise<{ design: string }> }) {
  return answer(request, async () => {
    const { design } = await params;
    return removedIn(await jsonBody(request)) ? removeDesign(context().db, design) : bringBackDesign(context().db, design);
  });
}
