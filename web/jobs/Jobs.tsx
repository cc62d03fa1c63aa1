'use client';
import { hidden } from '@/shell/controls.tsx';
import { When } from '@/shell/When.tsx';
import { Button, Input, Popconfirm, Table } from 'antd';
import { keepPreviousData, useQuery, useQueryClient } from '@tanstack/react-query';
import Link from 'next/link';
import { useRouter } from 'next/navigation';
import { useDeferredValue, useState } from 'react';
import { bytesText, countText } from 'tall-kite/base/figures';
import type { JobRow } from '@tall-kite/server/jobs/jobs';
import { MarkShape } from '@/marks/Mark.tsx';
import { ask, Refused } from '@/shell/ask.ts';
import { Header } from '@/shell/Header.tsx';
import { Trouble } from '@/shell/Trouble.tsx';
import { useSample } from './useSample.ts';
import frame from '@/shell/frame.module.css';
import style from './jobs.module.css';
import widths from '@/shell/widths.module.css';

/** Jobs of one page of the list. */
const perPage = 50;

/** The list of jobs, with what is ready in each, and a line to make one. */
export function Jobs() {
  const [page, setPage] = useState(1);
  const [search, setSearch] = useState('');
  const [removed, setRemoved] = useState(false);
  const wanted = useDeferredValue(search);
  const { data, error, isPending } = useQuery({
    queryKey: ['jobs', page, wanted, removed],
    placeholderData: keepPreviousData,
    queryFn: () => {
      const asked = new URLSearchParams({ from: String((page - 1) * perPage), many: String(perPage), search: wanted, ...(removed ? { removed: '' } : {}) });
      return ask<{ jobs: JobRow[]; total: number }>(`/api/jobs?${asked}`);
    },
  });
  const none = data?.total === 0 && wanted === '' && !removed;
  return (
    <div className={frame.page}>
      <Header current="jobs" />
      <main id="content">
        <div className={frame.title}>
          <h1>{removed ? 'Removed jobs' : 'Jobs'}</h1>
          <span className="context">{data ? `${countText(data.total)} in all` : ''}</span>
          <span className={frame.right}>
            <Input
              type="search"
              size="small"
              aria-label="Name of a job"
              placeholder="name of a job"
              className={widths.w200}
              value={search}
              onChange={(e) => {
                setSearch(e.target.value);
                setPage(1);
              }}
            />
            <Button
              aria-pressed={removed}
              onClick={() => {
                setRemoved(!removed);
                setPage(1);
              }}
            >
              {removed ? 'Back to the jobs' : 'Removed jobs'}
            </Button>
          </span>
        </div>
        {!removed && <NewJob first={none} />}
        {error && <Trouble message={error.message} remedy={(error as Refused).remedy} />}
        <div className={frame.scroll}>
          {isPending && <p className="context">Fetching the jobs …</p>}
          {none ? <FirstVisit /> : data && <JobList {...data} page={page} setPage={setPage} removed={removed} />}
        </div>
      </main>
    </div>
  );
}

/** What to do when there is nothing yet. */
function FirstVisit() {
  const { make, busy, trouble } = useSample();
  return (
    <div className={frame.empty}>
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

interface TableProps {
  jobs: JobRow[];
  total: number;
  page: number;
  setPage: (page: number) => void;
  removed: boolean;
}

function JobList(props: TableProps) {
  if (props.total > 0) return <JobTable {...props} />;
  return <p className="context">{props.removed ? 'No job was removed in the last 30 days.' : 'No job has this in its name.'}</p>;
}

function JobTable({ jobs, total, page, setPage, removed }: TableProps) {
  return (
    <Table<JobRow>
      size="small"
      rowKey="id"
      dataSource={jobs}
      pagination={total > perPage ? { current: page, pageSize: perPage, total, onChange: setPage, showSizeChanger: false } : false}
      columns={[
        {
          title: 'Job',
          render: (_, job) =>
            removed ? (
              <span className={frame.listname}>{job.name}</span>
            ) : (
              <Link className={frame.listname} href={`/jobs/${job.id}`}>
                {job.name}
              </Link>
            ),
        },
        { title: 'Parts', render: (_, job) => <span className="figure">{job.reading > 0 ? `reading ${job.reading}` : countText(job.parts)}</span> },
        { title: 'Ready', render: (_, job) => <Marks job={job} /> },
        {
          title: 'Written and proved',
          render: (_, job) => (
            <span className="figure">
              {countText(job.written)} of {countText(job.parts)}
            </span>
          ),
        },
        { title: 'Space', render: (_, job) => <span className="figure">{bytesText(job.bytes)}</span> },
        { title: removed ? 'Removed' : 'Changed', render: (_, job) => <When at={job.removedAt ?? job.changedAt} /> },
        { title: hidden('Remove'), render: (_, job) => <Removal job={job} /> },
      ]}
    />
  );
}

/** Removes a job, or brings it back. */
function Removal({ job }: { job: JobRow }) {
  const client = useQueryClient();
  const done = () => client.invalidateQueries({ queryKey: ['jobs'] });
  if (job.removedAt)
    return (
      <Button size="small" onClick={() => void ask(`/api/jobs/${job.id}`, { method: 'PUT' }).then(done, done)}>
        Bring back
      </Button>
    );
  return (
    <Popconfirm
      title={`Remove "${job.name}"?`}
      description="Its designs, parts, files and releases go with it. It can be brought back for 30 days."
      okText="Remove it"
      cancelText="Keep it"
      onConfirm={() => ask(`/api/jobs/${job.id}`, { method: 'DELETE' }).then(done, done)}
    >
      <Button size="small" aria-label={`Remove ${job.name}`}>
        Remove
      </Button>
    </Popconfirm>
  );
}

/** How many parts are clear, to be looked at, and stopped. */
function Marks({ job }: { job: JobRow }) {
  return (
    <span className={frame.apart}>
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
        className={style.newjob}
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
          className={widths.w340}
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
