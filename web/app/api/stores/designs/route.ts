import { Readable } from 'node:stream';
import type { ReadableStream as NodeStream } from 'node:stream/web';
import Joi from 'joi';
import { Unusable } from 'tall-kite/base/finding';
import { mostBytes } from 'tall-kite/pipeline/read';
import { changeKept, keepDesign, keepFromJob, keptDesigns } from '@tall-kite/server/stores/designs';
import { answer, jsonBody, manyParts } from '@/server/answer.ts';
import { context } from '@/server/context.ts';

export const dynamic = 'force-dynamic';

/** Designs in the stores, a page at a time: ?text=, ?shelf= (an id, or "none"), ?tag=, ?page=. */
export function GET(request: Request) {
  return answer(request, () => {
    const query = new URL(request.url).searchParams;
    const page = Math.max(0, Math.min(100_000, Math.floor(Number(query.get('page') ?? 0)) || 0));
    return keptDesigns(context().db, { text: query.get('text') ?? '', shelf: query.get('shelf') ?? undefined, tag: query.get('tag') ?? undefined, page });
  });
}

/** A file as the whole body, its name in ?name=; or ?from= a design of a job. ?shelf=, ?tag= (several), ?replaces= the design whose next revision it is. */
export function POST(request: Request) {
  return answer(request, async () => {
    const { db, blobs } = context();
    const query = new URL(request.url).searchParams;
    const how = { shelf: query.get('shelf'), tags: query.getAll('tag'), ...(query.get('replaces') ? { replaces: query.get('replaces')! } : {}) };
    const from = query.get('from');
    if (from) return keepFromJob(db, from, how);
    const header = request.headers.get('content-length');
    const length = header === null ? null : Number(header);
    if (length !== null && length > mostBytes)
      throw new Unusable('too-large', `The file has more than ${mostBytes / 2 ** 20} MB, which is the limit.`, 'Keep fewer parts in one file.');
    const body = request.body ? Readable.fromWeb(request.body as NodeStream) : Readable.from([]);
    return keepDesign(db, blobs, { name: query.get('name') ?? '', source: body, announced: length }, how);
  });
}

const changeSchema = Joi.object<{ ids: string[]; shelf?: string | null; tags?: string[]; addTag?: string; removed?: boolean }>({
  ids: Joi.array().items(Joi.string().guid()).min(1).max(5000).unique().required(),
  shelf: Joi.string().guid().allow(null),
  tags: Joi.array().items(Joi.string().max(100)).max(40),
  addTag: Joi.string().trim().min(1).max(40),
  removed: Joi.boolean().strict(),
});

/** Moves designs to a shelf, gives them tags, takes them away or brings them back. */
export function PATCH(request: Request) {
  return answer(request, async () => {
    const { value, error } = changeSchema.validate(await jsonBody(request, manyParts), { convert: false });
    if (error) throw new Unusable('bad-request', `${error.message}.`, 'Correct the value; nothing was changed.');
    const { ids, ...change } = value;
    await changeKept(context().db, ids, change);
  });
}
