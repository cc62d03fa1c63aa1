import { fontById, fontFile, removeFont } from '@tall-kite/server/stores/fonts';
import { answer } from '@/server/answer.ts';
import { context } from '@/server/context.ts';

export const dynamic = 'force-dynamic';
type Params = { params: Promise<{ font: string }> };

/** A font's name and bytes; ?as=file for the bytes alone. */
export function GET(request: Request, { params }: Params) {
  return answer(request, async () => {
    const { db } = context();
    const { font } = await params;
    if (new URL(request.url).searchParams.get('as') !== 'file') return fontById(db, font);
    // Named by its bytes: it never changes.
    return new Response(new Uint8Array(await fontFile(db, font)), {
      headers: { 'Content-Type': 'font/sfnt', 'Cache-Control': 'private, max-age=31536000, immutable' },
    });
  });
}

/** Takes a font off the list. */
export function DELETE(request: Request, { params }: Params) {
  return answer(request, async () => removeFont(context().db, (await params).font, true));
}

/** Brings back a font that was taken off. */
export function POST(request: Request, { params }: Params) {
  return answer(request, async () => removeFont(context().db, (await params).font, false));
}
