import { useVirtualizer } from '@tanstack/react-virtual';
import type { RefObject } from 'react';

/** Height of the head of a table that stays at the top of what scrolls, px. */
const head = 32;

/**
 * The rows of a table that are in sight, with the heights (px) that those above and below take. Short tables are drawn whole.
 * @param height of each row, px.
 */
export function useRows(
  count: number,
  height: (i: number) => number,
  scroller: RefObject<HTMLDivElement | null>,
  drawnWhole: number,
  keyOf?: (i: number) => string,
) {
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
