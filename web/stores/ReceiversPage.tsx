'use client';
import { useQueryClient } from '@tanstack/react-query';
import { Button, Dropdown, Modal, Switch, Table, Tag, Upload } from 'antd';
import Link from 'next/link';
import { useState } from 'react';
import { countText } from 'tall-kite/base/figures';
import { machineKinds } from 'tall-kite/receivers/kinds';
import { formatNames, takesParts, type Receiver } from 'tall-kite/receivers/receivers';
import type { StoredReceiver } from '@tall-kite/server/stores/receivers';
import { hidden } from '@/shell/controls.tsx';
import { ask, Refused } from '@/shell/ask.ts';
import { Header } from '@/shell/Header.tsx';
import { Trouble } from '@/shell/Trouble.tsx';
import { ReceiverForm } from './ReceiverForm.tsx';
import { TestPiece } from './TestPiece.tsx';
import { otherRules, slugOf } from './receiver-words.ts';
import { useStoredReceivers } from './useReceivers.ts';
import desk from '@/shell/desk.module.css';
import frame from '@/shell/frame.module.css';

type Counts = Record<string, { accepted: number; refused: number }>;
type Edited = { title: string; start: Omit<Receiver, 'id'>; of: StoredReceiver | null };

/** The machines: their rules as data, added, changed, copied, archived. */
export function ReceiversPage({ counts, first }: { counts: Counts; first: StoredReceiver[] }) {
  const client = useQueryClient();
  const stored = useStoredReceivers(first);
  const [edited, setEdited] = useState<Edited | null>(null);
  const [all, setAll] = useState(false);
  const [trouble, setTrouble] = useState<Refused | null>(null);
  const list = (stored.data ?? []).filter((r) => all || !r.archived);
  const archivedCount = (stored.data ?? []).filter((r) => r.archived).length;
  const refresh = () => client.invalidateQueries({ queryKey: ['receivers'] });
  const tried = async (work: () => Promise<unknown>) => {
    try {
      await work();
      setTrouble(null);
    } catch (thrown) {
      setTrouble(thrown instanceof Refused ? thrown : new Refused(0, (thrown as Error).message, 'Try again.'));
    }
    await refresh();
  };
  const add = (rules: Omit<Receiver, 'id'>) => ask('/api/receivers', { method: 'POST', body: { ...rules, id: slugOf(rules.name, stored.data ?? []) } });
  const save = async (rules: Omit<Receiver, 'id'>) => {
    const { of } = edited!;
    if (of) await ask(`/api/receivers/${of.rules.id}`, { method: 'PATCH', body: { version: of.version, rules: { ...rules, id: of.rules.id } } });
    else await add(rules);
    setEdited(null);
    await refresh();
  };
  const bring = async (file: File) => {
    const text = await file.text();
    let rules: Receiver;
    try {
      rules = JSON.parse(text) as Receiver;
    } catch {
      throw new Refused(0, `"${file.name}" is no receiver: it is not JSON.`, 'Take one that was saved with "Save as a file".');
    }
    await add({ ...rules, name: String(rules.name ?? file.name) });
  };
  const begin = (id: string) => {
    const kind = machineKinds.find((k) => k.id === id)!;
    setEdited({ title: `A new ${kind.label.toLowerCase()}`, start: { ...kind.rules, name: '' }, of: null });
  };
  return (
    <div className={frame.page}>
      <Header current="receivers" />
      <main id="content">
        <div className={frame.title}>
          <h1>Receivers</h1>
          <span className="context">
            The machines that files are written for, and their rules. A stand-in of each reads the written bytes and nothing else.
          </span>
          <span className={frame.right}>
            {archivedCount > 0 && (
              <label className={desk.row}>
                <Switch size="small" checked={all} onChange={setAll} /> {archivedCount} archived
              </label>
            )}
            <Upload accept=".json" showUploadList={false} beforeUpload={(file) => (void tried(() => bring(file)), false)}>
              <Button>Bring in a file</Button>
            </Upload>
            <Dropdown menu={{ items: machineKinds.map(({ id, label }) => ({ key: id, label })), onClick: ({ key }) => begin(key) }} trigger={['click']}>
              <Button type="primary" data-test="add-receiver">
                Add a receiver
              </Button>
            </Dropdown>
          </span>
        </div>
        {stored.error && <Trouble message={stored.error.message} remedy={(stored.error as Refused).remedy} />}
        {trouble && <Trouble message={trouble.message} remedy={trouble.remedy} close={() => setTrouble(null)} />}
        <Receivers list={list} counts={counts} loading={stored.isPending} edit={setEdited} tried={tried} />
        {edited && <ReceiverForm title={edited.title} start={edited.start} save={save} close={() => setEdited(null)} />}
      </main>
    </div>
  );
}

