'use client';
import { When } from '@/shell/When.tsx';
import { Button, Table, type TableColumnsType } from 'antd';
import { useQuery } from '@tanstack/react-query';
import Link from 'next/link';
import { useEffect, useState } from 'react';
import { bytesText } from 'tall-kite/base/figures';
import type { listReleases, ReleaseCounts } from '@tall-kite/server/releases/report';
import { MarkShape } from '@/marks/Mark.tsx';
import { ask, Refused } from '@/shell/ask.ts';
import { Header } from '@/shell/Header.tsx';
import { Trouble } from '@/shell/Trouble.tsx';
import { useJob } from '@/shell/useJob.ts';
import frame from '@/shell/frame.module.css';

type Listed = Awaited<ReturnType<typeof listReleases>>[number];

/** A run's state in a word, with the mark that it gets. */
export function stateOf({ state, counts }: { state: Listed['state']; counts: ReleaseCounts }): { mark: 'clear' | 'look' | 'stop' | 'none'; word: string } {
  if (state === 'running') return { mark: 'none', word: `${counts.made + counts.same + counts.skipped + counts.failed} of ${counts.rows} done` };
  if (state === 'cancelled') return { mark: 'look', word: 'cancelled' };
  if (counts.failed > 0) return { mark: 'stop', word: `${counts.failed} failed` };
  if (counts.stop > 0) return { mark: 'stop', word: `${counts.stop} to stop` };
  if (counts.refused > 0) return { mark: 'stop', word: `${counts.refused} refused` };
  if (counts.look > 0) return { mark: 'look', word: `${counts.look} to look at` };
  return { mark: 'clear', word: 'all clear' };
}

/** What stands in the columns. */
const columns: TableColumnsType<Listed> = [
  { key: 'job', title: 'Job', render: (_, r) => <Link href={`/jobs/${r.jobId}`}>{r.jobName}</Link> },
  {
    key: 'number',
    title: 'Release',
    render: (_, r) => (
      <Link className={frame.listname} href={`/jobs/${r.jobId}/releases/${r.id}`}>
        {r.number}
      </Link>
    ),
  },
  { key: 'revision', title: 'Revision', render: (_, r) => <span className="figure">{r.revision || '–'}</span> },
  { key: 'files', title: 'Files', render: (_, { counts }) => <span className="figure">{counts.made + counts.same}</span> },
  { key: 'made', title: 'Made', render: (_, { counts }) => <span className="figure">{counts.made}</span> },
  { key: 'same', title: 'Same as before', render: (_, { counts }) => <span className="figure">{counts.same}</span> },
  { key: 'skipped', title: 'Skipped', render: (_, { counts }) => <span className="figure">{counts.skipped}</span> },
  { key: 'size', title: 'Size', render: (_, { counts }) => <span className="figure nowrap">{bytesText(counts.bytes)}</span> },
  { key: 'ended', title: 'How it ended', render: (_, r) => <Ended release={r} /> },
  { key: 'begun', title: 'Begun', render: (_, r) => <When at={r.createdAt} /> },
];

function Ended({ release }: { release: Listed }) {
  const { mark, word } = stateOf(release);
  return (
    <span className={`mark c-${mark}`}>
      <MarkShape mark={mark} /> {word}
    </span>
  );
}

function Rows({ list, withJob }: { list: Listed[]; withJob: boolean }) {
  const shown = withJob ? columns : columns.filter((c) => c.key !== 'job');
  return <Table<Listed> size="small" rowKey="id" aria-label="Releases" dataSource={list} pagination={false} columns={shown} />;
}

/** The releases of one job. */
export function JobReleases({ jobId }: { jobId: string }) {
  const { job, failed } = useJob(jobId);
  const [removed, setRemoved] = useState(false);
  const { data, error, isPending } = useQuery({
    queryKey: ['releases', jobId, removed],
    queryFn: () => ask<Listed[]>(`/api/jobs/${jobId}/releases${removed ? '?removed' : ''}`),
    refetchInterval: 3000,
  });
  useEffect(() => {
    document.title = job ? `Releases · ${job.name}` : 'Tall Kite';
  }, [job]);
  const trouble = failed ?? (error as Refused | null);
  return (
    <div className={frame.page}>
      <Header where={job?.name} jobId={jobId} current="releases" />
      <main id="content">
        <div className={frame.title}>
          <h1>{removed ? 'Removed releases' : 'Releases'}</h1>
          <span className="context">
            Many parts to many receivers in one run, each file read back and proved; at the next revision only what changed is made.
          </span>
          <span className={frame.right}>
            <Button type="link" size="small" aria-pressed={removed} onClick={() => setRemoved(!removed)}>
              {removed ? 'Back to the releases' : 'Removed releases'}
            </Button>
            <Link className={frame.plain} href={`/jobs/${jobId}`}>
              Ledger
            </Link>
            <Link className={`${frame.plain} ${frame.strong}`} href={`/jobs/${jobId}/releases/new`}>
              New release…
            </Link>
          </span>
        </div>
        {trouble && <Trouble message={trouble.message} remedy={trouble.remedy} />}
        <div className={frame.scroll}>
          {isPending && <p className="context">Fetching the releases …</p>}
          {data && data.length > 0 && <Rows list={data} withJob={false} />}
          {data?.length === 0 && removed && <p className="context">No release of this job was removed in the last 30 days.</p>}
          {data?.length === 0 && !removed && (
            <div className={frame.empty}>
              <h2>Nothing was released yet</h2>
              <p>Tick parts in the ledger and choose Release, or take all of them.</p>
              <Link className={`${frame.plain} ${frame.strong}`} href={`/jobs/${jobId}/releases/new`}>
                New release…
              </Link>
            </div>
          )}
        </div>
      </main>
    </div>
  );
}

/** The releases of all jobs. */
export function AllReleases() {
  const { data, error, isPending } = useQuery({ queryKey: ['releases'], queryFn: () => ask<Listed[]>('/api/releases'), refetchInterval: 5000 });
  useEffect(() => {
    document.title = 'Releases · Tall Kite';
  }, []);
  return (
    <div className={frame.page}>
      <Header current="releases" />
      <main id="content">
        <div className={frame.title}>
          <h1>Releases</h1>
          <span className="context">{data ? `${data.length} of all jobs, the newest first` : ''}</span>
        </div>
        {error && <Trouble message={error.message} remedy={(error as Refused).remedy} />}
        <div className={frame.scroll}>
          {isPending && <p className="context">Fetching the releases …</p>}
          {data && data.length > 0 && <Rows list={data} withJob />}
          {data?.length === 0 && (
            <div className={frame.empty}>
              <h2>Nothing was released yet</h2>
              <p>Open a job, tick parts in its ledger and choose Release.</p>
              <Link className={`${frame.plain} ${frame.strong}`} href="/">
                Jobs
              </Link>
            </div>
          )}
        </div>
      </main>
    </div>
  );
}
