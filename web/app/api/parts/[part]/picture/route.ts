import { decodePicture, pictureForPage, pictureForScreen } from 'tall-kite/formats/picture/decode';
import { pageDecodes, perMmHeader } from 'tall-kite/formats/picture/stated';
import { noSuchPart } from '@tall-kite/server/parts/change';
import { answer } from '@/server/answer.ts';
import { context } from '@/server/context.ts';

export const dynamic = 'force-dynamic';

/**
 * The picture that a drawing was made of, for the screen: PNG, turned as it was held, at most 3000 pixels a side.
 * With `?what=pixels` all of it for the page's own eyes: the file itself where a page decodes it, else its pixels as PNG.
 */
export function GET(request: Request, { params }: { params: Promise<{ part: string }> }) {
  return answer(request, async () => {
    const { db, blobs } = context();
    const row = await db
      .selectFrom('parts')
      .innerJoin('designs', 'designs.id', 'parts.design_id')
      .select(['designs.sha256', 'parts.summary'])
      .where('parts.id', '=', (await params).part)
      .executeTakeFirst();
    if (!row?.summary.traced) throw noSuchPart();
    const { within } = row.summary.traced;
    const whole = new URL(request.url).searchParams.get('what') === 'pixels';
    const etag = `"picture-${whole ? 'pixels-' : ''}${row.sha256}${within ? `-${within.page}-${within.picture}` : ''}"`;
    if (request.headers.get('if-none-match') === etag) return new Response(null, { status: 304, headers: { ETag: etag } });
    const bytes = await blobs.read(row.sha256);
    const headers = { ETag: etag, 'Cache-Control': 'private, no-cache' };
    if (whole && !within && pageDecodes(bytes)) return new Response(bytes as BodyInit, { headers: { ...headers, 'Content-Type': 'application/octet-stream' } });
    // The reader of pages is loaded as it is installed: it finds its own files beside itself.
    const picture = within
      ? await (await import(/* turbopackIgnore: true */ 'tall-kite/formats/pdf/reader')).pictureOfPdf(bytes, within)
      : await decodePicture(bytes);
    const png = await (whole ? pictureForPage(picture) : pictureForScreen(picture));
    // How large it is does not lie in the pixels.
    return new Response(png as BodyInit, { headers: { ...headers, 'Content-Type': 'image/png', [perMmHeader]: String(picture.perMm ?? '') } });
  });
}
