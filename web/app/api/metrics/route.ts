import { metricsText } from '@tall-kite/server/standing/metrics';
import { answer } from '@/server/answer.ts';
import { context } from '@/server/context.ts';

export const dynamic = 'force-dynamic';

/** Figures for machines that watch. */
export function GET(request: Request) {
  return answer(request, async () => {
    const { db, settings } = context();
    const { type, text } = await metricsText(db, settings);
    return new Response(text, { headers: { 'Content-Type': type, 'Cache-Control': 'no-store' } });
  });
}
