import { writtenFile } from '@tall-kite/server/files/files';
import { answer } from '@/server/answer.ts';
import { context } from '@/server/context.ts';
import { attachment, contentTypeOf, storedBytes } from '@/server/stored.ts';

export const dynamic = 'force-dynamic';

export function GET(request: Request, { params }: { params: Promise<{ file: string }> }) {
  return answer(request, async () => {
    const file = await writtenFile(context().db, (await params).file);
    return storedBytes(request, file.sha256, { 'Content-Type': contentTypeOf(file.file_name), 'Content-Disposition': attachment(file.file_name) });
  });
}
