import { groupedBy } from 'tall-kite/base/sets';
import type { PartView } from '@tall-kite/server/jobs/part-views';
import { groupOf, worstMark, type GroupField } from './filter.ts';

/** What the ledger can be ordered by. */
export type SortKey = 'given' | 'name' | 'size' | 'mark' | 'way' | 'file';
export interface Order {
  key: SortKey;
  down: boolean;
}

/** As the parts came in. */
export const asGiven: Order = { key: 'given', down: false };

const words = new Intl.Collator('en', { numeric: true, sensitivity: 'base' });
const rank = { stop: 0, look: 1, clear: 2 };

const longest = ({ summary: { box } }: PartView): number => Math.max(...[0, 1, 2].map((k) => box.max[k] - box.min[k]));

const compare: Record<SortKey, (a: PartView, b: PartView) => number> = {
  given: () => 0,
  name: (a, b) => words.compare(a.name, b.name),
  size: (a, b) => longest(b) - longest(a),
  mark: (a, b) => rank[worstMark(a)] - rank[worstMark(b)],
  way: (a, b) => words.compare(a.strands[0].name, b.strands[0].name),
  file: (a, b) => words.compare(a.file?.fileName ?? '', b.file?.fileName ?? ''),
};

/** Parts in an order; those that are equal in it stay as they came. Names are ordered as people count: M2 before M10. */
export function ordered(parts: readonly PartView[], { key, down }: Order): PartView[] {
  if (key === 'given') return down ? [...parts].reverse() : [...parts];
  const sorted = [...parts].sort(compare[key]);
  return down ? sorted.reverse() : sorted;
}

/** A row of the ledger: the head of a group, or a part. */
export type LedgerRow = { head: string; count: number } | { part: PartView };

/** Rows of parts in groups, each under its head, groups in the order of their words; without a field one group without a head. */
export function rowsOf(parts: readonly PartView[], by: GroupField | null): LedgerRow[] {
  if (by === null) return parts.map((part) => ({ part }));
  const groups = groupedBy(parts, (part) => groupOf(by, part));
  return [...groups]
    .sort(([a], [b]) => words.compare(a, b))
    .flatMap(([head, list]): LedgerRow[] => [{ head, count: list.length }, ...list.map((part) => ({ part }))]);
}

/** Height of a part's row, px: one more strand takes one more line. */
export const rowHeight = (part: PartView): number => 61 + (part.strands.length - 1) * 52;
export const headHeight = 34;

/** The link of a part in its row. */
export const rowLink = (id: string): string => `tr[data-id="${id}"] a`;
