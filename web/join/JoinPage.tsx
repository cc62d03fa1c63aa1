'use client';
import { Button } from 'antd';
import dynamic from 'next/dynamic';
import Link from 'next/link';
import { useEffect } from 'react';
import { Header } from '@/shell/Header.tsx';
import { Trouble } from '@/shell/Trouble.tsx';
import { useJob } from '@/shell/useJob.ts';
import type { OperationFormOf } from './OperationForm.tsx';

const JoinTable = dynamic(() => import('./JoinTable.tsx').then((m) => m.JoinTable), {
  ssr: false,
  loading: () => (
    <p className="context" style={{ padding: 20 }}>
      Laying the parts out …
    </p>
  ),
});

/** Which parts are one piece, which are separate, and where they stand to each other. */
export function JoinPage({ jobId, forms }: { jobId: string; forms: OperationFormOf[] }) {
  const tools = useJob(jobId);
  useEffect(() => {
    document.title = tools.job ? `Join and divide · ${tools.job.name}` : 'Tall Kite';
  }, [tools.job]);
  const parts = tools.job?.parts ?? [];
  return (
    <div className="page">
      <Header where={tools.job?.name} jobId={jobId} current="jobs" />
      <main id="content">
        <div className="title">
          <h1>Join and divide</h1>
          <span className="context">Every change is shown first, and can be undone.</span>
          <span className="right">
            <Button disabled={!tools.job?.undo} title={tools.job?.undo ?? 'Nothing to take back'} onClick={() => void tools.history('undo')}>
              Undo
            </Button>
            <Button disabled={!tools.job?.redo} title={tools.job?.redo ?? 'Nothing to do again'} onClick={() => void tools.history('redo')}>
              Redo
            </Button>
            <Link className="plain" href={`/jobs/${jobId}`}>
              Ledger
            </Link>
          </span>
        </div>
        {tools.failed && <Trouble message={tools.failed.message} remedy={tools.failed.remedy} />}
        {tools.trouble && <Trouble {...tools.trouble} close={tools.clearTrouble} />}
        {tools.job && parts.length === 0 && (
          <div className="empty">
            <h2>No parts yet</h2>
            <p>Bring designs in on the ledger; they stand here as they do in their files.</p>
            <Link className="plain strong" href={`/jobs/${jobId}`}>
              To the ledger
            </Link>
          </div>
        )}
        {tools.job && parts.length > 0 && <JoinTable tools={tools} forms={forms} />}
      </main>
    </div>
  );
}
