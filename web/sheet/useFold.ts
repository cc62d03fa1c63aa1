'use client';
import { useQuery } from '@tanstack/react-query';
import { transfer } from 'comlink';
import { useEffect, useRef, useState } from 'react';
import { bytesOf } from '@/light-table/usePart.ts';
import { partWorker } from '@/light-table/worker.ts';

export interface FoldedView {
  positions: Float32Array;
  triangles: Uint32Array;
  edges: Float32Array;
}

/**
 * The flat pattern at `path`, folded to a share from 0 (flat) to 1; worked out off the page's thread, the last share asked for wins.
 * @param scale mm in one number of the coordinates that come back.
 */
export function useFold(path: string | null, share: number, scale: number): { view: FoldedView | null; failed: string | null } {
  const made = useQuery({
    queryKey: ['foldmesh', path],
    enabled: path !== null,
    staleTime: Infinity,
    retry: false,
    queryFn: async () => {
      const bytes = await bytesOf(path!);
      return partWorker().foldOpen(transfer(bytes, [bytes]), path!);
    },
  });
  const [view, setView] = useState<FoldedView | null>(null);
  const wanted = useRef<number | null>(null);
  const running = useRef(false);
  const ready = made.data;
  useEffect(() => {
    if (!ready || path === null) {
      setView(null);
      return;
    }
    let gone = false;
    wanted.current = share;
    const go = async () => {
      if (running.current) return;
      running.current = true;
      try {
        while (wanted.current !== null) {
          const now = wanted.current;
          wanted.current = null;
          const got = await partWorker().foldAt(path, now, scale);
          if (got && wanted.current === null && !gone) setView({ positions: got.positions, triangles: ready.triangles, edges: got.edges });
        }
      } finally {
        running.current = false;
      }
    };
    void go();
    return () => {
      gone = true;
    };
  }, [ready, path, share, scale]);
  return { view, failed: made.isError ? (made.error as Error).message : null };
}
