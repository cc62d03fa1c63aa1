'use client';
import { Button } from 'antd';
import dynamic from 'next/dynamic';
import Link from 'next/link';
import { JobPage } from '@/shell/JobPage.tsx';
import { useJob } from '@/shell/useJob.ts';
import type { OperationFormOf } from './OperationForm.tsx';
import frame from '@/shell/frame.module.css';

const JoinTable = dynamic(() => import('./JoinTable.tsx').then((m) => m.JoinTable), {
  ssr: false,
  loading: () => <p className={`context ${frame.waiting}`}>Laying the parts out …</p>,
});

/** Which parts are one piece, which are separate, and where they stand to each other. */
export function JoinPage({ jobId, forms }: { jobId: string; forms: OperationFormOf[] }) {
  const tools = useJob(jobId);
  const parts = tools.job?.parts ?? [];
  return (
    <JobPage
      jobId={jobId}
      tools={tools}
      title="Join and divide"
      about={<span className="context">Every change is shown first, and can be undone.</span>}
      acts={
        <>
          <Button disabled={!tools.job?.undo} title={tools.job?.undo ?? 'Nothing to take back'} onClick={() => void tools.history('undo')}>
            Undo
          </Button>
          <Button disabled={!tools.job?.redo} title={tools.job?.redo ?? 'Nothing to do again'} onClick={() => void tools.history('redo')}>
            Redo
          </Button>
        </>
      }
    >
      {parts.length === 0 && (
        <div className={frame.empty}>
          <h2>No parts yet</h2>
          <p>Bring designs in on the ledger; they stand here as they do in their files.</p>
          <Link className={`${frame.plain} ${frame.strong}`} href={`/jobs/${jobId}`}>
            To the ledger
          </Link>
        </div>
      )}
      {parts.length > 0 && <JoinTable tools={tools} forms={forms} />}
    </JobPage>
  );
}
