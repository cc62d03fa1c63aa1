import { events } from '@/server/events.ts';

export const dynamic = 'force-dynamic';

/** Server-sent events: "changed" whenever a row of the release changed. */
export async function GET(request: Request, { params }: { params: Promise<{ release: string }> }) {
  const { release } = await params;
  return events(request, (changed) => changed === `release:${release}`);
}
