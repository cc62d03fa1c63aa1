import { Readable } from 'node:stream';
import { safeFileName } from 'tall-kite/recipe/recipe';
import { releaseZip } from '@tall-kite/server/releases/report';
import { answer } from '@/server/answer.ts';
import { context } from '@/server/context.ts';
import { attachment } from '@/server/stored.ts';

export const dynamic = 'force-dynamic';

/** All files, the manifest and the report as one zip, streamed: nothing is held but the file that goes out. */
export function GET(request: Request, { params }: { params: Promise<{ release: string }> }) {
  return answer(request, async () => {
    const { db, blobs } = context();
    const { name, pieces } = await releaseZip(db, blobs, (await params).release);
    const stream = Readable.toWeb(Readable.from(pieces, { objectMode: false, highWaterMark: 1 << 20 })) as unknown as ReadableStream;
    return new Response(stream, {
      headers: { 'Content-Type': 'application/zip', 'Content-Disposition': attachment(`${safeFileName(name)}.zip`), 'Cache-Control': 'no-store' },
    });
  });
}
