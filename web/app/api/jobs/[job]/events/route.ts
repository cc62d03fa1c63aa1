import { refuse } from '@/server/answer.ts';
import { context } from '@/server/context.ts';

export const dynamic = 'force-dynamic';

/** Server-sent events: "changed" whenever something of the job changed. */
export async function GET(request: Request, { params }: { params: Promise<{ job: string }> }) {
  const refused = refuse(request);
  if (refused) return refused;
  const { job } = await params;
  const encoder = new TextEncoder();
  let stop = () => {};
  const stream = new ReadableStream<Uint8Array>({
    start(controller) {
      const send = (text: string) => {
        try {
          controller.enqueue(encoder.encode(text));
        } catch {
          stop();
        }
      };
      const off = context().ear.on((changed) => changed === job && send('event: changed\ndata: 1\n\n'));
      const pulse = setInterval(() => send(': still here\n\n'), 20_000);
      stop = () => {
        off();
        clearInterval(pulse);
      };
      request.signal.addEventListener('abort', () => stop());
      send('retry: 2000\nevent: changed\ndata: 1\n\n');
    },
    cancel() {
      stop();
    },
  });
  return new Response(stream, { headers: { 'Content-Type': 'text/event-stream', 'Cache-Control': 'no-store', 'X-Accel-Buffering': 'no' } });
}
