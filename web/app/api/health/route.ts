import { sql } from 'kysely';
import { answer } from '@/server/answer.ts';
import { context } from '@/server/context.ts';

export const dynamic = 'force-dynamic';

export function GET(request: Request) {
  return answer(request, async () => {
    await sql`select 1`.execute(context().db);
    return { ok: true };
  });
}
