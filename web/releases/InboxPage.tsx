'use client';
import { When } from '@/shell/When.tsx';
import { Table } from 'antd';
import { useQuery } from '@tanstack/react-query';
import Link from 'next/link';
import { useEffect } from 'react';
import { bytesText } from 'tall-kite/base/figures';
import type { InboxEntry } from '@tall-kite/server/releases/inbox';
import { MarkShape } from '@/marks/Mark.tsx';
import { ask, Refused } from '@/shell/ask.ts';
import { Header } from '@/shell/Header.tsx';
import { Trouble } from '@/shell/Trouble.tsx';
import frame from '@/shell/frame.module.css';

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
    <div className={frame.page}>
      <Header current="receivers" />
      <main id="content">
        <div className={frame.title}>
          <h1>Inbox of {name}</h1>
          <span className="context">{process}. The stand-in took each file by HTTP, read its bytes by the machine&rsquo;s own rules, and said this.</span>
          <span className={frame.right}>
            <Link className={frame.plain} href="/receivers">
              All receivers
            </Link>
          </span>
        </div>
        {error && <Trouble message={error.message} remedy={(error as Refused).remedy} />}
        <div className={frame.scroll} tabIndex={0} role="group" aria-label="What came">
          {isPending && <p className="context">Fetching the log …</p>}
          {data?.length === 0 && (
            <div className={frame.empty}>
              <h2>Nothing came yet</h2>
              <p>Tick &ldquo;put each file into its receiver&rsquo;s inbox&rdquo; when you release.</p>
            </div>
          )}
          {data && data.length > 0 && (
            <Table<InboxEntry>
              size="small"
              rowKey="id"
              dataSource={data}
              pagination={false}
              onRow={(e) => ({ 'data-test': e.accepted ? 'accepted' : 'refused' }) as object}
              columns={[
                { title: 'File', render: (_, e) => <span className="figure">{e.fileName}</span> },
                { title: 'Size', render: (_, e) => <span className="figure nowrap">{bytesText(e.bytes)}</span> },
                { title: 'Answer', render: (_, e) => <Answer accepted={e.accepted} /> },
                {
                  title: 'What it understood, or why not',
                  render: (_, e) => (
                    <>
                      {e.said} <span className="context">{e.remedy}</span>
                    </>
                  ),
                },
                { title: 'Came', render: (_, e) => <When at={e.at} seconds /> },
              ]}
            />
          )}
        </div>
      </main>
    </div>
  );
}

function Answer({ accepted }: { accepted: boolean }) {
  const mark = accepted ? 'clear' : 'stop';
  return (
    <span className={`mark c-${mark}`}>
      <MarkShape mark={mark} /> {accepted ? 'accepted' : 'refused'}
    </span>
  );
}
