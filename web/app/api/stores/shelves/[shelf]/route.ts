import { removeShelf, renameShelf } from '@tall-kite/server/stores/designs';
import { answer, jsonBody } from '@/server/answer.ts';
import { context } from '@/server/context.ts';

export const dynamic = 'force-dynamic';
type Params = { params: Promise<{ shelf: string }> };

/** Another name for a shelf. */
export function PUT(request: Request, { params }: Params) {
  return answer(request, async () => renameShelf(context().db, (await params).shelf, ((await jsonBody(request)) as { name?: unknown }).name));
}

/** Takes a shelf away; its designs stay in the stores. */
export function DELETE(request: Request, { params }: Params) {
  return answer(request, async () => removeShelf(context().db, (await params).shelf, true));
}

/** Brings back a shelf that was taken away. */
export function POST(request: Request, { params }: Params) {
  return answer(request, async () => removeShelf(context().db, (await params).shelf, false));
}
