import { evidenceDocument, writtenFile } from '@tall-kite/server/files/files';
import { evidencePage } from 'tall-kite/prove/page';
import { answer } from '@/server/answer.ts';
import { context } from '@/server/context.ts';
import { attachment } from '@/server/stored.ts';

export const dynamic = 'force-dynamic';

/** The evidence as JSON to keep beside the file, or with ?as=page as a page that prints well. */
export function GET(request: Request, { params }: { params: Promise<{ file: string }> }) {
  return answer(request, async () => {
    const file = await writtenFile(context().db, (await params).file);
    const document = evidenceDocument(file);
    if (new URL(request.url).searchParams.get('as') === 'page') {
      return new Response(evidencePage(document), { headers: { 'Content-Type': 'text/html; charset=utf-8', 'Cache-Control': 'no-store' } });
    }
    const name = file.file_name.replace(/\.\w+$/, '.evidence.json');
    return new Response(JSON.stringify(document, null, 2), { headers: { 'Content-Type': 'application/json', 'Content-Disposition': attachment(name) } });
  });
}
