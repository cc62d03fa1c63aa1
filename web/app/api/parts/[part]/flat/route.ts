import { unpackDrawing } from 'tall-kite/curves/drawing';
import { Unusable } from 'tall-kite/base/finding';
import { safeFileName } from 'tall-kite/recipe/recipe';
import { bendCsv, brakePicture } from 'tall-kite/sheet/report';
import { noSuchPart } from '@tall-kite/server/parts/change';
import { answer } from '@/server/answer.ts';
import { context } from '@/server/context.ts';
import { attachment } from '@/server/stored.ts';

export const dynamic = 'force-dynamic';

/** ?what=bends: the bend table as CSV; ?what=picture: a picture with sizes for the press brake, as SVG. */
export function GET(request: Request, { params }: { params: Promise<{ part: string }> }) {
  return answer(request, async () => {
    const { db, blobs } = context();
    const part = await db
      .selectFrom('parts')
      .select(['name', 'summary', 'geometry_sha256'])
      .where('id', '=', (await params).part)
      .executeTakeFirst();
    if (!part) throw noSuchPart();
    const { flat } = part.summary;
    if (!flat) throw new Unusable('no-flat', 'This part is no flat pattern.', 'Unfold a sheet part first.');
    if (new URL(request.url).searchParams.get('what') === 'bends') {
      return new Response(bendCsv(flat), {
        headers: { 'Content-Type': 'text/csv; charset=utf-8', 'Content-Disposition': attachment(`${safeFileName(part.name)}_bends.csv`) },
      });
    }
    const drawing = unpackDrawing(await blobs.read(part.geometry_sha256));
    return new Response(brakePicture(part.name, flat, drawing), {
      headers: { 'Content-Type': 'image/svg+xml', 'Content-Disposition': attachment(`${safeFileName(part.name)}_brake.svg`) },
    });
  });
}
