'use client';
import Link from 'next/link';
import { useEffect, type ReactNode } from 'react';
import { Header } from './Header.tsx';
import { Trouble } from './Trouble.tsx';
import type { JobTools } from './useJob.ts';
import frame from './frame.module.css';

/** A page about all parts of a job: its head with the way back to the ledger, what went wrong, and what is on it once the job is there. */
export function JobPage({
  jobId,
  tools,
  title,
  about,
  acts,
  children,
}: {
  jobId: string;
  tools: JobTools;
  title: string;
  about?: ReactNode;
  acts?: ReactNode;
  children: ReactNode;
}) {
  const { job, failed, trouble, clearTrouble } = tools;
  useEffect(() => {
    document.title = job ? `${title} · ${job.name}` : 'Tall Kite';
  }, [job, title]);
  return (
    <div className={frame.page}>
      <Header where={job?.name} jobId={jobId} current="jobs" />
      <main id="content">
        <div className={frame.title}>
          <h1>{title}</h1>
          {about}
          <span className={frame.right}>
            {acts}
            <Link className={frame.plain} href={`/jobs/${jobId}`}>
              Ledger
            </Link>
          </span>
        </div>
        {failed && <Trouble message={failed.message} remedy={failed.remedy} />}
        {trouble && <Trouble {...trouble} close={clearTrouble} />}
        {job && children}
      </main>
    </div>
  );
}
