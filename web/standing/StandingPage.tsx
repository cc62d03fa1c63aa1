'use client';
import { Table } from 'antd';
import { useQuery } from '@tanstack/react-query';
import type { Check, Health } from '@tall-kite/server/standing/health';
import { Mark } from '@/marks/Mark.tsx';
import { Header } from '@/shell/Header.tsx';
import { Trouble } from '@/shell/Trouble.tsx';

/** How the installation is: database, disk, workers, tasks, inboxes; looked at anew every five seconds. */
export function StandingPage() {
  const health = useQuery({
    queryKey: ['health'],
    refetchInterval: 5000,
    retry: false,
    // A 503 is an answer too: it says what is wrong.
    queryFn: async () => (await (await fetch('/api/health')).json()) as Health,
  });
  return (
    <div className="page">
      <Header current="help" />
      <main id="content">
        <div className="title">
          <h1>Standing</h1>
          <span className="context" aria-live="polite">
            {health.data ? (health.data.ok ? 'All can be used.' : 'Something keeps it from being used; it is begun again by itself.') : ''}
          </span>
        </div>
        {health.isError && <Trouble message="The pages do not answer." remedy="Look whether npm start still runs, and at what it printed." />}
        <div className="scroll">
          <Table<Check>
            size="small"
            rowKey="what"
            pagination={false}
            loading={health.isPending}
            dataSource={health.data?.checks}
            columns={[
              { title: 'What', dataIndex: 'what' },
              { title: 'How it is', render: (_, c) => <Mark mark={c.mark} /> },
              { title: 'Figure', render: (_, c) => <span className="figure">{c.figure}</span> },
              { title: 'What to do', render: (_, c) => c.sentence },
            ]}
          />
        </div>
      </main>
    </div>
  );
}
