import { dismissDesign } from '@tall-kite/server/designs/designs';
import { answer } from '@/server/answer.ts';
import { context } from '@/server/context.ts';

export const dynamic = 'force-dynamic';

export function DELETE(request: Request, { params }: { params: Promise<{ design: string }> }) {
  return answer(request, async () => dismissDesign(context().db, (await params).design));
}
