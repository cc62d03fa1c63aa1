import Joi from 'joi';
import { Unusable } from 'tall-kite/base/finding';
import type { Database } from '../database/connect.ts';
import { announce } from '../live/announce.ts';
import { noSuchPart, recordChange } from './change.ts';

/** Another variant of some parts: the same shapes, with another quantity or stock where that is given. */
export interface VariantWish {
  parts: string[];
  variant: string;
  /** Each part's quantity is multiplied by this. */
  times: number;
  material: string | null;
  thickness: number | null;
}

/** A part is made at most so many times. */
const mostPieces = 100_000;

const schema = Joi.object<VariantWish>({
  parts: Joi.array().items(Joi.string().uuid()).min(1).max(10_000).required(),
  variant: Joi.string().trim().min(1).max(60).required(),
  times: Joi.number().integer().min(1).max(10_000).default(1),
  material: Joi.string().trim().max(60).allow('', null).default(null),
  thickness: Joi.number().greater(0).max(1000).allow(null).default(null),
});

/** Parts of a new variant beside those they are copied from; one change that undo takes back. @throws Unusable for a bad wish. */
export async function makeVariant(db: Database, jobId: string, input: unknown): Promise<number> {
  const { value, error } = schema.validate(input);
  if (error) throw new Unusable('bad-variant', `${error.message}.`, 'Correct the value; nothing was changed.');
  const { parts, variant, times, material, thickness } = value as VariantWish;
  return db.transaction().execute(async (trx) => {
    const rows = await trx
      .selectFrom('parts')
      .selectAll()
      .where('id', 'in', parts)
      .where('job_id', '=', jobId)
      .where('removed', '=', false)
      .orderBy('position')
      .execute();
    if (rows.length !== parts.length) throw noSuchPart();
    const known = await trx.selectFrom('parts').select(['name', 'design_id', 'variant']).where('job_id', '=', jobId).where('removed', '=', false).execute();
    const named = (p: { design_id: string; name: string }) => `${p.design_id} ${p.name.toLowerCase()}`;
    const chosen = new Set(rows.map(named));
    const taken = known.find((r) => r.variant.toLowerCase() === variant.toLowerCase() && chosen.has(named(r)));
    if (taken) throw new Unusable('same-variant', `"${taken.name}" has the variant "${variant}" already.`, 'Give the new variant another name.');
    const most = rows.find((r) => r.quantity * times > mostPieces);
    if (most)
      throw new Unusable(
        'too-many',
        `"${most.name}" would be made ${most.quantity * times} times; at most ${mostPieces} can be.`,
        'Multiply by less; nothing was changed.',
      );
    const next = new Map<string, number>();
    const deltas = [];
    for (const row of rows) {
      if (!next.has(row.design_id)) {
        const { most } = await trx
          .selectFrom('parts')
          .select((eb) => eb.fn.max('position').as('most'))
          .where('design_id', '=', row.design_id)
          .executeTakeFirstOrThrow();
        next.set(row.design_id, most + 1);
      }
      const position = next.get(row.design_id)!;
      next.set(row.design_id, position + 1);
      const { id: _, version: __, ...copied } = row;
      const { id } = await trx
        .insertInto('parts')
        .values({
          ...copied,
          position,
          variant,
          quantity: row.quantity * times,
          material: material || row.material,
          thickness: thickness ?? row.thickness,
          summary: JSON.stringify(row.summary),
          findings: JSON.stringify(row.findings),
          recipe: JSON.stringify(row.recipe),
          place: JSON.stringify(row.place),
          origin: row.origin && JSON.stringify(row.origin),
          ways: row.ways && JSON.stringify(row.ways),
          change: null,
        })
        .returning('id')
        .executeTakeFirstOrThrow();
      deltas.push({ part: id, before: { removed: true }, after: { removed: false } });
    }
    await recordChange(trx, jobId, `make the variant ${variant}`.slice(0, 80), deltas);
    await announce(trx, jobId);
    return deltas.length;
  });
}
