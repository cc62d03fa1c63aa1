import { makeShelf, shelves } from '@tall-kite/server/stores/designs';
import { answer, jsonBody } from '@/server/answer.ts';
import { context } from '@/server/context.ts';

export const dynamic = 'force-dynamic';

/** Shelves by name, each with how many designs stand on it. */
export function GET(request: Request) {
  return answer(request, () => shelves(context().db));
}

/** A new shelf. */
export function POST(request: Request) {
  return answer(request, async () => ({ id: await makeShelf(context().db, ((await jsonBody(request)) as { name?: unknown }).name) }));
}
