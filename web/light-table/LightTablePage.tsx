'use client';
import Link from 'next/link';
import { Button } from 'antd';
import dynamic from 'next/dynamic';
import { useSearchParams } from 'next/navigation';
import { useQuery } from '@tanstack/react-query';
import { useCallback, useEffect, useMemo, useState } from 'react';
import { stepNamed, stepsOfThread, threadOf, trunk, type StepName, type Strand } from 'tall-kite/steps/registry';
import type { WayId } from 'tall-kite/steps/way';
import type { FileView, PartView } from '@tall-kite/server/jobs/part-views';
import { ask } from '@/shell/ask.ts';
import { Header } from '@/shell/Header.tsx';
import { useShortcuts } from '@/shell/Keys.tsx';
import { waysTaken } from '@/shell/ways.ts';
import { Trouble } from '@/shell/Trouble.tsx';
import { useJob, type JobTools } from '@/shell/useJob.ts';
import { EvidenceStrip } from './EvidenceStrip.tsx';
import { Thread } from './Thread.tsx';
import frame from '@/shell/frame.module.css';

const Table = dynamic(() => import('./Table.tsx').then((m) => m.Table), {
  ssr: false,
  loading: () => <p className={`context ${frame.waiting}`}>Laying out the light table …</p>,
});

const FlatTable = dynamic(() => import('@/flat-table/FlatTable.tsx').then((m) => m.FlatTable), {
  ssr: false,
  loading: () => <p className={`context ${frame.waiting}`}>Laying out the sheet …</p>,
});

/** One part, designed and received; the thread at the head leads through the steps. */
export function LightTablePage({ jobId, partId }: { jobId: string; partId: string }) {
  const tools = useJob(jobId, partId);
  const asked = useSearchParams();
  const now = tools.job?.parts.find((p) => p.id === partId) ?? null;
  const { part, released, close } = useReleased(now, asked.get('file'));
  const { strand, names, step, go } = useSteps(part, { word: asked.get('step') ?? '', way: asked.get('way') as WayId | null });
  const place = names.indexOf(step);
  useShortcuts({
    '[': () => go(names[Math.max(0, place - 1)]),
    ']': () => go(names[Math.min(names.length - 1, place + 1)]),
    w: () => part && void tools.write(part),
  });
  useEffect(() => {
    document.title = part ? `${part.name} · Tall Kite` : 'Tall Kite';
  }, [part]);
  return (
    <div className={frame.page}>
      <Header where={tools.job?.name} jobId={jobId} current="jobs" />
      <main id="content">
        {!part && <NoPart jobId={jobId} tools={tools} />}
        {part && strand && <Thread jobId={jobId} part={part} strand={strand} step={step} go={go} tools={tools} />}
        {part && released && <OnTable {...released} close={close} />}
        {tools.trouble && <Trouble {...tools.trouble} close={tools.clearTrouble} />}
        {part && (
          <>
            {part.summary.kind === 'drawing' ? <FlatTable {...{ part, step, go, tools }} /> : <Table {...{ part, step, go, tools }} />}
            <EvidenceStrip part={part} go={go} />
          </>
        )}
      </main>
    </div>
  );
}

/** Why there is no part: it could not be fetched, is on its way, or is not in the job. */
const NoPart = ({ jobId, tools: { failed, loading, job } }: { jobId: string; tools: JobTools }) => (
  <>
    {failed && <Trouble message={failed.message} remedy={failed.remedy} />}
    {job && (
      <Trouble message="This part is not in the job any more." remedy="Others are in the ledger; what was undone comes back there.">
        <Link className={frame.plain} href={`/jobs/${jobId}`}>
          Ledger
        </Link>
      </Trouble>
    )}
    {loading && <p className={`context ${frame.waiting}`}>Fetching the part …</p>}
  </>
);

/** A file of a release, laid on the table in the place of the part's last one. @param asked the file's id; null for the last one */
function useReleased(now: PartView | null, asked: string | null) {
  const [fileId, setFileId] = useState(asked);
  const { data, isError } = useQuery({ queryKey: ['file', fileId], enabled: fileId !== null, queryFn: () => ask<FileView>(`/api/files/${fileId}?what=view`) });
  const part = useMemo(() => (now && data && fileId ? withFile(now, data) : now), [now, data, fileId]);
  return { part, released: fileId === null ? null : { file: data ?? null, gone: isError }, close: () => setFileId(null) };
}

/** Says that a file of a release is on the table. */
function OnTable({ file, gone, close }: { file: FileView | null; gone: boolean; close: () => void }) {
  return (
    <div className={`${frame.notice} ${frame.below}`} data-test="notice">
      <div className="grow">
        {gone ? (
          'This file is not there any more.'
        ) : (
          <>
            On the table: <b>{file?.fileName ?? '…'}</b>, as it was released{file?.stale ? '; the part changed since' : ''}.
          </>
        )}
      </div>
      <Button onClick={close} size="small">
        Show the part&rsquo;s last file
      </Button>
    </div>
  );
}

/** The steps of a part on the way that the address asks for, the one at hand, and the way to another. */
function useSteps(part: PartView | null, asked: { word: string; way: WayId | null }) {
  const [at, setAt] = useState(asked);
  const strand = useMemo(() => (part ? strandAsked(part, at) : null), [part, at]);
  const way = strand?.way;
  const go = useCallback(
    (next: StepName, on?: WayId) => {
      setAt((old) => ({ word: next, way: on ?? way ?? old.way }));
      window.history.replaceState(null, '', `?step=${next.toLowerCase()}${(on ?? way) ? `&way=${on ?? way}` : ''}`);
    },
    [way],
  );
  const names: StepName[] = strand && part ? [...part.steps.filter((s) => trunk.includes(s.step)), ...strand.steps].map((s) => s.step) : [];
  const step = names.find((n) => n.toLowerCase() === at.word.toLowerCase()) ?? strand?.form.step ?? 'Source';
  return { strand, names, step, go };
}

/** A part with another of its files on the table. */
function withFile(part: PartView, file: FileView): PartView {
  const thread = threadOf(part, file);
  return { ...part, file, strands: thread.strands, steps: stepsOfThread(thread) };
}

/** The strand that an address means: that of its way, else one with its step; a way that the part does not go yet is laid out all the same. */
function strandAsked(part: PartView, { word, way }: { word: string; way: WayId | null }): Strand {
  const named = stepNamed(word, part.summary.kind);
  const has = (s: Strand) => !named || named.way === null || s.steps.some((x) => x.step === named.step);
  const found = part.strands.find((s) => s.way === way && has(s)) ?? part.strands.find(has);
  if (found) return found;
  const wider = threadOf({ ...part, ways: [...waysTaken(part), named!.way!] }, part.file).strands;
  return wider.find(has) ?? part.strands[0];
}
