'use client';
import { useQuery } from '@tanstack/react-query';
import Link from 'next/link';
import { useEffect } from 'react';
import { bytesText } from 'tall-kite/base/figures';
import type { listReleases, ReleaseCounts } from '@tall-kite/server/releases/report';
import { MarkShape } from '@/marks/Mark.tsx';
import { ask, Refused } from '@/shell/ask.ts';
import { Header } from '@/shell/Header.tsx';
import { Trouble } from '@/shell/Trouble.tsx';
import { useJob } from '@/shell/useJob.ts';
import { HeadRow } from '@/shell/HeadRow.tsx';

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

function Rows({ list, withJob }: { list: Listed[]; withJob: boolean }) {
  return (
    <table className="plainlist" aria-label="Releases">
      <HeadRow names={[...(withJob ? ['Job'] : []), 'Release', 'Revision', 'Files', 'Made', 'Same as before', 'Skipped', 'Size', 'How it ended', 'Begun']} />
      <tbody>
        {list.map((r) => {
          const { mark, word } = stateOf(r);
          return (
            <tr key={r.id}>
              {withJob && (
                <td>
                  <Link href={`/jobs/${r.jobId}`}>{r.jobName}</Link>
                </td>
              )}
              <td>
                <Link href={`/jobs/${r.jobId}/releases/${r.id}`} style={{ fontSize: 17, fontWeight: 650 }}>
                  {r.number}
                </Link>
              </td>
              <td className="figure">{r.revision || '–'}</td>
              <td className="figure">{r.counts.made + r.counts.same}</td>
              <td className="figure">{r.counts.made}</td>
              <td className="figure">{r.counts.same}</td>
              <td className="figure">{r.counts.skipped}</td>
              <td className="figure">{bytesText(r.counts.bytes)}</td>
              <td>
                <span className={`mark c-${mark}`}>
                  <MarkShape mark={mark} /> {word}
                </span>
              </td>
              <td className="figure">
                <time dateTime={r.createdAt}>{r.createdAt.slice(0, 16).replace('T', ' ')} UTC</time>
              </td>
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}

/** The releases of one job. */
export function JobReleases({ jobId }: { jobId: string }) {
  const { job, failed } = useJob(jobId);
  const { data, error, isPending } = useQuery({
    queryKey: ['releases', jobId],
    queryFn: () => ask<Listed[]>(`/api/jobs/${jobId}/releases`),
    refetchInterval: 3000,
  });
  useEffect(() => {
    document.title = job ? `Releases · ${job.name}` : 'Tall Kite';
  }, [job]);
  const trouble = failed ?? (error as Refused | null);
  return (
    <div className="page">
      <Header where={job?.name} jobId={jobId} current="releases" />
      <main id="content">
        <div className="title">
          <h1>Releases</h1>
          <span className="context">
            Many parts to many receivers in one run, each file read back and proved; at the next revision only what changed is made.
          </span>
          <span className="right">
            <Link className="plain" href={`/jobs/${jobId}`}>
              Ledger
            </Link>
            <Link className="plain strong" href={`/jobs/${jobId}/releases/new`}>
              New release…
            </Link>
          </span>
        </div>
        {trouble && <Trouble message={trouble.message} remedy={trouble.remedy} />}
        <div className="scroll">
          {isPending && <p className="context">Fetching the releases …</p>}
          {data && data.length > 0 && <Rows list={data} withJob={false} />}
          {data?.length === 0 && (
            <div className="empty">
              <h2>Nothing was released yet</h2>
              <p>Tick parts in the ledger and choose Release, or take all of them.</p>
              <Link className="plain strong" href={`/jobs/${jobId}/releases/new`}>
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
    <div className="page">
      <Header current="releases" />
      <main id="content">
        <div className="title">
          <h1>Releases</h1>
          <span className="context">{data ? `${data.length} of all jobs, the newest first` : ''}</span>
        </div>
        {error && <Trouble message={error.message} remedy={(error as Refused).remedy} />}
        <div className="scroll">
          {isPending && <p className="context">Fetching the releases …</p>}
          {data && data.length > 0 && <Rows list={data} withJob />}
          {data?.length === 0 && (
            <div className="empty">
              <h2>Nothing was released yet</h2>
              <p>Open a job, tick parts in its ledger and choose Release.</p>
              <Link className="plain strong" href="/">
                Jobs
              </Link>
            </div>
          )}
        </div>
      </main>
    </div>
  );
}
