import { Unusable } from 'tall-kite/base/finding';
import { changeMaterial, checkMaterial, removeMaterial } from '@tall-kite/server/stores/materials';
import { answer, jsonBody } from '@/server/answer.ts';
import { context } from '@/server/context.ts';

export const dynamic = 'force-dynamic';
type Params = { params: Promise<{ material: string }> };

/** Changes a material: { version, material }. */
export function PUT(request: Request, { params }: Params) {
  return answer(request, async () => {
    const { version, material } = ((await jsonBody(request)) ?? {}) as { version?: unknown; material?: unknown };
    if (!Number.isInteger(version)) throw new Unusable('bad-request', 'The version of the material is missing.', 'Reload the page.');
    await changeMaterial(context().db, (await params).material, version as number, checkMaterial(material));
  });
}

/** Takes a material away. */
export function DELETE(request: Request, { params }: Params) {
  return answer(request, async () => removeMaterial(context().db, (await params).material, true));
}

/** Brings back a material that was taken away. */
export function POST(request: Request, { params }: Params) {
  return answer(request, async () => removeMaterial(context().db, (await params).material, false));
}
