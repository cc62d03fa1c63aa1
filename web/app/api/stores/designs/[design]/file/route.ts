import { keptFile } from '@tall-kite/server/stores/designs';
import { answer } from '@/server/answer.ts';
import { context } from '@/server/context.ts';
import { attachment, contentTypeOf, storedBytes } from '@/server/stored.ts';

export const dynamic = 'force-dynamic';

/** The bytes of a design in the stores. */
export function GET(request: Request, { params }: { params: Promise<{ design: string }> }) {
  return answer(request, async () => {
    const { fileName, sha256 } = await keptFile(context().db, (await params).design);
    return storedBytes(request, sha256, { 'Content-Type': contentTypeOf(fileName), 'Content-Disposition': attachment(fileName) });
  });
}
