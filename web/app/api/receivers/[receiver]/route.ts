import Joi from 'joi';
import { archiveReceiver, changeReceiver, receiverById } from '@tall-kite/server/stores/receivers';
import { Unusable } from 'tall-kite/base/finding';
import { checkReceiver } from 'tall-kite/receivers/rules';
import { answer, jsonBody } from '@/server/answer.ts';
import { context } from '@/server/context.ts';

export const dynamic = 'force-dynamic';

type Params = { params: Promise<{ receiver: string }> };

const schema = Joi.alternatives().try(
  Joi.object({ archived: Joi.boolean().strict().required() }),
  Joi.object({ version: Joi.number().strict().integer().min(1).required(), rules: Joi.object().required() }),
);

/** A machine's rules, as a file that can be brought in elsewhere. */
export function GET(request: Request, { params }: Params) {
  return answer(request, async () => {
    const rules = await receiverById(context().db, (await params).receiver);
    const headers = { 'Content-Disposition': `attachment; filename="${rules.id}.json"`, 'Cache-Control': 'no-store' };
    return Response.json(rules, { headers });
  });
}

/** Changes a machine's rules, or archives it. */
export function PATCH(request: Request, { params }: Params) {
  return answer(request, async () => {
    const { value, error } = schema.validate(await jsonBody(request));
    if (error) throw new Unusable('bad-request', `${error.message}.`, 'Reload the page and try again.');
    const { receiver } = await params;
    const { db } = context();
    if ('archived' in value) return archiveReceiver(db, receiver, value.archived);
    return changeReceiver(db, receiver, value.version, checkReceiver(value.rules));
  });
}
