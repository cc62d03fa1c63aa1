import { addFont, fontsOf } from '@tall-kite/server/stores/fonts';
import { Unusable } from 'tall-kite/base/finding';
import { mostFontBytes } from 'tall-kite/text/face';
import { answer } from '@/server/answer.ts';
import { context } from '@/server/context.ts';

export const dynamic = 'force-dynamic';

/** Fonts that people brought, by name. */
export function GET(request: Request) {
  return answer(request, () => fontsOf(context().db));
}

/** A font file as the whole body: opened, checked, kept. */
export function POST(request: Request) {
  return answer(request, async () => {
    const pieces: Uint8Array[] = [];
    let size = 0;
    for await (const piece of (request.body ?? []) as AsyncIterable<Uint8Array>) {
      size += piece.length;
      if (size > mostFontBytes) throw new Unusable('too-large', `A font has up to ${mostFontBytes / 2 ** 20} MB.`, 'Choose the font file itself.');
      pieces.push(piece);
    }
    return addFont(context().db, Buffer.concat(pieces));
  });
}
