'use client';
import { useQueryClient } from '@tanstack/react-query';
import { useCallback, useRef } from 'react';
import type { WayId } from 'tall-kite/steps/way';
import type { JobView } from '@tall-kite/server/jobs/jobs';
import type { PartView } from '@tall-kite/server/jobs/part-views';
import { ask } from './ask.ts';
import { rebased } from './rebased.ts';

export type Fields = {
  recipe?: PartView['recipe'];
  name?: string;
  quantity?: number;
  left_out?: boolean;
  place?: number[];
  number?: string | null;
  material?: string | null;
  thickness?: number | null;
  variant?: string;
  ways?: WayId[] | null;
};

/** Fields of one part among several: the same for all, or each part's own. */
export type FieldsOf = Fields | ((part: PartView) => Fields);

/**
 * Ways to change parts, one after the other in the order in which they were asked for. A change that was asked for before the page knew of one's own
 * last one is put on top of it; one on top of somebody else's is refused by the server.
 */
export function useChanges(jobId: string, whole: string, guarded: (work: () => Promise<unknown>) => Promise<void>) {
  const client = useQueryClient();
  const last = useRef<Promise<unknown>>(Promise.resolve());
  // The version that a part has through a change made here.
  const mine = useRef(new Map<string, number>());
  const inTurn = useCallback((work: () => Promise<unknown>) => (last.current = last.current.then(() => guarded(work))) as Promise<void>, [guarded]);
  const settled = useCallback(
    (part: PartView, fields: Fields) => {
      const now = client.getQueryData<JobView>(['job', jobId, whole])?.parts.find((p) => p.id === part.id);
      const own = mine.current.get(part.id);
      if (own === undefined || own <= part.version) return { version: part.version, fields };
      const recipe = now && now.version === own && fields.recipe ? rebased(part.recipe, fields.recipe, now.recipe) : fields.recipe;
      return { version: own, fields: recipe ? { ...fields, recipe } : fields };
    },
    [client, jobId, whole],
  );
  const change = useCallback(
    (part: PartView, what: string, fields: Fields) =>
      inTurn(async () => {
        const body = { what, ...settled(part, fields) };
        const { version } = await ask<{ version: number }>(`/api/parts/${part.id}`, { method: 'PATCH', body });
        mine.current.set(part.id, version);
      }),
    [inTurn, settled],
  );
  const changeAll = useCallback(
    (parts: PartView[], what: string, fields: FieldsOf) =>
      inTurn(async () => {
        const each = parts.map((part) => ({ id: part.id, ...settled(part, typeof fields === 'function' ? fields(part) : fields) }));
        const list = typeof fields === 'function' ? each : each.map(({ id, version }) => ({ id, version }));
        const body = { parts: list, what: what.slice(0, 80), ...(typeof fields === 'function' ? {} : { fields }) };
        const { versions } = await ask<{ versions: Record<string, number> }>(`/api/jobs/${jobId}/parts`, { method: 'PATCH', body });
        for (const [id, version] of Object.entries(versions)) mine.current.set(id, version);
      }),
    [inTurn, settled, jobId],
  );
  return { change, changeAll };
}
