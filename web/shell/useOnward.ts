'use client';
import { useParams, useRouter } from 'next/navigation';
import { useCallback } from 'react';
import { awaitFocus, focusOn } from './focus.ts';
import type { JobTools } from './useJob.ts';

/** Keeps a proposal and goes on to what came of it: the new part on its table, or the ledger when there are several. A changed part stays where it is. */
export function useOnward(tools: JobTools): (operation: string) => Promise<void> {
  const router = useRouter();
  const { job } = useParams<{ job: string }>();
  const { keep } = tools;
  return useCallback(
    async (operation) => {
      const made = await keep(operation);
      if (made.length === 1) awaitFocus(`part ${made[0]}`);
      if (made.length === 1) router.push(`/jobs/${job}/parts/${made[0]}`);
      else if (made.length > 1) router.push(`/jobs/${job}`);
      else focusOn('[data-test=panel]');
    },
    [keep, router, job],
  );
}
