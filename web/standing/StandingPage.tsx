'use client';
import { Flex, Table } from 'antd';
import { useQuery } from '@tanstack/react-query';
import type { Check, Health, Kept } from '@tall-kite/server/standing/health';
import { Mark } from '@/marks/Mark.tsx';
import { Header } from '@/shell/Header.tsx';
import { Trouble } from '@/shell/Trouble.tsx';
import { When } from '@/shell/When.tsx';
import frame from '@/shell/frame.module.css';

const stateWords: Record<Kept['state'], string> = { starting: 'being begun', up: 'runs', waiting: 'is begun again', stopped: 'stopped' };
const timesText = (n: number): string => (n === 0 ? 'never' : n === 1 ? 'once' : `${n} times`);

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
    <div className={frame.page}>
      <Header current="help" />
      <main id="content">
        <div className={frame.title}>
          <h1>Standing</h1>
          <span className="context" aria-live="polite">
            {health.data ? (health.data.ok ? 'All can be used.' : 'Something keeps it from being used; it is begun again by itself.') : ''}
          </span>
        </div>
        {health.isError && <Trouble message="The pages do not answer." remedy="Look whether npm start still runs, and at what it printed." />}
        <div className={frame.scroll}>
          <Flex vertical gap={12}>
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
            {(health.data?.processes.length ?? 0) > 0 && (
              <>
                <h2>Processes</h2>
                <Table<Kept>
                  size="small"
                  rowKey="name"
                  pagination={false}
                  dataSource={health.data?.processes}
                  columns={[
                    { title: 'Process', dataIndex: 'name' },
                    { title: 'How it is', render: (_, k) => <Mark mark={k.state === 'up' ? 'clear' : 'look'} word={stateWords[k.state]} /> },
                    { title: 'Since', render: (_, k) => <When at={k.since} /> },
                    { title: 'Begun again', align: 'right', render: (_, k) => <span className="figure">{timesText(k.restarts)}</span> },
                    { title: 'Ended last by', render: (_, k) => k.last ?? '' },
                  ]}
                />
              </>
            )}
          </Flex>
        </div>
      </main>
    </div>
  );
}
