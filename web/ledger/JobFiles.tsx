'use client';
import { Button, Drawer, Popconfirm, Table } from 'antd';
import { useQuery } from '@tanstack/react-query';
import { bytesText, counted, countText } from 'tall-kite/base/figures';
import type { DesignListed } from '@tall-kite/server/designs/designs';
import { hidden } from '@/shell/controls.tsx';
import { ask, Refused } from '@/shell/ask.ts';
import { Trouble } from '@/shell/Trouble.tsx';
import type { JobTools } from '@/shell/useJob.ts';
import { When } from '@/shell/When.tsx';

/** The files that were brought into a job: how large they are, what came of them, and the way to remove one or bring it back. */
export function JobFiles({ jobId, tools, close }: { jobId: string; tools: JobTools; close: () => void }) {
  const { data, error, isPending, refetch } = useQuery({
    queryKey: ['files', jobId, tools.job?.undo],
    queryFn: () => ask<DesignListed[]>(`/api/jobs/${jobId}/designs`),
    placeholderData: (before) => before,
  });
  const set = async (design: DesignListed, removed: boolean) => {
    await tools.guarded(() => ask(`/api/designs/${design.id}`, { method: 'PATCH', body: { removed } }));
    await refetch();
  };
  const there = data?.filter((d) => d.removedAt === null) ?? [];
  return (
    <Drawer title="Files of this job" open onClose={close} size={680} destroyOnHidden data-test="job-files">
      {error && <Trouble message={error.message} remedy={(error as Refused).remedy} />}
      {tools.trouble && <Trouble {...tools.trouble} close={tools.clearTrouble} />}
      {isPending && <p className="context">Fetching the files …</p>}
      {data && (
        <>
          <p className="context">
            {counted(there.length, 'file')}, {bytesText(there.reduce((sum, d) => sum + d.bytes, 0))}. What is removed can be brought back for 30 days.
          </p>
          <Table<DesignListed>
            size="small"
            rowKey="id"
            aria-label="Files of this job"
            dataSource={data}
            pagination={data.length > 50 ? { pageSize: 50 } : false}
            locale={{ emptyText: 'Nothing was brought in yet.' }}
            columns={[
              { title: 'File', render: (_, d) => <b className={d.removedAt ? 'context' : ''}>{d.fileName}</b> },
              { title: 'Parts', align: 'right', render: (_, d) => <span className="figure">{countText(d.parts)}</span> },
              { title: 'Size', align: 'right', render: (_, d) => <span className="figure nowrap">{bytesText(d.bytes)}</span> },
              {
                title: 'Came, or was removed',
                render: (_, d) => (
                  <>
                    {d.removedAt && 'removed '}
                    <When at={d.removedAt ?? d.createdAt} />
                  </>
                ),
              },
              { title: hidden('What to do'), align: 'right', render: (_, d) => <Removal design={d} set={set} /> },
            ]}
          />
        </>
      )}
    </Drawer>
  );
}

function Removal({ design, set }: { design: DesignListed; set: (design: DesignListed, removed: boolean) => Promise<void> }) {
  if (design.removedAt)
    return (
      <Button size="small" onClick={() => void set(design, false)} aria-label={`Bring back ${design.fileName}`}>
        Bring back
      </Button>
    );
  return (
    <Popconfirm
      title={`Remove "${design.fileName}"?`}
      description={`${counted(design.parts, 'part')} of the ledger ${design.parts === 1 ? 'goes' : 'go'} with it. Undo, or Bring back, takes it back.`}
      okText="Remove it"
      cancelText="Keep it"
      onConfirm={() => set(design, true)}
    >
      <Button size="small" aria-label={`Remove ${design.fileName}`}>
        Remove
      </Button>
    </Popconfirm>
  );
}
