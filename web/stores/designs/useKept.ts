'use client';
import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import type { KeptPage, Wanted } from '@tall-kite/server/stores/designs';
import { ask } from '@/shell/ask.ts';

/** What a card that is dragged carries. */
export const dragType = 'application/x-tall-kite-design';

/** How often a page looks again while designs are being read, ms. */
const again = 1500;

/** Designs in the stores: what is looked for, and the page of them that is shown. */
export function useKept() {
  const client = useQueryClient();
  const [wanted, setWanted] = useState<Wanted>({ text: '', page: 0 });
  const query = new URLSearchParams();
  for (const [key, value] of Object.entries(wanted)) if (value !== undefined && value !== '') query.set(key, String(value));
  const found = useQuery({
    queryKey: ['kept', query.toString()],
    queryFn: () => ask<KeptPage>(`/api/stores/designs?${query}`),
    placeholderData: (old) => old,
    refetchInterval: (q) => ((q.state.data?.reading ?? 0) > 0 ? again : false),
  });
  return {
    wanted,
    want: (some: Partial<Wanted>) => setWanted((now) => ({ ...now, page: 0, ...some })),
    page: found.data ?? null,
    failed: found.isError ? (found.error as Error) : null,
    refresh: () => client.invalidateQueries({ queryKey: ['kept'] }),
  };
}

export type KeptTools = ReturnType<typeof useKept>;
