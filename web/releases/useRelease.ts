import { useQueryClient, useQuery } from '@tanstack/react-query';
import { useEffect, useRef } from 'react';
import type { ReleaseView } from '@tall-kite/server/releases/report';
import { ask } from '@/shell/ask.ts';
import { oneAtATime } from '@/shell/oneAtATime.ts';

/** Rows asked for again although they were seen: a change of theirs may have been on its way while others were read. */
const overlap = 200;

/** A release kept fresh while it runs: only rows that changed are fetched, and all of them once at its end. */
export function useRelease(releaseId: string) {
  const client = useQueryClient();
  const key = ['release', releaseId];
  const query = useQuery({
    queryKey: key,
    queryFn: async () => {
      const known = client.getQueryData<ReleaseView>(key);
      if (!known || known.state !== 'running') return ask<ReleaseView>(`/api/releases/${releaseId}`);
      const seen = known.rows.reduce((most, r) => Math.max(most, r.seq), 0);
      const fresh = await ask<ReleaseView>(`/api/releases/${releaseId}?after=${Math.max(1, seen - overlap)}`);
      if (fresh.state !== 'running') return ask<ReleaseView>(`/api/releases/${releaseId}`);
      const rows = new Map(known.rows.map((r) => [r.id, r]));
      for (const row of fresh.rows) rows.set(row.id, row);
      return { ...fresh, rows: [...rows.values()].sort((a, b) => a.position - b.position) };
    },
    structuralSharing: false,
  });
  const { refetch } = query;
  const news = useRef<() => void>(() => {});
  useEffect(() => {
    const { heard, stop } = oneAtATime(() => refetch({ cancelRefetch: false }), 400);
    news.current = heard;
    const events = new EventSource(`/api/releases/${releaseId}/events`);
    events.addEventListener('changed', heard);
    return () => {
      events.close();
      stop();
    };
  }, [refetch, releaseId]);
  // The last word of a run comes by the job, not by a row: it is asked for while the run goes on.
  const running = query.data?.state === 'running' || query.data?.rows.some((r) => r.delivery === 'waiting');
  useEffect(() => {
    if (!running) return;
    const timer = setInterval(() => news.current(), 1500);
    return () => clearInterval(timer);
  }, [running]);
  return query;
}
