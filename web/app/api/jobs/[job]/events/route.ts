import { events } from '@/server/events.ts';

export const dynamic = 'force-dynamic';

/** Server-sent events: "changed" whenever something of the job changed. */
export async function GET(request: Request, { params }: { params: Promise<{ job: string }> }) {
  const { job } = await params;
  return events(request, (changed) => changed === job);
}
