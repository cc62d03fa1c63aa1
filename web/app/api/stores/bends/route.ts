import { addBendTable, bendTables, checkBendTable } from '@tall-kite/server/stores/bends';
import { answer, jsonBody } from '@/server/answer.ts';
import { context } from '@/server/context.ts';

export const dynamic = 'force-dynamic';

/** The bend tables in the stores. */
export function GET(request: Request) {
  return answer(request, () => bendTables(context().db));
}

/** Keeps a new bend table. */
export function POST(request: Request) {
  return answer(request, async () => ({ id: await addBendTable(context().db, checkBendTable(await jsonBody(request))) }));
}
