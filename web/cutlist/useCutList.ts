'use client';
import { useQuery } from '@tanstack/react-query';
import { useCallback, useEffect, useMemo, useRef, useState } from 'react';
import { usualNest, type NestChoice } from 'tall-kite/cutlist/how';
import type { Nest } from 'tall-kite/cutlist/nested';
import { edited, sortedRows, withEdits, type CutRow, type RowEdit } from 'tall-kite/cutlist/row';
import { mostTyped, typedFrom, typedKey, typedRow, type TypedPanel } from 'tall-kite/cutlist/typed';
import type { ListedRow } from 'tall-kite/cutlist/csv';
import type { OperationReport } from '@tall-kite/server/operations/requests';
import type { PartView } from '@tall-kite/server/jobs/part-views';
import type { KeptCutList } from '@tall-kite/server/jobs/kept';
import { useMaterials } from '@/stores/useMaterials.ts';
import { ask, Refused } from '@/shell/ask.ts';
import type { JobTools } from '@/shell/useJob.ts';

const none: TypedPanel[] = [];
const nothing: KeptCutList = { edits: {}, choice: usualNest, laid: null };
/** What was changed is kept after so long without another change, ms. */
const pause = 400;
const mostPast = 100;

/** What is said of a part to the list: its row in the ledger. */
export const aboutOf = ({ quantity, number, material, thickness }: PartView) => ({ quantity, number, material, thickness });

/** A job's cut list: found on the server, changed here, kept as it is changed; with undo. */
export function useCutList(jobId: string, tools: JobTools) {
  const parts = useMemo(() => (tools.job?.parts ?? []).filter((p) => !p.leftOut), [tools.job]);
  const operation = [...(tools.job?.operations ?? [])].reverse().find((o) => o.kind === 'cut-list') ?? null;
  const report = useQuery({
    queryKey: ['cut-list', operation?.id, operation?.state],
    enabled: operation?.state === 'ready',
    staleTime: Infinity,
    queryFn: () => ask<OperationReport>(`/api/operations/${operation!.id}`),
  });
  const kept = useQuery({
    queryKey: ['kept-cut-list', jobId],
    queryFn: () => ask<{ version: number; content: KeptCutList | null }>(`/api/jobs/${jobId}/cutlist`),
  });
  const [content, setContent] = useState<KeptCutList | null>(null);
  const [past, setPast] = useState<KeptCutList[]>([]);
  const version = useRef(0);
  const [trouble, setTrouble] = useState<{ message: string; remedy: string } | null>(null);
  const timer = useRef<ReturnType<typeof setTimeout> | null>(null);
  const waiting = useRef<KeptCutList | null>(null);
  useEffect(() => {
    if (!kept.data || content) return;
    version.current = kept.data.version;
    setContent(kept.data.content ? { ...kept.data.content, choice: { ...usualNest, ...kept.data.content.choice } } : nothing);
  }, [kept.data, content]);
  const save = useCallback(async () => {
    const next = waiting.current;
    waiting.current = null;
    timer.current = null;
    if (!next) return;
    try {
      ({ version: version.current } = await ask<{ version: number }>(`/api/jobs/${jobId}/cutlist`, {
        method: 'PUT',
        body: { version: version.current, content: next },
      }));
      setTrouble(null);
    } catch (thrown) {
      const refused = thrown as Refused;
      setTrouble({ message: `The cut list was not kept: ${refused.message}`, remedy: refused.remedy ?? 'Try again.' });
    }
  }, [jobId]);
  // Leaving the page keeps what waits.
  useEffect(() => () => void (timer.current && (clearTimeout(timer.current), save())), [save]);
  const put = useCallback(
    (next: KeptCutList) => {
      setContent(next);
      waiting.current = next;
      if (timer.current) clearTimeout(timer.current);
      timer.current = setTimeout(() => void save(), pause);
    },
    [save],
  );
  const change = useCallback(
    (by: (old: KeptCutList) => KeptCutList) => {
      if (!content) return;
      setPast((p) => [...p.slice(1 - mostPast), content]);
      put(by(content));
    },
    [content, put],
  );
  const undo = useCallback(() => {
    const last = past[past.length - 1];
    if (!last) return;
    setPast(past.slice(0, -1));
    put(last);
  }, [past, put]);
  const raw = report.data?.cutList ?? null;
  const now = content ?? nothing;
  const materials = useMaterials();
  const typed = now.typed ?? none;
  const known = useMemo<CutRow[]>(() => (raw ? [...raw, ...typed.map(typedRow)] : []), [raw, typed]);
  const all = useMemo<CutRow[]>(() => sortedRows(known.map((r) => edited(r, now.edits[r.key], materials))), [known, now.edits, materials]);
  const rows = useMemo<CutRow[]>(() => withEdits(known, now.edits, materials), [known, now.edits, materials]);
  return {
    parts,
    operation,
    ready: raw !== null && content !== null,
    /** All rows, those left out too, and those that count. */
    all,
    rows,
    edits: now.edits,
    materials,
    choice: now.choice,
    laid: now.laid,
    trouble,
    canUndo: past.length > 0,
    undo,
    edit: (key: string, edit: RowEdit) => change((c) => ({ ...c, edits: { ...c.edits, [key]: { ...c.edits[key], ...edit } } })),
    editMany: (edits: ReadonlyMap<string, RowEdit>) =>
      change((c) => ({ ...c, edits: { ...c.edits, ...Object.fromEntries([...edits].map(([k, e]) => [k, { ...c.edits[k], ...e }])) } })),
    typed,
    ...typedChanges(change),
    choose: (part: Partial<NestChoice>) => change((c) => ({ ...c, choice: { ...c.choice, ...part } })),
    lay: (laid: Nest | null) => change((c) => ({ ...c, laid })),
    look: async () => {
      // A list that was made before says nothing any more.
      for (const old of (tools.job?.operations ?? []).filter((o) => o.kind === 'cut-list')) await tools.drop(old.id);
      await tools.operate({ kind: 'cut-list', parts: parts.map((p) => p.id), about: Object.fromEntries(parts.map((p) => [p.id, aboutOf(p)])) });
    },
  };
}

export type CutListTools = ReturnType<typeof useCutList>;

/** What can be done to panels of typed sizes: one more or several from a list, another size, away with one. */
function typedChanges(change: (by: (old: KeptCutList) => KeptCutList) => void) {
  return {
    addTyped: (list: readonly ListedRow[]) =>
      change((c) => {
        const before = c.typed ?? [];
        const { panels, edits } = typedFrom(list, 1 + Math.max(0, ...before.map((p) => Number(p.id) || 0)));
        return { ...c, typed: [...before, ...panels].slice(0, mostTyped), edits: { ...c.edits, ...Object.fromEntries(edits) } };
      }),
    sizeTyped: (id: string, size: Partial<Pick<TypedPanel, 'length' | 'width'>>) =>
      change((c) => ({ ...c, typed: (c.typed ?? []).map((p) => (p.id === id ? { ...p, ...size } : p)) })),
    dropTyped: (id: string) =>
      change(({ edits: { [typedKey(id)]: _, ...edits }, ...c }) => ({ ...c, edits, typed: (c.typed ?? []).filter((p) => p.id !== id) })),
  };
}
