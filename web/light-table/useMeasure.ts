'use client';
import { useQuery } from '@tanstack/react-query';
import { transfer } from 'comlink';
import { useCallback, useMemo, useState } from 'react';
import type { PartView } from '@tall-kite/server/jobs/part-views';
import type { MeasuredPicks } from '@/workers/part.worker.ts';
import type { Pick } from './picking.ts';
import { bytesOf } from './usePart.ts';
import { partWorker } from './worker.ts';

/** What is being measured: up to two picks and what they say; a third begins anew. */
export interface Measuring {
  picks: Pick[];
  said: MeasuredPicks | null;
  busy: boolean;
  failed: string | null;
  take: (pick: Pick) => void;
  toggle: () => void;
  stop: () => void;
}

/** Measures by picks; null picks while nobody does. */
export function useMeasure(part: PartView): Measuring & { on: boolean } {
  const name = `${part.id} ${part.view}`;
  const [taken, setTaken] = useState<{ of: string; picks: Pick[] } | null>(null);
  const on = taken !== null;
  // Places of another shape, as the part was before it was mended, are none of this one.
  const picks = useMemo(() => (taken?.of === name ? taken.picks : []), [taken, name]);
  const opened = useQuery({
    queryKey: ['measure', name],
    enabled: on,
    // The worker keeps one part open at a time.
    gcTime: 0,
    staleTime: Infinity,
    retry: false,
    queryFn: async () => {
      const solid = part.summary.kind === 'solid';
      const at = `/api/parts/${part.id}/geometry?what=`;
      const [view, brep] = await Promise.all([bytesOf(`${at}view`), solid ? bytesOf(`${at}geometry`) : null]);
      await partWorker().openToMeasure(transfer({ name, view, brep }, [view, ...(brep ? [brep] : [])]));
      return name;
    },
  });
  const key = picks.map((p) => `${p.triangle} ${p.vertex} ${p.point.join(' ')}`);
  const measured = useQuery({
    queryKey: ['measured', name, ...key],
    enabled: on && picks.length > 0 && opened.data === name,
    gcTime: 0,
    staleTime: Infinity,
    retry: false,
    queryFn: () => partWorker().measure(name, picks),
  });
  const failure = opened.error ?? measured.error;
  return {
    on,
    picks,
    said: on && picks.length > 0 ? (measured.data ?? null) : null,
    busy: on && (opened.isFetching || measured.isFetching),
    failed: failure ? failure.message : null,
    take: useCallback(
      (pick: Pick) => setTaken((old) => old && { of: name, picks: old.of === name && old.picks.length === 1 ? [...old.picks, pick] : [pick] }),
      [name],
    ),
    toggle: useCallback(() => setTaken((old) => (old === null ? { of: name, picks: [] } : null)), [name]),
    stop: useCallback(() => setTaken(null), []),
  };
}
