'use client';
import { useQueries, useQuery } from '@tanstack/react-query';
import { transfer, wrap, type Remote } from 'comlink';
import { useMemo, useState } from 'react';
import { orderedText } from 'tall-kite/base/ordered';
import { scaleOf } from 'tall-kite/recipe/recipe';
import { usualStanding, usualStock, type Standing, type StockChoice } from 'tall-kite/reliefs/choice';
import type { PartView } from '@tall-kite/server/jobs/part-views';
import { newest } from '@/light-table/panels/SoundnessPanel.tsx';
import { bytesOf } from '@/light-table/usePart.ts';
import type { JobTools } from '@/shell/useJob.ts';
import type { ReliefWorker } from '@/workers/relief.worker.ts';

let started: Remote<ReliefWorker> | null = null;

/** One worker for the page, started when first asked for. */
export function reliefWorker(): Remote<ReliefWorker> {
  return (started ??= wrap<ReliefWorker>(new Worker('/kernel/relief-worker.js', { type: 'module' })));
}

const keyOf = (part: PartView) => `${part.id} ${part.view} ${scaleOf(part.summary, part.recipe)}`;

/** What was chosen: by the proposal, else by the block that was kept; with what a person changed since. */
function useWish(tools: JobTools, partId: string, asked: { parts: string[]; choice: StockChoice } | null, madeId: string | null) {
  const [others, setOthers] = useState<string[] | null>(null);
  const [changes, setChanges] = useState<Partial<StockChoice>>({});
  const kept = tools.job?.parts.find((p) => p.id === madeId)?.summary.relief?.choice ?? null;
  const begun = asked?.choice ?? kept;
  const ids = useMemo(() => [partId, ...(others ?? asked?.parts.filter((id) => id !== partId) ?? [])], [partId, others, asked]);
  const choice: StockChoice = useMemo(() => {
    const all = { ...usualStock, stock: [300, 200, 20] as [number, number, number], ...begun, ...changes };
    return { ...all, reliefs: ids.map((_, i) => all.reliefs[i] ?? { ...usualStanding, fit: 'own' as const }) };
  }, [begun, changes, ids]);
  const set = (some: Partial<StockChoice>) => setChanges((now) => ({ ...now, ...some }));
  return {
    ids,
    choice,
    set,
    setOne: (at: number, some: Partial<Standing>) => set({ reliefs: choice.reliefs.map((r, i) => (i === at ? { ...r, ...some } : r)) }),
    add: (id: string) => {
      setOthers([...ids.slice(1), id]);
      set({ reliefs: [...choice.reliefs, { ...usualStanding, fit: 'own' }] });
    },
    remove: (at: number) => {
      setOthers(ids.slice(1).filter((_, i) => i !== at - 1));
      set({ reliefs: choice.reliefs.filter((_, i) => i !== at) });
    },
    changed: asked !== null && orderedText(asked.choice) !== orderedText(choice),
  };
}

/** The parts opened in the worker, and what the choice would make of them. */
function usePreview(parts: PartView[], wanted: number, choice: StockChoice) {
  const opening = useQueries({
    queries: parts.map((p) => ({
      queryKey: ['relief-open', keyOf(p)],
      staleTime: Infinity,
      queryFn: async () => {
        const bytes = await bytesOf(`/api/parts/${p.id}/geometry?what=view`);
        return reliefWorker().open(keyOf(p), transfer(bytes, [bytes]), scaleOf(p.summary, p.recipe));
      },
    })),
  });
  const open = parts.length === wanted && opening.every((q) => q.data);
  const wish = orderedText({ choice, keys: parts.map(keyOf) });
  const shown = useQuery({
    queryKey: ['relief-preview', wish],
    enabled: open && parts.length > 0,
    staleTime: 0,
    gcTime: 0,
    placeholderData: (old) => old,
    queryFn: async () => ({
      wish,
      ...(await reliefWorker().preview(
        parts.map((p) => ({ key: keyOf(p), name: p.name })),
        choice,
      )),
    }),
  });
  return {
    /** Sizes as modelled, mm. */
    own: opening.map((q) => q.data ?? null),
    failed: opening.some((q) => q.isError),
    shown: shown.data ?? null,
    busy: !open || shown.isFetching,
  };
}

/** A relief or several on a stock: what was chosen, what it would look like, the proposal or the block that came of it. */
export function useRelief(tools: JobTools, partId: string) {
  const part = tools.job?.parts.find((p) => p.id === partId) ?? null;
  const operation = newest(tools.job?.operations ?? [], partId, ['stock']);
  const made = part?.strands.find((s) => s.way === 'relief')?.made ?? null;
  const asked = operation?.request.kind === 'stock' ? operation.request : null;
  const chosen = useWish(tools, partId, asked, made?.id ?? null);
  const { ids, choice } = chosen;
  const parts = useMemo(() => ids.map((id) => tools.job?.parts.find((p) => p.id === id)).filter((p): p is PartView => p !== undefined), [ids, tools.job]);
  const preview = usePreview(parts, ids.length, choice);
  return {
    ...chosen,
    part,
    parts,
    operation,
    made,
    ...preview,
    go: () => tools.operate({ kind: 'stock', parts: ids, choice }),
  };
}

export type ReliefTools = ReturnType<typeof useRelief>;
