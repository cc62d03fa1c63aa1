'use client';
import { Button, Checkbox } from 'antd';
import { useRouter } from 'next/navigation';
import { useCallback, useEffect, useMemo, useRef, type RefObject } from 'react';
import type { PartView } from '@tall-kite/server/jobs/part-views';
import { focusOn } from '@/shell/focus.ts';
import { useShortcuts } from '@/shell/Keys.tsx';
import { useRows } from '@/shell/useRows.ts';
import type { JobTools } from '@/shell/useJob.ts';
import list from '@/shell/list.module.css';
import style from './ledger.module.css';
import { LedgerRow, stepPath } from './LedgerRow.tsx';
import { headHeight, rowHeight, rowLink, type LedgerRow as Row, type Order, type SortKey } from './rows.ts';

/** Columns: a name, the share of the width, and what a click on it orders by. */
const columns: { name: string; width: string; sort?: SortKey }[] = [
  { name: 'Part', width: '20%', sort: 'name' },
  { name: 'Source', width: '7%' },
  { name: 'Size', width: '14%', sort: 'size' },
  { name: 'Soundness', width: '10%', sort: 'mark' },
  { name: 'Way', width: '11%', sort: 'way' },
  { name: 'Form', width: '13%' },
  { name: 'File', width: '13%', sort: 'file' },
  { name: 'Received', width: '9%' },
];

/** Rows out of sight are not drawn once there are more than this. */
const drawnAll = 60;

interface Props {
  jobId: string;
  rows: Row[];
  chosen: PartView | null;
  choose: (id: string) => void;
  order: Order;
  setOrder: (order: Order) => void;
  marked: ReadonlySet<string>;
  mark: (ids: string[], on: boolean) => void;
  scroller: RefObject<HTMLDivElement | null>;
  tools: JobTools;
}

/** Parts as rows, each strung on its thread: the trunk, then a strand for each way that it goes. */
export function LedgerTable({ jobId, rows, chosen, choose, order, setOrder, marked, mark, scroller, tools }: Props) {
  const parts = useMemo(() => rows.flatMap((r) => ('part' in r ? [r.part] : [])), [rows]);
  const heights = useMemo(() => rows.map((r) => ('part' in r ? rowHeight(r.part) : headHeight)), [rows]);
  const { items, above, below, show } = useRows(scroller, rows.length, {
    height: (i) => heights[i] ?? 61,
    drawnWhole: drawnAll,
    keyOf: (i) => (rows[i] ? `${keyOf(rows[i])} ${heights[i]}` : String(i)),
  });
  const at = rows.findIndex((r) => 'part' in r && r.part.id === chosen?.id);
  useEffect(() => {
    if (at >= 0) show(at);
    // Only when another part is chosen: a list that changes below it stays where it is.
  }, [chosen?.id]);
  useLedgerKeys({ jobId, parts, chosen, choose, marked, mark, tools });
  const toggle = useRange(parts, mark);
  const many = rows.length > drawnAll;
  // Rows that leave the picture are filled anew for those that come, so that few elements are made while scrolling.
  const most = useRef(0);
  most.current = Math.max(most.current, items.length + 1);
  return (
    <table className={list.ledger} aria-label="Parts and their steps" aria-rowcount={rows.length + 1}>
      <colgroup>
        <col className={style.tick} />
        {columns.map(({ name, width }) => (
          <col key={name} style={{ width }} />
        ))}
      </colgroup>
      <thead>
        <tr aria-rowindex={1}>
          <th scope="col">
            <ChooseAll parts={parts} marked={marked} mark={mark} />
          </th>
          {columns.map((c) => (
            <Head key={c.name} {...c} order={order} setOrder={setOrder} />
          ))}
        </tr>
      </thead>
      <tbody>
        {above > 0 && <tr aria-hidden="true" style={{ height: above }} />}
        {items.map(({ index }) => {
          const row = rows[index];
          if (!row) return null;
          if ('head' in row)
            return (
              <tr key={keyOf(row)} className={style.grouphead} aria-rowindex={index + 2}>
                <th scope="rowgroup" colSpan={columns.length + 1}>
                  {row.head} <span className="context">{row.count}</span>
                </th>
              </tr>
            );
          const { part } = row;
          return (
            <LedgerRow
              key={many ? index % most.current : part.id}
              jobId={jobId}
              part={part}
              index={index}
              chosen={part.id === chosen?.id}
              marked={marked.has(part.id)}
              choose={choose}
              toggle={toggle}
            />
          );
        })}
        {below > 0 && <tr aria-hidden="true" style={{ height: below }} />}
      </tbody>
    </table>
  );
}

