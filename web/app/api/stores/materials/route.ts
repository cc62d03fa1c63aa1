import { addMaterial, checkMaterial, materials } from '@tall-kite/server/stores/materials';
import { answer, jsonBody } from '@/server/answer.ts';
import { context } from '@/server/context.ts';

export const dynamic = 'force-dynamic';

/** The materials in the stores, with what is made of them. */
export function GET(request: Request) {
  return answer(request, () => materials(context().db));
}

/** Keeps a new material. */
export function POST(request: Request) {
  return answer(request, async () => ({ id: await addMaterial(context().db, checkMaterial(await jsonBody(request))) }));
}
