import { Readable } from 'node:stream';
import type { ReadableStream as NodeStream } from 'node:stream/web';
import { bringIn, listDesigns } from '@tall-kite/server/designs/designs';
import { takeIntoJob } from '@tall-kite/server/stores/designs';
import { choicesSchema, type ReadChoices } from 'tall-kite/model/choices';
import { Unusable } from 'tall-kite/base/finding';
import { mostBytes } from 'tall-kite/pipeline/read';
import { answer } from '@/server/answer.ts';
import { context } from '@/server/context.ts';

export const dynamic = 'force-dynamic';

/** Choices before reading, as JSON in the address. @throws Unusable when they are none. */
function choicesOf(text: string | null): ReadChoices | null {
  if (text === null) return null;
  try {
    const { value, error } = choicesSchema.validate(JSON.parse(text), { convert: false });
    if (!error) return value;
  } catch {
    // said below
  }
  throw new Unusable('bad-choices', 'The choices for reading are damaged.', 'Reload the page and choose again.');
}

/** The job's designs that were read, removed ones too. */
export function GET(request: Request, { params }: { params: Promise<{ job: string }> }) {
  return answer(request, async () => listDesigns(context().db, (await params).job));
}

/** A file as the whole body, its name in ?name=, choices for reading in ?choices=, the design that it replaces in ?replaces=, its variant in ?variant=; or ?stored= a design of the stores. Streams to the store; nothing is kept when it breaks off. */
export function POST(request: Request, { params }: { params: Promise<{ job: string }> }) {
  return answer(request, async () => {
    const { db, blobs } = context();
    const stored = new URL(request.url).searchParams.get('stored');
    if (stored) return { id: await takeIntoJob(db, (await params).job, stored) };
    const header = request.headers.get('content-length');
    const length = header === null ? null : Number(header);
    if (length !== null && length > mostBytes)
      throw new Unusable('too-large', `The file has more than ${mostBytes / 2 ** 20} MB, which is the limit.`, 'Export fewer parts at a time.');
    const query = new URL(request.url).searchParams;
    const file = {
      jobId: (await params).job,
      name: query.get('name') ?? '',
      source: request.body ? Readable.fromWeb(request.body as NodeStream) : Readable.from([]),
      announced: length,
      choices: choicesOf(query.get('choices')),
      replaces: query.get('replaces'),
      variant: query.get('variant') ?? '',
    };
    return { id: await bringIn(db, blobs, file) };
  });
}
