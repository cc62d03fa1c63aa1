import { testPieceFile } from '@tall-kite/server/stores/test-piece';
import { answer } from '@/server/answer.ts';
import { context } from '@/server/context.ts';

export const dynamic = 'force-dynamic';

/** A file to be cut or printed and measured: strips for the kerf, or walls and pins for bead and clearance. */
export function GET(request: Request, { params }: { params: Promise<{ receiver: string }> }) {
  return answer(request, async () => {
    const { fileName, bytes } = await testPieceFile(context().db, (await params).receiver);
    const headers = { 'Content-Type': 'application/octet-stream', 'Content-Disposition': `attachment; filename="${fileName}"`, 'Cache-Control': 'no-store' };
    return new Response(new Uint8Array(bytes), { headers });
  });
}
