'use client';
import { Button } from 'antd';
import Link from 'next/link';
import { AtWork, atWork, Failed } from '@/light-table/panels/Proposal.tsx';
import { JobPage } from '@/shell/JobPage.tsx';
import { useJob, type JobTools } from '@/shell/useJob.ts';
import { ReliefPanel } from './ReliefPanel.tsx';
import { Stage } from './Stage.tsx';
import { useRelief, type ReliefTools } from './useRelief.ts';
import desk from '@/shell/desk.module.css';
import frame from '@/shell/frame.module.css';
import style from './reliefs.module.css';

/** Reliefs set into a stock: size, zero plane, sides and base, and what a bit leaves of them. */
export function ReliefPage({ jobId, partId }: { jobId: string; partId: string }) {
  const tools = useJob(jobId);
  const part = tools.job?.parts.find((p) => p.id === partId);
  return (
    <JobPage
      jobId={jobId}
      tools={tools}
      title="Relief"
      about={<span className="context">{part?.name}</span>}
      acts={
        <Link className={frame.plain} href={`/jobs/${jobId}/parts/${partId}`}>
          Light table
        </Link>
      }
    >
      <Body tools={tools} partId={partId} />
    </JobPage>
  );
}

function Body({ tools, partId }: { tools: JobTools; partId: string }) {
  const it = useRelief(tools, partId);
  if (!it.part || it.part.summary.kind === 'drawing')
    return (
      <div className={frame.empty}>
        <h2>{it.part ? 'A drawing has no heights' : 'This part is not there'}</h2>
        <p>A solid or a mesh is set into stock: a relief, a terrain, a sign. Raise a drawing first, or bring a relief in on the ledger.</p>
      </div>
    );
  return (
    <>
      <Behind it={it} tools={tools} />
      <div className={`${desk.table} ${style.two}`}>
        <Stage it={it} />
        <ReliefPanel it={it} tools={tools} />
      </div>
    </>
  );
}

/** Told while the block is made, when it could not be, and when what can not be set is wrong. */
function Behind({ it, tools }: { it: ReliefTools; tools: JobTools }) {
  const { operation, shown } = it;
  if (operation && atWork(operation)) return <div className={frame.notice} data-test="notice"><AtWork operation={operation} tools={tools} /></div>; // prettier-ignore
  if (operation && operation.state !== 'ready') return <div className={frame.notice} data-test="notice" role="status"><div className="grow"><Failed operation={operation} tools={tools} /></div></div>; // prettier-ignore
  if (it.failed) return <div className={frame.notice} data-test="notice" role="alert">The part could not be fetched. Reload the page.</div>; // prettier-ignore
  if (shown?.failed)
    return (
      <div className={frame.notice} role="alert" data-test="relief-failed">
        <span className="grow">
          <b>{shown.failed.message}</b> {shown.failed.remedy}
        </span>
      </div>
    );
  if (!operation?.stale && !(operation && it.changed)) return null;
  return (
    <div className={frame.notice} data-test="notice" role="status">
      <div className="grow">{operation.stale ? 'The part changed since the block was made.' : 'What was chosen last is not in the block yet.'}</div>
      <Button size="small" type="primary" onClick={() => void it.go()} data-test="relief-again">
        Make it again
      </Button>
    </div>
  );
}
