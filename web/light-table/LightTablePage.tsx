'use client';
import dynamic from 'next/dynamic';
import { useSearchParams } from 'next/navigation';
import { useCallback, useEffect, useState } from 'react';
import { stepNames, type StepName } from 'tall-kite/ledger/steps';
import { Header } from '@/shell/Header.tsx';
import { useShortcuts } from '@/shell/Keys.tsx';
import { Trouble } from '@/shell/Trouble.tsx';
import { useJob } from '@/shell/useJob.ts';
import { EvidenceStrip } from './EvidenceStrip.tsx';
import { Thread } from './Thread.tsx';

const Table = dynamic(() => import('./Table.tsx').then((m) => m.Table), {
  ssr: false,
  loading: () => (
    <p className="context" style={{ padding: 20 }}>
      Laying out the light table …
    </p>
  ),
});

const FlatTable = dynamic(() => import('@/flat-table/FlatTable.tsx').then((m) => m.FlatTable), {
  ssr: false,
  loading: () => (
    <p className="context" style={{ padding: 20 }}>
      Laying out the sheet …
    </p>
  ),
});

/** One part, designed and received; the thread at the head leads through the steps. */
export function LightTablePage({ jobId, partId }: { jobId: string; partId: string }) {
  const tools = useJob(jobId);
  const asked = useSearchParams().get('step') ?? 'facets';
  const [step, setStep] = useState<StepName>(stepNames.find((s) => s.toLowerCase() === asked) ?? 'Facets');
  const part = tools.job?.parts.find((p) => p.id === partId) ?? null;
  const go = useCallback((next: StepName) => {
    setStep(next);
    window.history.replaceState(null, '', `?step=${next.toLowerCase()}`);
  }, []);
  const at = stepNames.indexOf(step);
  useShortcuts({
    '[': () => go(stepNames[Math.max(0, at - 1)]),
    ']': () => go(stepNames[Math.min(stepNames.length - 1, at + 1)]),
    w: () => part && void tools.write(part),
  });
  useEffect(() => {
    document.title = part ? `${part.name} · Tall Kite` : 'Tall Kite';
  }, [part]);
  return (
    <div className="page">
      <Header where={tools.job?.name} jobId={jobId} current="jobs" />
      <main id="content">
        {tools.failed && <Trouble message={tools.failed.message} remedy={tools.failed.remedy} />}
        {tools.job && !part && <Trouble message="This part is not in the job any more." remedy="Go back to the ledger." />}
        {tools.loading && (
          <p className="context" style={{ padding: 20 }}>
            Fetching the part …
          </p>
        )}
        {part && <Thread part={part} step={step} go={go} tools={tools} />}
        {tools.trouble && <Trouble {...tools.trouble} close={tools.clearTrouble} />}
        {part && part.summary.kind !== 'drawing' && <Table part={part} step={step} go={go} tools={tools} />}
        {part?.summary.kind === 'drawing' && <FlatTable part={part} step={step} go={go} tools={tools} />}
        {part && <EvidenceStrip part={part} go={go} />}
      </main>
    </div>
  );
}
