'use client';
import { Button, Drawer, Input, Pagination } from 'antd';
import Link from 'next/link';
import { useState } from 'react';
import { Choice } from '@/shell/controls.tsx';
import { ask, Refused } from '@/shell/ask.ts';
import { Card } from './Card.tsx';
import { useKept } from './useKept.ts';
import widths from '@/shell/widths.module.css';
import style from './designs.module.css';

/** Designs of the stores beside a job: a click or a drag brings one in. */
export function FromStoresDrawer({ jobId, close, brought }: { jobId: string; close: () => void; brought: () => unknown }) {
  const it = useKept();
  const [said, setSaid] = useState<string | null>(null);
  const bring = async (id: string, name: string) => {
    try {
      await ask(`/api/jobs/${jobId}/designs?stored=${id}`, { method: 'POST' });
      setSaid(`"${name}" is in the job.`);
      await brought();
    } catch (thrown) {
      setSaid(`${(thrown as Error).message} ${thrown instanceof Refused ? thrown.remedy : ''}`);
    }
  };
  const { page } = it;
  return (
    <Drawer title="From the stores" open onClose={close} size={560} mask={false} destroyOnHidden data-test="from-stores">
      <div className={style.bar}>
        <Input
          allowClear
          placeholder="name or tag"
          aria-label="Look for a design"
          className={widths.w200}
          onChange={(e) => it.want({ text: e.target.value })}
        />
        <Choice
          label="Shelf"
          value={it.wanted.shelf ?? ''}
          onChange={(shelf) => it.want({ shelf: shelf || undefined })}
          options={[{ value: '', label: 'Shelf: any' }, ...(page?.shelves ?? []).map((s) => ({ value: s.id, label: `${s.name} (${s.count})` }))]}
        />
      </div>
      {said && (
        <p role="status" data-test="brought">
          {said}
        </p>
      )}
      {page?.total === 0 && (
        <p className="context">
          No design answers to this. <Link href="/stores">Keep some in the stores</Link>, or change what is looked for.
        </p>
      )}
      <p className="context">Click one to bring it in, or drag it onto the ledger.</p>
      <ul className={style.grid}>
        {page?.entries
          .filter((d) => d.state === 'kept')
          .map((d) => (
            <Card key={d.id} design={d} open={() => void bring(d.id, d.fileName)} />
          ))}
      </ul>
      {page && page.total > page.perPage && (
        <Pagination
          size="small"
          current={(it.wanted.page ?? 0) + 1}
          pageSize={page.perPage}
          total={page.total}
          showSizeChanger={false}
          onChange={(n) => it.want({ page: n - 1 })}
        />
      )}
      <p>
        <Button onClick={close}>Close</Button>
      </p>
    </Drawer>
  );
}
