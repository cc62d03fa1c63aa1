'use client';
import { Button, Segmented } from 'antd';
import { useState } from 'react';
import { JobPage } from '@/shell/JobPage.tsx';
import { Trouble } from '@/shell/Trouble.tsx';
import { useJob, type JobTools } from '@/shell/useJob.ts';
import { AtWork, atWork, Failed } from '@/light-table/panels/Proposal.tsx';
import { ListTable } from './ListTable.tsx';
import { SheetsPane } from './SheetsPane.tsx';
import { useCutList } from './useCutList.ts';
import frame from '@/shell/frame.module.css';

/** The cut list of a job's panels, and how they lie on sheets. */
export function CutListPage({ jobId }: { jobId: string }) {
  const tools = useJob(jobId);
  const [view, setView] = useState<'list' | 'sheets'>('list');
  const views = (
    <Segmented
      aria-label="What is shown"
      value={view}
      onChange={setView}
      options={[
        { value: 'list', label: 'List' },
        { value: 'sheets', label: 'Sheets' },
      ]}
    />
  );
  return (
    <JobPage jobId={jobId} tools={tools} title="Cut list" about={views}>
      <Body jobId={jobId} tools={tools} view={view} />
    </JobPage>
  );
}

function Body({ jobId, tools, view }: { jobId: string; tools: JobTools; view: 'list' | 'sheets' }) {
  const list = useCutList(jobId, tools);
  const { operation, parts } = list;
  if (parts.length === 0)
    return (
      <div className={frame.empty}>
        <h2>No parts to list</h2>
        <p>Bring the design of a case in on the ledger first.</p>
      </div>
    );
  if (operation && atWork(operation)) return <div className={frame.empty}><AtWork operation={operation} tools={tools} /></div>; // prettier-ignore
  if (operation && operation.state !== 'ready') return <div className={frame.empty}><Failed operation={operation} tools={tools} /><Button onClick={() => void list.look()}>Try again</Button></div>; // prettier-ignore
  if (!operation)
    return (
      <div className={frame.empty}>
        <h2>From a case to its panels</h2>
        <p>
          {parts.length} {parts.length === 1 ? 'part' : 'parts'} of this job are looked at: panels are told by their faces, equal ones come into one row, holes,
          pockets and edges are measured. What is no panel is named, with why.
        </p>
        <Button type="primary" onClick={() => void list.look()} data-test="make-list">
          Make the cut list
        </Button>
      </div>
    );
  if (!list.ready) return <p className={`context ${frame.waiting}`}>Fetching the list …</p>; // prettier-ignore
  const missing = parts.some((p) => !operation.parts.includes(p.id));
  return (
    <>
      {(operation.stale || missing) && (
        <div className={frame.notice} data-test="notice" role="status">
          <div className="grow">Parts changed since the list was made.</div>
          <Button size="small" onClick={() => void list.look()}>
            Make it again
          </Button>
        </div>
      )}
      {list.trouble && <Trouble {...list.trouble} />}
      {view === 'list' ? <ListTable list={list} name={tools.job!.name} /> : <SheetsPane list={list} tools={tools} />}
    </>
  );
}