interface TableProps {
  list: StoredReceiver[];
  counts: Counts;
  loading: boolean;
  edit: (e: Edited) => void;
  tried: (work: () => Promise<unknown>) => Promise<void>;
}

function Receivers({ list, counts, loading, edit, tried }: TableProps) {
  return (
    <div className={`${frame.scroll} receivers`} tabIndex={0} role="group" aria-label="Receivers">
      <Table<StoredReceiver>
        size="small"
        rowKey={(r) => r.rules.id}
        dataSource={list}
        loading={loading}
        pagination={false}
        columns={[
          { title: 'Receiver', render: (_, r) => <NameCell row={r} /> },
          {
            title: 'Reads',
            render: (_, { rules }) =>
              [
                ...(rules.bender ? ['bend table CSV'] : rules.boardShop ? ['Gerber and drill files, zip'] : []),
                ...rules.formats.map((f) => formatNames[f]),
              ].join(', '),
          },
          { title: 'Bare numbers', render: (_, { rules }) => <span className="figure">{rules.unit}</span> },
          {
            title: 'Bed',
            render: (_, { rules }) => (
              <span className="figure nowrap">{rules.bender ? `tube ${rules.bender.longest}` : (rules.boardShop?.largest ?? rules.bed).join(' × ')} mm</span>
            ),
          },
          {
            title: 'Bead, kerf, clamp, web',
            render: (_, { rules }) => (
              <span className="figure nowrap">{rules.bender?.clamp ?? rules.boardShop?.leastWeb ?? rules.cutter?.kerf ?? rules.bead} mm</span>
            ),
          },
          { title: 'Other rules', render: (_, { rules }) => <span className="context">{otherRules(rules).join(', ')}</span> },
          { title: 'Parts', align: 'right', render: (_, r) => <span className="figure">{r.parts.toLocaleString('en')}</span> },
          { title: 'Inbox', render: (_, { rules }) => <InboxCell id={rules.id} count={counts[rules.id]} /> },
          { title: hidden('What to do'), render: (_, r) => <RowActions row={r} edit={edit} tried={tried} /> },
        ]}
      />
    </div>
  );
}

function NameCell({ row: { rules, archived } }: { row: StoredReceiver }) {
  return (
    <>
      <b>{rules.name}</b> {archived && <Tag>archived</Tag>}
      <br />
      <span className="context">{rules.process}</span>
    </>
  );
}

function InboxCell({ id, count }: { id: string; count: Counts[string] | undefined }) {
  return (
    <Link href={`/receivers/${id}`} data-test={`inbox-${id}`} className="nowrap">
      <span className="figure">{count?.accepted ?? 0}</span> accepted
      <br />
      <span className="figure">{count?.refused ?? 0}</span> refused
    </Link>
  );
}

function RowActions({ row, edit, tried }: { row: StoredReceiver } & Pick<TableProps, 'edit' | 'tried'>) {
  const { rules, archived, parts } = row;
  const { name } = rules;
  const [testing, setTesting] = useState(false);
  const keepMeasured = async (measured: Receiver) => {
    await ask(`/api/receivers/${rules.id}`, { method: 'PATCH', body: { version: row.version, rules: measured } });
    await tried(async () => {});
  };
  const archive = (yes: boolean) => tried(() => ask(`/api/receivers/${rules.id}`, { method: 'PATCH', body: { archived: yes } }));
  const confirm = () =>
    Modal.confirm({
      title: `Archive ${name}?`,
      content: `It is offered to no new part. ${parts === 0 ? 'No part goes to it.' : parts === 1 ? 'The 1 part that goes to it keeps it.' : `The ${countText(parts)} parts that go to it keep it.`}`,
      okText: 'Archive',
      cancelText: 'Leave it',
      onOk: () => archive(true),
    });
  const items = [
    { key: 'copy', label: 'Copy', onClick: () => edit({ title: `A copy of ${name}`, start: { ...rules, name: `${name} 2` }, of: null }) },
    ...(takesParts(rules) ? [{ key: 'test', label: 'Test piece…', onClick: () => setTesting(true) }] : []),
    { key: 'file', label: <a href={`/api/receivers/${rules.id}`}>Save as a file</a> },
    archived ? { key: 'back', label: 'Bring back', onClick: () => void archive(false) } : { key: 'archive', label: 'Archive', onClick: confirm },
  ];
  return (
    <span className="nowrap">
      <Button size="small" data-test={`edit-${rules.id}`} onClick={() => edit({ title: `Rules of ${name}`, start: rules, of: row })}>
        Edit
      </Button>{' '}
      <Dropdown menu={{ items }} trigger={['click']}>
        <Button size="small" aria-label={`More for ${name}`} data-test={`more-${rules.id}`}>
          More
        </Button>
      </Dropdown>
      {testing && <TestPiece rules={rules} keep={keepMeasured} close={() => setTesting(false)} />}
    </span>
  );
}