const keyOf = (row: Row): string => ('part' in row ? row.part.id : `group ${row.head}`);

/** A head of a column; a click orders by it, the next one the other way round, the third as the parts came in. */
function Head({ name, sort, order, setOrder }: { name: string; sort?: SortKey; order: Order; setOrder: (o: Order) => void }) {
  if (!sort) return <th scope="col">{name}</th>;
  const by = order.key === sort;
  const next: Order = !by ? { key: sort, down: false } : order.down ? { key: 'given', down: false } : { key: sort, down: true };
  return (
    <th scope="col" aria-sort={by ? (order.down ? 'descending' : 'ascending') : 'none'}>
      <Button type="text" size="small" className={style.sorter} onClick={() => setOrder(next)} title={`Order by ${name.toLowerCase()}`}>
        {name} <span aria-hidden="true">{by ? (order.down ? '↓' : '↑') : ''}</span>
      </Button>
    </th>
  );
}

function ChooseAll({ parts, marked, mark }: Pick<Props, 'marked' | 'mark'> & { parts: PartView[] }) {
  const shown = parts.filter((p) => marked.has(p.id)).length;
  const ids = () => parts.map((p) => p.id);
  return (
    <Checkbox
      aria-label="Choose all that are shown"
      checked={parts.length > 0 && shown === parts.length}
      indeterminate={shown > 0 && shown < parts.length}
      onChange={(e) => mark(ids(), e.target.checked)}
    />
  );
}

/** Ticks a part, or with Shift all from the one ticked last. */
function useRange(parts: PartView[], mark: Props['mark']) {
  const last = useRef<string | null>(null);
  return useCallback(
    (id: string, on: boolean, range: boolean) => {
      const index = parts.findIndex((p) => p.id === id);
      const from = range ? parts.findIndex((p) => p.id === last.current) : -1;
      const [a, b] = [from < 0 ? index : from, index].sort((x, y) => x - y);
      last.current = id;
      mark(
        parts.slice(a, b + 1).map((p) => p.id),
        on,
      );
    },
    [parts, mark],
  );
}

function useLedgerKeys({
  jobId,
  parts,
  chosen,
  choose,
  marked,
  mark,
  tools,
}: Pick<Props, 'jobId' | 'chosen' | 'choose' | 'marked' | 'mark' | 'tools'> & { parts: PartView[] }) {
  const router = useRouter();
  const move = (by: number) => {
    const at = parts.findIndex((p) => p.id === chosen?.id);
    const next = parts[Math.min(parts.length - 1, Math.max(0, at + by))];
    if (!next) return;
    choose(next.id);
    // Who is in the rows goes along with what is chosen: Enter opens one and the same.
    const inRow = document.activeElement?.closest<HTMLElement>('tr[data-id]');
    if (!inRow) return;
    (document.activeElement as HTMLElement).blur();
    focusOn(rowLink(next.id));
  };
  useShortcuts({
    ArrowDown: () => move(1),
    ArrowUp: () => move(-1),
    Enter: () => chosen && router.push(stepPath(jobId, chosen)),
    w: () => chosen && void tools.write(chosen),
    x: () => chosen && mark([chosen.id], !marked.has(chosen.id)),
    'Ctrl+a': () =>
      mark(
        parts.map((p) => p.id),
        true,
      ),
  });
}
