import { noSuchPart } from '@tall-kite/server/parts/change';
import { answer } from '@/server/answer.ts';
import { context } from '@/server/context.ts';
import { storedBytes } from '@/server/stored.ts';

export const dynamic = 'force-dynamic';

/** ?what=view: the view to be drawn; ?what=geometry: the part itself (BREP text or packed mesh). */
export function GET(request: Request, { params }: { params: Promise<{ part: string }> }) {
  return answer(request, async () => {
    const part = await context()
      .db.selectFrom('parts')
      .select(['geometry_sha256', 'view_sha256'])
      .where('id', '=', (await params).part)
      .executeTakeFirst();
    if (!part) throw noSuchPart();
    const what = new URL(request.url).searchParams.get('what');
    return storedBytes(request, what === 'view' ? part.view_sha256 : part.geometry_sha256, {});
  });
}
