import { healthOf } from '@tall-kite/server/standing/health';
import { answer } from '@/server/answer.ts';
import { context } from '@/server/context.ts';

export const dynamic = 'force-dynamic';

/** How the installation is; 503 when it can't be used. */
export function GET(request: Request) {
  return answer(request, async () => {
    const { db, settings } = context();
    const health = await healthOf(db, settings);
    return Response.json(health, { status: health.ok ? 200 : 503, headers: { 'Cache-Control': 'no-store' } });
  });
}
