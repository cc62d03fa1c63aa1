'use client';
import { useQuery } from '@tanstack/react-query';
import Link from 'next/link';
import { useEffect } from 'react';
import { bytesText } from 'tall-kite/base/figures';
import type { InboxEntry } from '@tall-kite/server/releases/inbox';
import { MarkShape } from '@/marks/Mark.tsx';
import { ask, Refused } from '@/shell/ask.ts';
import { Header } from '@/shell/Header.tsx';
import { Trouble } from '@/shell/Trouble.tsx';
import { HeadRow } from '@/shell/HeadRow.tsx';

/** The log of one receiver's inbox: what it accepted, what it refused and why. */
export function InboxPage({ receiver, name, process }: { receiver: string; name: string; process: string }) {
  const { data, error, isPending } = useQuery({
    queryKey: ['inbox', receiver],
    queryFn: () => ask<InboxEntry[]>(`/api/receivers/${receiver}/inbox`),
    refetchInterval: 4000,
  });
  useEffect(() => {
    document.title = `Inbox of ${name} · Tall Kite`;
  }, [name]);
  return (
    <div className="page">
      <Header current="receivers" />
      <main id="content">
        <div className="title">
          <h1>Inbox of {name}</h1>
          <span className="context">{process}. The stand-in took each file by HTTP, read its bytes by the machine&rsquo;s own rules, and said this.</span>
          <span className="right">
            <Link className="plain" href="/receivers">
              All receivers
            </Link>
          </span>
        </div>
        {error && <Trouble message={error.message} remedy={(error as Refused).remedy} />}
        <div className="scroll" tabIndex={0} role="group" aria-label="What came">
          {isPending && <p className="context">Fetching the log …</p>}
          {data?.length === 0 && (
            <div className="empty">
              <h2>Nothing came yet</h2>
              <p>Tick &ldquo;put each file into its receiver&rsquo;s inbox&rdquo; when you release.</p>
            </div>
          )}
          {data && data.length > 0 && (
            <table className="plainlist">
              <HeadRow names={['File', 'Size', 'Answer', 'What it understood, or why not', 'Came']} />
              <tbody>
                {data.map((e) => (
                  <tr key={e.id} data-test={e.accepted ? 'accepted' : 'refused'}>
                    <td className="figure">{e.fileName}</td>
                    <td className="figure">{bytesText(e.bytes)}</td>
                    <td>
                      <span className={`mark c-${e.accepted ? 'clear' : 'stop'}`}>
                        <MarkShape mark={e.accepted ? 'clear' : 'stop'} /> {e.accepted ? 'accepted' : 'refused'}
                      </span>
                    </td>
                    <td>
                      {e.said} <span className="context">{e.remedy}</span>
                    </td>
                    <td className="figure">
                      <time dateTime={e.at}>{e.at.slice(0, 19).replace('T', ' ')} UTC</time>
                    </td>
                  </tr>
                ))}
              </tbody>
            </table>
          )}
        </div>
      </main>
    </div>
  );
}
