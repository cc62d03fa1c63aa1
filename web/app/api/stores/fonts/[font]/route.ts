import { dropFont, fontById } from '@tall-kite/server/stores/fonts';
import { answer } from '@/server/answer.ts';
import { context } from '@/server/context.ts';

export const dynamic = 'force-dynamic';
type Params = { params: Promise<{ font: string }> };

/** A font's name and bytes. */
export function GET(request: Request, { params }: Params) {
  return answer(request, async () => fontById(context().db, (await params).font));
}

/** Takes a font off the list. */
export function DELETE(request: Request, { params }: Params) {
  return answer(request, async () => dropFont(context().db, (await params).font));
}
