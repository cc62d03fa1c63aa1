import { Readable } from 'node:stream';
import { shelfZip } from '@tall-kite/server/stores/shelf-zip';
import { answer } from '@/server/answer.ts';
import { context } from '@/server/context.ts';
import { attachment } from '@/server/stored.ts';

export const dynamic = 'force-dynamic';

/** A shelf as one zip with a manifest; "none" for the designs on no shelf. */
export function GET(request: Request, { params }: { params: Promise<{ shelf: string }> }) {
  return answer(request, async () => {
    const { db, blobs } = context();
    const { shelf } = await params;
    const { name, bytes } = await shelfZip(db, blobs, shelf === 'none' ? null : shelf);
    return new Response(Readable.toWeb(Readable.from(bytes)) as unknown as ReadableStream, {
      headers: { 'Content-Type': 'application/zip', 'Content-Disposition': attachment(name), 'Cache-Control': 'private, no-cache' },
    });
  });
}
