import { addSheet, checkSheet, storedSheets } from '@tall-kite/server/stores/sheets';
import { answer, jsonBody } from '@/server/answer.ts';
import { context } from '@/server/context.ts';

export const dynamic = 'force-dynamic';

/** Sheets and remnants in the stores. */
export function GET(request: Request) {
  return answer(request, () => storedSheets(context().db));
}

/** Puts one in. */
export function POST(request: Request) {
  return answer(request, async () => ({ id: await addSheet(context().db, checkSheet(await jsonBody(request))) }));
}
