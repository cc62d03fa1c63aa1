import { writtenFile } from '@tall-kite/server/files/files';
import { fileView } from '@tall-kite/server/jobs/part-views';
import { answer } from '@/server/answer.ts';
import { context } from '@/server/context.ts';
import { attachment, contentTypeOf, storedBytes } from '@/server/stored.ts';

export const dynamic = 'force-dynamic';

/** The bytes of a written file; with ?what=view what is known of it. */
export function GET(request: Request, { params }: { params: Promise<{ file: string }> }) {
  return answer(request, async () => {
    const { db } = context();
    const id = (await params).file;
    if (new URL(request.url).searchParams.get('what') === 'view') return fileView(db, id);
    const file = await writtenFile(db, id);
    return storedBytes(request, file.sha256, { 'Content-Type': contentTypeOf(file.file_name), 'Content-Disposition': attachment(file.file_name) });
  });
}
