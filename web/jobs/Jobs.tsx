'use client';
import { When } from '@/shell/When.tsx';
import { Button, Input, Table } from 'antd';
import { useQuery } from '@tanstack/react-query';
import Link from 'next/link';
import { useRouter } from 'next/navigation';
import { useState } from 'react';
import type { JobRow } from '@tall-kite/server/jobs/jobs';
import { MarkShape } from '@/marks/Mark.tsx';
import { ask, Refused } from '@/shell/ask.ts';
import { Header } from '@/shell/Header.tsx';
import { Trouble } from '@/shell/Trouble.tsx';
import { useSample } from './useSample.ts';

/** The list of jobs, with what is ready in each, and a line to make one. */
export function Jobs() {
  const { data, error, isPending } = useQuery({ queryKey: ['jobs'], queryFn: () => ask<JobRow[]>('/api/jobs') });
  return (
    <div className="page">
      <Header current="jobs" />
      <main id="content">
        <div className="title">
          <h1>Jobs</h1>
          <span className="context">{data ? `${data.length} in all` : ''}</span>
        </div>
        <NewJob first={data?.length === 0} />
        {error && <Trouble message={error.message} remedy={(error as Refused).remedy} />}
        <div className="scroll">
          {isPending && <p className="context">Fetching the jobs …</p>}
          {data && data.length > 0 && <JobTable jobs={data} />}
          {data?.length === 0 && <FirstVisit />}
        </div>
      </main>
    </div>
  );
}

/** What to do when there is nothing yet. */
function FirstVisit() {
  const { make, busy, trouble } = useSample();
  return (
    <div className="empty">
      <h2>Nothing here yet</h2>
      <p>
        A job holds the designs of one thing you make. Name one above and drop files on it; or look round in a sample job of made-up parts: a clamp to print, a
        bracket to fold, a drawing to cut, and a mesh whose file does not say its unit.
      </p>
      {trouble && <Trouble {...trouble} />}
      <Button type="primary" disabled={busy} onClick={() => void make()}>
        {busy ? 'Making the sample job …' : 'Make a sample job'}
      </Button>{' '}
      <Button href="/help">Help: words, formats, keys</Button>
    </div>
  );
}

function JobTable({ jobs }: { jobs: JobRow[] }) {
  return (
    <Table<JobRow>
      size="small"
      rowKey="id"
      dataSource={jobs}
      pagination={false}
      columns={[
        {
          title: 'Job',
          render: (_, job) => (
            <Link className="listname" href={`/jobs/${job.id}`}>
              {job.name}
            </Link>
          ),
        },
        { title: 'Parts', render: (_, job) => <span className="figure">{job.reading > 0 ? `reading ${job.reading}` : job.parts}</span> },
        { title: 'Ready', render: (_, job) => <Marks job={job} /> },
        {
          title: 'Written and proved',
          render: (_, job) => (
            <span className="figure">
              {job.written} of {job.parts}
            </span>
          ),
        },
        { title: 'Changed', render: (_, job) => <When at={job.changedAt} /> },
      ]}
    />
  );
}

/** How many parts are clear, to be looked at, and stopped. */
function Marks({ job }: { job: JobRow }) {
  return (
    <span style={{ display: 'flex', gap: 16 }}>
      {(['clear', 'look', 'stop'] as const).map((mark) => (
        <span key={mark} className={`mark c-${job[mark] > 0 ? mark : 'none'}`}>
          <MarkShape mark={job[mark] > 0 ? mark : 'none'} /> <span className="figure">{job[mark]}</span> {mark}
        </span>
      ))}
    </span>
  );
}

function NewJob({ first }: { first: boolean }) {
  const [name, setName] = useState('');
  const [trouble, setTrouble] = useState<Refused | null>(null);
  const router = useRouter();
  const make = async () => {
    try {
      const { id } = await ask<{ id: string }>('/api/jobs', { method: 'POST', body: { name } });
      router.push(`/jobs/${id}`);
    } catch (thrown) {
      setTrouble(thrown as Refused);
    }
  };
  return (
    <>
      <form
        style={{ padding: '0 20px 12px', display: 'flex', gap: 10, alignItems: 'center' }}
        onSubmit={(event) => {
          event.preventDefault();
          void make();
        }}
      >
        <label htmlFor="job-name">{first ? 'Name your first job' : 'New job'}</label>
        <Input
          id="job-name"
          value={name}
          maxLength={120}
          placeholder="for instance: Garden gate, revision A"
          onChange={(e) => setName(e.target.value)}
          style={{ width: 340 }}
          size="small"
        />
        <Button disabled={name.trim() === ''} type="primary" htmlType="submit">
          Make the job
        </Button>
      </form>
      {trouble && <Trouble message={trouble.message} remedy={trouble.remedy} close={() => setTrouble(null)} />}
    </>
  );
}
