'use client';
import { useQuery } from '@tanstack/react-query';
import { useEffect, useMemo, useState } from 'react';
import { usualBender, type BenderRules } from 'tall-kite/bender/rules';
import type { OperationReport } from '@tall-kite/server/operations/requests';
import { ask } from '@/shell/ask.ts';
import type { JobTools } from '@/shell/useJob.ts';

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
  const [bender, setBender] = useState<BenderRules | null>(null);
  const [toDie, setToDie] = useState(false);
  const [fit, setFit] = useState<number | null>(null);
  useEffect(() => {
    if (!asked || bender) return;
    setBender(asked.bender);
    setToDie(asked.toDie);
    setFit(asked.fit);
  }, [asked, bender]);
  const now = bender ?? asked?.bender ?? usualBender;
  const changed = asked !== null && differs(asked, { bender: now, toDie, fit });
  return {
    parts,
    operation,
    ...shownOf(report.data),
    bender: now,
    toDie,
    fit,
    /** What was found was found for other rules. */
    changed,
    setBender: (part: Partial<BenderRules>) => setBender({ ...now, ...part }),
    setToDie,
    setFit,
    look: async () => {
      for (const old of operations.filter((o) => o.kind === 'tubes')) await tools.drop(old.id);
      await tools.operate({ kind: 'tubes', parts: parts.map((p) => p.id), bender: now, toDie, fit });
    },
  };
}

const partsOf = (job: JobTools['job']) => (job?.parts ?? []).filter((p) => !p.leftOut && p.summary.kind !== 'drawing');

type Wish = { bender: BenderRules; toDie: boolean; fit: number | null };
/** Everything that is said of a bender, in one order: what comes back from the database has another. */
const said = ({ dies, clamp, leastRadius, longest, material, density, allowances, rules }: BenderRules) =>
  JSON.stringify([dies, clamp, leastRadius, longest, material, density, allowances, rules.map((r) => [r.material, r.radius, r.ratio, r.offset, r.elongation])]);
const differs = (a: Wish, b: Wish) => said(a.bender) !== said(b.bender) || a.toDie !== b.toDie || a.fit !== b.fit;

const shownOf = (report: OperationReport | undefined) => ({ tubes: report?.tubes ?? null, leftOut: report?.leftOut ?? [], findings: report?.findings ?? [] });

export type TubeTools = ReturnType<typeof useTubes>;
