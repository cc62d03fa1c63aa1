'use client';
import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useCallback, useEffect, useState } from 'react';
import type { JobFirst, JobNews } from '@tall-kite/server/jobs/news';
import type { PartView } from '@tall-kite/server/jobs/part-views';
import type { OperationRequest } from '@tall-kite/server/operations/requests';
import { awaitFocus } from './focus.ts';
import { ask, Refused } from './ask.ts';
import { told, type KnownJob } from './news.ts';
import { oneAtATime } from './oneAtATime.ts';
import { useShortcuts } from './Keys.tsx';
import { useChanges } from './useChanges.ts';

/**
 * A job as the server has it, kept fresh by server-sent events, with ways to change it.
 * @param whole the part whose file comes with its evidence; other files come without.
 * @param first so many parts of a large job are shown before the others are here (`coming`): for pages that only list them.
 */
export function useJob(jobId: string, whole = 'none', first = 0) {
  const client = useQueryClient();
  const [trouble, setTrouble] = useState<{ message: string; remedy: string } | null>(null);
  const [begun, setBegun] = useState<JobFirst | null>(null);
  const query = useQuery({
    queryKey: ['job', jobId, whole],
    queryFn: async () => {
      const known = client.getQueryData<KnownJob>(['job', jobId, whole]);
      const fetched = <T = JobNews>(address: string) => ask<T>(`/api/jobs/${jobId}?part=${whole}${address}`);
      const news = known ? told(known, await fetched(`&since=${known.stamp}&order=${known.order}`)) : null;
      if (news) return news;
      if (first > 0) {
        const some = await fetched<JobFirst | JobNews>(`&first=${first}`);
        if (!('of' in some)) return told(null, some)!;
        setBegun(some);
      }
      return told(null, await fetched(''))!;
    },
  });
  const refresh = useCallback(() => client.invalidateQueries({ queryKey: ['job', jobId] }), [client, jobId]);

  useEffect(() => {
    const events = new EventSource(`/api/jobs/${jobId}/events`);
    const { heard, stop } = oneAtATime(refresh, 120);
    events.addEventListener('changed', heard);
    return () => {
      events.close();
      stop();
    };
  }, [jobId, refresh]);

  const guarded = useCallback(
    async (work: () => Promise<unknown>) => {
      try {
        await work();
        setTrouble(null);
      } catch (thrown) {
        const refused = thrown instanceof Refused ? thrown : new Refused(0, (thrown as Error).message, 'Try again.');
        setTrouble({ message: refused.message, remedy: refused.remedy });
      }
      await refresh();
    },
    [refresh],
  );
  const { change, changeAll } = useChanges(jobId, whole, guarded);
  const write = useCallback(
    (part: PartView) => {
      awaitFocus(`file of ${part.id}`);
      return guarded(() => ask(`/api/parts/${part.id}/write`, { method: 'POST' }));
    },
    [guarded],
  );
  const operate = useCallback(
    (request: OperationRequest) => guarded(() => ask(`/api/jobs/${jobId}/operations`, { method: 'POST', body: request })),
    [guarded, jobId],
  );
  // What came of keeping: the new parts, none when it was refused or the part changed in its place.
  const keep = useCallback(
    async (id: string) => {
      let made: string[] = [];
      await guarded(async () => {
        ({ made } = await ask<{ made: string[] }>(`/api/operations/${id}`, { method: 'POST' }));
      });
      return made;
    },
    [guarded],
  );
  const drop = useCallback((id: string) => guarded(() => ask(`/api/operations/${id}`, { method: 'DELETE' })), [guarded]);
  const copy = useCallback((part: PartView) => guarded(() => ask(`/api/parts/${part.id}/copy`, { method: 'POST' })), [guarded]);
  const history = useCallback(
    (direction: 'undo' | 'redo') => guarded(() => ask(`/api/jobs/${jobId}/history`, { method: 'POST', body: { direction } })),
    [guarded, jobId],
  );
  useShortcuts({ 'Ctrl+z': () => void history('undo'), 'Ctrl+Shift+z': () => void history('redo'), 'Ctrl+y': () => void history('redo') });
  return {
    job: query.data ?? begun,
    /** How many parts are not here yet. */
    coming: query.data || !begun ? 0 : begun.of - begun.parts.length,
    loading: query.isPending && !begun,
    failed: query.error as Refused | null,
    trouble,
    clearTrouble: () => setTrouble(null),
    change,
    changeAll,
    write,
    operate,
    keep,
    drop,
    copy,
    history,
    guarded,
    refresh,
  };
}

export type JobTools = ReturnType<typeof useJob>;
