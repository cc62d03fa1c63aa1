import { refuse } from './answer.ts';
import { context } from './context.ts';

/** A stream of server-sent events: "changed" for each change that is meant, and once at the start. */
export function events(request: Request, meant: (changed: string) => boolean): Response {
  const refused = refuse(request);
  if (refused) return refused;
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
      const off = context().ear.on((changed) => meant(changed) && send('event: changed\ndata: 1\n\n'));
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
