'use client';
import { useQuery } from '@tanstack/react-query';
import { isBender, receiversFor, type BenderReceiver, type Receiver } from 'tall-kite/receivers/receivers';
import type { StoredReceiver } from '@tall-kite/server/stores/receivers';
import { ask } from '@/shell/ask.ts';

/** All machines in the stores, archived ones too; `first` is what a page came with. */
export const useStoredReceivers = (first?: StoredReceiver[]) =>
  useQuery({ queryKey: ['receivers'], queryFn: () => ask<StoredReceiver[]>('/api/receivers'), staleTime: 10_000, initialData: first });

/** The machines that a part can be sent to; empty until they are known. */
export function useReceivers(): Receiver[] {
  const { data } = useStoredReceivers();
  return (data ?? []).filter((r) => !r.archived).map((r) => r.rules);
}

/** The tube benders in the stores. */
export const useBenders = (): BenderReceiver[] => useReceivers().filter(isBender);

/** The machines for a kind of part, and the one that it goes to already, even when that is archived. */
export function offered(kind: 'solid' | 'mesh' | 'drawing', list: readonly Receiver[], now: Receiver): Receiver[] {
  const fitting = receiversFor(kind, list);
  return fitting.some((r) => r.id === now.id) ? fitting : [now, ...fitting];
}

/** "Lark, filament printer". */
export const receiverLabel = ({ name, process }: Receiver): string => `${name}, ${process}`;
