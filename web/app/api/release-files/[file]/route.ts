import { releasedRow } from '@tall-kite/server/releases/report';
import { answer } from '@/server/answer.ts';
import { context } from '@/server/context.ts';
import { attachment, contentTypeOf, storedBytes } from '@/server/stored.ts';

export const dynamic = 'force-dynamic';

/** The bytes of a released file; with ?what=evidence its evidence. */
export function GET(request: Request, { params }: { params: Promise<{ file: string }> }) {
  return answer(request, async () => {
    const row = await releasedRow(context().db, (await params).file);
    if (new URL(request.url).searchParams.get('what') === 'evidence') return row.evidence;
    const name = row.name.split('/').pop()!;
    return storedBytes(request, row.sha256, { 'Content-Type': contentTypeOf(name), 'Content-Disposition': attachment(name) });
  });
}
