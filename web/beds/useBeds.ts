'use client';
import { useQueries } from '@tanstack/react-query';
import { useCallback, useMemo, useState } from 'react';
import { clashes, layOut, type BedLayout, type BedSize, type Laid, type LayItem } from 'tall-kite/beds/layout';
import type { Receiver } from 'tall-kite/receivers/receivers';
import { scaleOf } from 'tall-kite/recipe/recipe';
import type { PartView } from '@tall-kite/server/jobs/part-views';
import { partWorker } from '@/light-table/worker.ts';
import type { JobTools } from '@/shell/useJob.ts';

interface Kept {
  receiver: string;
  spacing: number;
  margin: number;
  out: string[];
  laid: Laid[] | null;
  /** What the layout was made for: another set of parts or stances needs a new one. */
  key: string;
}

/** The layout of a job's parts: what is kept of it in the browser, and all that follows from it. */
export type BedsTools = ReturnType<typeof useBeds>;

/** What a person chose, kept in the browser for each job. */
function useKept(jobId: string, [first]: readonly Receiver[]): [Kept, (change: Partial<Kept>) => void] {
  const store = `tall-kite-beds-${jobId}`;
  const [kept, setKept] = useState<Kept>(() => {
    const fresh: Kept = { receiver: first.id, spacing: first.spacing, margin: 3, out: [], laid: null, key: '' };
    try {
      return { ...fresh, ...JSON.parse(localStorage.getItem(store) ?? '{}') };
    } catch {
      return fresh;
    }
  });
  const save = useCallback(
    (change: Partial<Kept>) =>
      setKept((old) => {
        const next = { ...old, ...change };
        localStorage.setItem(store, JSON.stringify(next));
        return next;
      }),
    [store],
  );
  return [kept, save];
}

/** Parts as they are seen from above, once all were looked at. */
function useItems(all: readonly PartView[], out: readonly string[]): { items: LayItem[]; ready: boolean } {
  const outlines = useQueries({
    queries: all.map((p) => ({
      queryKey: ['outline', p.id, p.view, p.recipe.stance, scaleOf(p.summary, p.recipe)],
      staleTime: Infinity,
      queryFn: () => partWorker().outline(`/api/parts/${p.id}/geometry?what=view`, p.recipe.stance, scaleOf(p.summary, p.recipe)),
    })),
  });
  const items = useMemo<LayItem[]>(
    () =>
      all.flatMap((p, i) => {
        const found = outlines[i]?.data;
        return found && !out.includes(p.id) ? [{ id: p.id, name: p.name, outline: found.outline, height: found.height, copies: p.quantity }] : [];
      }),
    [outlines.map((o) => o.dataUpdatedAt).join(), out, all.map((p) => p.quantity).join()],
  );
  return { items, ready: outlines.every((o) => o.data) };
}

/** @param machines that print; at least one */
export function useBeds(jobId: string, tools: JobTools, machines: readonly Receiver[]) {
  const all = tools.job!.parts.filter((p) => !p.leftOut && p.summary.kind !== 'drawing');
  const [kept, save] = useKept(jobId, machines);
  const [past, setPast] = useState<Laid[][]>([]);
  const [bed, setBed] = useState(0);
  const [chosen, setChosen] = useState<number | null>(null);
  const receiver = machines.find((r) => r.id === kept.receiver) ?? machines[0];
  const { items, ready } = useItems(all, kept.out);
  const size: BedSize = useMemo(
    () => ({ width: receiver.bed[0], length: receiver.bed[1], height: receiver.bed[2], spacing: kept.spacing, margin: kept.margin }),
    [receiver, kept.spacing, kept.margin],
  );
  const key = JSON.stringify([receiver.id, receiver.bed, kept.spacing, kept.margin, items.map((i) => [i.id, i.copies, i.outline.length, i.height.toFixed(3)])]);
  const found: BedLayout | null = useMemo(() => (ready ? layOut(items, size) : null), [ready, key]);
  const laid = kept.laid && kept.key === key ? kept.laid : (found?.laid ?? []);
  const beds = Math.max(1, ...laid.map((l) => l.bed + 1));
  const shownBed = Math.min(bed, beds - 1);
  const wrong = useMemo(() => clashes(items, laid, size), [items, laid, size]);
  const bad = new Set([...wrong.pairs.flat(), ...wrong.off]);
  const onBed = laid.map((l, i) => ({ l, i })).filter(({ l }) => l.bed === shownBed);
  const here = [...new Set(onBed.map(({ l }) => l.id))].flatMap((id) => {
    const part = all.find((p) => p.id === id);
    return part ? [{ part, copies: onBed.filter(({ l }) => l.id === id).length }] : [];
  });
  const move = (next: Laid[]) => {
    setPast((p) => [...p.slice(-99), laid]);
    save({ laid: next, key });
  };
  const undo = () => {
    const last = past[past.length - 1];
    if (!last) return;
    setPast(past.slice(0, -1));
    save({ laid: last, key });
  };
  /** Changes the part that is chosen, if one is. */
  const moveChosen = (change: (l: Laid) => Laid) => chosen !== null && move(laid.map((l, i) => (i === chosen ? change(l) : l)));
  const canUndo = past.length > 0;
  return {
    all,
    kept,
    save,
    receiver,
    items,
    ready,
    size,
    found,
    laid,
    beds,
    shownBed,
    setBed,
    bad,
    onBed,
    here,
    chosen,
    setChosen,
    move,
    moveChosen,
    undo,
    canUndo,
  };
}
