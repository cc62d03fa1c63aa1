import { operationFile } from '@tall-kite/server/operations/operations';
import { answer } from '@/server/answer.ts';
import { context } from '@/server/context.ts';
import { attachment, contentTypeOf, storedBytes } from '@/server/stored.ts';

export const dynamic = 'force-dynamic';

/** A file of several parts; with ?what=evidence its evidence as JSON. */
export function GET(request: Request, { params }: { params: Promise<{ operation: string }> }) {
  return answer(request, async () => {
    const file = await operationFile(context().db, (await params).operation);
    if (new URL(request.url).searchParams.get('what') === 'evidence') {
      const { evidence, ...about } = file;
      const document = { program: 'Tall Kite', file: about, verdict: evidence.verdict, claims: evidence.claims, findings: evidence.findings };
      return new Response(JSON.stringify(document, null, 2), {
        headers: { 'Content-Type': 'application/json', 'Content-Disposition': attachment(file.fileName.replace(/\.\w+$/, '.evidence.json')) },
      });
    }
    return storedBytes(request, file.sha256, { 'Content-Type': contentTypeOf(file.fileName), 'Content-Disposition': attachment(file.fileName) });
  });
}
