'use client';
import { useQuery } from '@tanstack/react-query';
import { wrap, type Remote } from 'comlink';
import { useDeferredValue } from 'react';
import type { TextChoice } from 'tall-kite/text/choice';
import type { LettersView, LettersWorker } from '@/workers/letters.worker.ts';

let made: Remote<LettersWorker> | null = null;
const lettersWorker = (): Remote<LettersWorker> => (made ??= wrap<LettersWorker>(new Worker('/kernel/letters-worker.js', { type: 'module' })));

/** What came of words: letters, or why there are none. */
export type Shown = LettersView | { failed: { message: string; remedy: string } };

/** Letters as they will be, while they are typed; null without words. */
export function useLettering(choice: TextChoice): Shown | null {
  const wanted = useDeferredValue(choice);
  const { own, ...rest } = wanted;
  const query = useQuery<Shown>({
    queryKey: ['letters', rest, own?.name, own?.data.length],
    enabled: wanted.words.trim() !== '',
    placeholderData: (old) => old,
    staleTime: Infinity,
    gcTime: 10_000,
    retry: false,
    queryFn: async () => (await lettersWorker().view(wanted)) as Shown,
  });
  return wanted.words.trim() === '' ? null : (query.data ?? null);
}

/** Axes of the letters that are shown; none before there are letters. */
export const axesOf = (shown: Shown | null): LettersView['axes'] => (shown && !('failed' in shown) ? shown.axes : []);
