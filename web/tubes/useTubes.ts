'use client';
import { useQuery } from '@tanstack/react-query';
import { useEffect, useMemo, useState } from 'react';
import { orderedText } from 'tall-kite/base/ordered';
import { usualBender, type BenderRules } from 'tall-kite/bender/rules';
import type { OperationReport } from '@tall-kite/server/operations/requests';
import { ask } from '@/shell/ask.ts';
import type { JobTools } from '@/shell/useJob.ts';
import { useBenders } from '@/stores/useReceivers.ts';

/** The bent tubes of a job: found on the server for what the machine can do, which is kept with what was found. */
export function useTubes(tools: JobTools) {
  const parts = useMemo(() => partsOf(tools.job), [tools.job]);
  const operations = tools.job?.operations ?? [];
  const operation = [...operations].reverse().find((o) => o.kind === 'tubes') ?? null;
  const report = useQuery({
    queryKey: ['tubes', operation?.id, operation?.state],
    enabled: operation?.state === 'ready',
    staleTime: Infinity,
    queryFn: () => ask<OperationReport>(`/api/operations/${operation!.id}`),
  });
  const asked = operation?.request.kind === 'tubes' ? operation.request : null;
  const wished = useWish(asked);
  return {
    parts,
    operation,
    ...shownOf(report.data),
    ...wished,
    look: async () => {
      for (const old of operations.filter((o) => o.kind === 'tubes')) await tools.drop(old.id);
      await tools.operate({ kind: 'tubes', parts: parts.map((p) => p.id), ...wished.wish });
    },
  };
}

/** What tubes are looked for with: what was asked for last, and what a person changed since. */
function useWish(asked: Wish | null) {
  const benders = useBenders();
  const [bender, setBender] = useState<BenderRules | null>(null);
  const [machine, setMachine] = useState<string | null>(null);
  const [toDie, setToDie] = useState(false);
  const [fit, setFit] = useState<number | null>(null);
  useEffect(() => {
    if (!asked || bender) return;
    setBender(asked.bender);
    setToDie(asked.toDie);
    setFit(asked.fit);
  }, [asked, bender]);
  const typed = bender ?? asked?.bender ?? usualBender;
  // A machine of the stores has the rules that it has there now.
  const id = machine ?? asked?.machine ?? benders[0]?.id;
  const chosen = benders.find((b) => b.id === id) ?? null;
  const now: BenderRules = chosen ? { ...typed, ...chosen.bender } : typed;
  const wish: Wish = { bender: now, machine: chosen?.id ?? '', toDie: toDie && now.dies.length > 0, fit };
  return {
    benders,
    /** The machine of the stores; null: what is typed here. */
    chosen,
    setMachine,
    wish,
    bender: now,
    toDie,
    fit,
    /** What was found was found for other rules. */
    changed: asked !== null && differs(asked, wish),
    setBender: (part: Partial<BenderRules>) => setBender({ ...typed, ...part }),
    setToDie,
    setFit,
  };
}

const partsOf = (job: JobTools['job']) => (job?.parts ?? []).filter((p) => !p.leftOut && p.summary.kind !== 'drawing');

type Wish = { bender: BenderRules; machine: string; toDie: boolean; fit: number | null };
const differs = (a: Wish, b: Wish) => orderedText(a.bender) !== orderedText(b.bender) || a.toDie !== b.toDie || a.fit !== b.fit;

const shownOf = (report: OperationReport | undefined) => ({ tubes: report?.tubes ?? null, leftOut: report?.leftOut ?? [], findings: report?.findings ?? [] });

export type TubeTools = ReturnType<typeof useTubes>;
