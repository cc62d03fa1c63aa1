import { removeSheet } from '@tall-kite/server/stores/sheets';
import { answer } from '@/server/answer.ts';
import { context } from '@/server/context.ts';

export const dynamic = 'force-dynamic';
type Params = { params: Promise<{ sheet: string }> };

/** Takes a sheet off the stores. */
export function DELETE(request: Request, { params }: Params) {
  return answer(request, async () => removeSheet(context().db, (await params).sheet, true));
}

/** Brings back a sheet that was taken off. */
export function POST(request: Request, { params }: Params) {
  return answer(request, async () => removeSheet(context().db, (await params).sheet, false));
}
