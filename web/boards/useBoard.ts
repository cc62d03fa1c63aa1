'use client';
import { useQuery } from '@tanstack/react-query';
import { useMemo, useRef, useState } from 'react';
import { orderedText } from 'tall-kite/base/ordered';
import { usualBoard, type BoardChoice } from 'tall-kite/boards/choice';
import { isBoardShop, type BoardShopReceiver, type Receiver } from 'tall-kite/receivers/receivers';
import type { OperationReport } from '@tall-kite/server/operations/requests';
import { ask } from '@/shell/ask.ts';
import type { JobTools } from '@/shell/useJob.ts';
import { useReceivers } from '@/stores/useReceivers.ts';

/** A drawing as a board: made on the server for what was chosen, which is kept with it. */
export function useBoard(tools: JobTools, partId: string) {
  const part = tools.job?.parts.find((p) => p.id === partId) ?? null;
  const operations = (tools.job?.operations ?? []).filter((o) => o.parts.includes(partId));
  const operation = [...operations].reverse().find((o) => o.kind === 'board') ?? null;
  const report = useQuery({
    queryKey: ['board', operation?.id, operation?.state],
    enabled: operation?.state === 'ready',
    staleTime: Infinity,
    queryFn: () => ask<OperationReport>(`/api/operations/${operation!.id}`),
  });
  const asked = operation?.request.kind === 'board' ? operation.request : null;
  // While it is made again, what was shown stays: lists and folds are not shut.
  const last = useRef<OperationReport['board']>(undefined);
  if (report.data?.board) last.current = report.data.board;
  const wished = useWish(asked);
  const { choice, shop } = wished;
  return {
    part,
    operation,
    files: operations.filter((o) => o.kind === 'board-files'),
    board: last.current ?? null,
    fetched: report.data?.board !== undefined,
    ...wished,
    make: async () => {
      if (!shop) return;
      // One that was ready goes by itself when another is asked for.
      const failed = operations.filter((o) => o.kind === 'board' && o.state === 'failed');
      await tools.operate({ kind: 'board', part: partId, choice, receiver: shop });
      for (const old of failed) await tools.drop(old.id);
    },
    write: async (to: BoardShopReceiver) => {
      await tools.operate({ kind: 'board-files', part: partId, choice, receiver: to, name: (part?.name ?? 'board').slice(0, 100) });
    },
  };
}

/** What was asked for last, with what a person changed since. */
function useWish(asked: { choice: BoardChoice; receiver: Receiver } | null) {
  const shops = useReceivers().filter(isBoardShop);
  const [changes, setChanges] = useState<Partial<BoardChoice>>({});
  const [shopId, setShopId] = useState<string | null>(null);
  const choice: BoardChoice = useMemo(() => ({ ...usualBoard, ...asked?.choice, ...changes }), [asked, changes]);
  const shop = shops.find((s) => s.id === (shopId ?? asked?.receiver.id)) ?? shops[0] ?? null;
  return {
    choice,
    shops,
    shop,
    /** What is shown was made for other choices. */
    changed: asked !== null && (orderedText(asked.choice) !== orderedText(choice) || (shop !== null && orderedText(asked.receiver) !== orderedText(shop))),
    set: (some: Partial<BoardChoice>) => setChanges((now) => ({ ...now, ...some })),
    setShop: setShopId,
  };
}

export type BoardTools = ReturnType<typeof useBoard>;
