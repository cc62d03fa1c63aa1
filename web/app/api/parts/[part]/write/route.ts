import { askForFile } from '@tall-kite/server/files/files';
import { answer } from '@/server/answer.ts';
import { context } from '@/server/context.ts';

export const dynamic = 'force-dynamic';

export function POST(request: Request, { params }: { params: Promise<{ part: string }> }) {
  return answer(request, async () => ({ id: await askForFile(context().db, (await params).part) }));
}
