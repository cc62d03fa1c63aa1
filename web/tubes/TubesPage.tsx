'use client';
import { Button } from 'antd';
import { useState } from 'react';
import { AtWork, atWork, Failed } from '@/light-table/panels/Proposal.tsx';
import { JobPage } from '@/shell/JobPage.tsx';
import { useJob, type JobTools } from '@/shell/useJob.ts';
import { MarkList } from './MarkList.tsx';
import { TubePanel } from './TubePanel.tsx';
import { TubeStage } from './TubeStage.tsx';
import { useTubes } from './useTubes.ts';
import desk from '@/shell/desk.module.css';
import frame from '@/shell/frame.module.css';
import style from './tubes.module.css';

/** Bent tubes of a job: one mark for each kind, its table, how it is bent, and its files. */
export function TubesPage({ jobId }: { jobId: string }) {
  const tools = useJob(jobId);
  return (
    <JobPage jobId={jobId} tools={tools} title="Tubes">
      <Body tools={tools} />
    </JobPage>
  );
}

function Body({ tools }: { tools: JobTools }) {
  const tubes = useTubes(tools);
  const { operation, parts } = tubes;
  const [at, setAt] = useState(0);
  const [bend, setBend] = useState<number | null>(null);
  if (parts.length === 0)
    return (
      <div className={frame.empty}>
        <h2>No solids or meshes to look through</h2>
        <p>Bring a bent tube or a frame in on the ledger first: STEP, IGES or a mesh.</p>
      </div>
    );
  if (operation && atWork(operation)) return <div className={frame.empty}><AtWork operation={operation} tools={tools} /></div>; // prettier-ignore
  if (operation && operation.state !== 'ready') return <div className={frame.empty}><Failed operation={operation} tools={tools} /><Button onClick={() => void tubes.look()}>Try again</Button></div>; // prettier-ignore
  if (!operation)
    return (
      <div className={frame.empty}>
        <h2>From a frame to its bend tables</h2>
        <p>
          {parts.length} {parts.length === 1 ? 'part' : 'parts'} of this job are looked through for tubes and bars of straights and bends. Equal ones become one
          mark, mirror images are told apart. Each bend table is bent again by itself and laid over the design.
        </p>
        <Button type="primary" onClick={() => void tubes.look()} data-test="look-for-tubes">
          Look for tubes
        </Button>
      </div>
    );
  if (!tubes.tubes) return <p className={`context ${frame.waiting}`}>Fetching the tubes …</p>; // prettier-ignore
  const tube = tubes.tubes[Math.min(at, tubes.tubes.length - 1)] ?? null;
  const missing = operation.stale || parts.some((p) => !operation.parts.includes(p.id));
  const choose = (i: number) => {
    setAt(i);
    setBend(null);
  };
  return (
    <>
      {(missing || tubes.changed) && (
        <div className={frame.notice} data-test="notice" role="status">
          <div className="grow">{missing ? 'Parts changed since they were looked through.' : 'The machine was changed: tables and warnings are still those from before.'}</div>
          <Button size="small" onClick={() => void tubes.look()} data-test="look-again">
            Look again
          </Button>
        </div>
      )}
      <div className={`${desk.table} ${style.three}`}>
        <MarkList tubes={tubes} at={at} choose={choose} />
        {tube ? <TubeStage key={tube.mark} tube={tube} bend={bend} choose={setBend} /> : <p className={`context ${frame.waiting}`}>No tube was found; why stands on the left.</p>}
        <TubePanel tubes={tubes} tube={tube} tools={tools} bend={bend} choose={setBend} />
      </div>
    </>
  ); // prettier-ignore
}
