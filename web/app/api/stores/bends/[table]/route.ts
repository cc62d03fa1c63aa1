import { Unusable } from 'tall-kite/base/finding';
import { changeBendTable, checkBendTable, removeBendTable } from '@tall-kite/server/stores/bends';
import { answer, jsonBody } from '@/server/answer.ts';
import { context } from '@/server/context.ts';

export const dynamic = 'force-dynamic';
type Params = { params: Promise<{ table: string }> };

/** Changes a bend table: { version, table }. */
export function PUT(request: Request, { params }: Params) {
  return answer(request, async () => {
    const { version, table } = ((await jsonBody(request)) ?? {}) as { version?: unknown; table?: unknown };
    if (!Number.isInteger(version)) throw new Unusable('bad-request', 'The version of the table is missing.', 'Reload the page.');
    await changeBendTable(context().db, (await params).table, version as number, checkBendTable(table));
  });
}

/** Takes a bend table away. */
export function DELETE(request: Request, { params }: Params) {
  return answer(request, async () => removeBendTable(context().db, (await params).table, true));
}

/** Brings back a bend table that was taken away. */
export function POST(request: Request, { params }: Params) {
  return answer(request, async () => removeBendTable(context().db, (await params).table, false));
}
