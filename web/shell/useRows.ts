import { useVirtualizer } from '@tanstack/react-virtual';
import type { RefObject } from 'react';

/** Height of the head of a table that stays at the top of what scrolls, px. */
const head = 32;

interface RowsAsked {
  /** Of each row, px. */
  height: (i: number) => number;
  /** So many rows are drawn at once, whether they are in sight or not. */
  drawnWhole: number;
  keyOf?: (i: number) => string;
}

/**
 * The rows of a table that are in sight, with the heights (px) that those above and below take. Short tables are drawn whole.
 */
export function useRows(scroller: RefObject<HTMLDivElement | null>, count: number, { height, drawnWhole, keyOf }: RowsAsked) {
  const rows = useVirtualizer({
    count,
    getScrollElement: () => scroller.current,
    estimateSize: height,
    overscan: count <= drawnWhole ? drawnWhole : 4,
    scrollMargin: head,
    scrollPaddingStart: head,
    scrollPaddingEnd: 4,
    ...(keyOf ? { getItemKey: keyOf } : {}),
  });
  const items = rows.getVirtualItems();
  const above = items.length > 0 ? items[0].start - head : 0;
  const below = items.length > 0 ? rows.getTotalSize() + head - items[items.length - 1].end : 0;
  return { items, above, below, show: (index: number) => rows.scrollToIndex(index, { align: 'auto' }) };
}
