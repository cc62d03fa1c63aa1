'use client';
import { Button, Checkbox, Input, InputNumber, Table } from 'antd';
import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { usualNest, type StockSheet } from 'tall-kite/cutlist/how';
import type { StoredSheet } from '@tall-kite/server/stores/sheets';
import { hidden } from '@/shell/controls.tsx';
import { ask, Refused } from '@/shell/ask.ts';
import { MaterialInput } from './MaterialInput.tsx';
import { LengthInput } from '@/shell/LengthInput.tsx';
import { Len } from '@/shell/unit.tsx';
import frame from '@/shell/frame.module.css';
import widths from '@/shell/widths.module.css';
import style from './stores.module.css';

/** Sheets, blocks and remnants that are kept for cutting and carving, with their prices. */
export function StoredSheets() {
  const client = useQueryClient();
  const stored = useQuery({ queryKey: ['stored-sheets'], queryFn: () => ask<StoredSheet[]>('/api/stores/sheets') });
  const [gone, setGone] = useState<StoredSheet | null>(null);
  const [trouble, setTrouble] = useState<{ message: string; remedy: string } | null>(null);
  const [adding, setAdding] = useState(false);
  const guarded = async (work: () => Promise<unknown>) => {
    try {
      await work();
      setTrouble(null);
      return true;
    } catch (thrown) {
      setTrouble({ message: (thrown as Error).message, remedy: thrown instanceof Refused ? thrown.remedy : 'Try again.' });
      return false;
    } finally {
      await client.invalidateQueries({ queryKey: ['stored-sheets'] });
    }
  };
  const act = (id: string, method: 'DELETE' | 'POST', after: StoredSheet | null) =>
    void guarded(async () => {
      await ask(`/api/stores/sheets/${id}`, { method });
      setGone(after);
    });
  return (
    <>
      <div className={frame.title}>
        <span className="context">Sheets and blocks that panels are cut from and reliefs are set into; remnants come first.</span>
        <span className={frame.right}>
          <Button type="primary" onClick={() => setAdding(true)}>
            New sheet or block
          </Button>
        </span>
      </div>
      {trouble && (
        <div className={frame.notice} data-test="notice" role="alert">
          <span className="grow">
            <b>{trouble.message}</b> {trouble.remedy}
          </span>
        </div>
      )}
      {gone && (
        <div className={frame.notice} data-test="notice" role="status">
          <span className="grow">&quot;{gone.sheet.name}&quot; was taken away.</span>
          <Button size="small" onClick={() => act(gone.id, 'POST', null)}>
            Undo
          </Button>
        </div>
      )}
      {adding && <NewStock save={(sheet) => guarded(() => ask('/api/stores/sheets', { method: 'POST', body: sheet }))} close={() => setAdding(false)} />}
      {stored.isPending && <p className="context">Fetching the stock …</p>}
      {stored.data?.length === 0 && !adding && (
        <div className={frame.empty}>
          <h2>No stock yet</h2>
          <p>Put in the sheets and blocks that lie in your rack, with what they cost. Remnants are used first when panels are laid on sheets.</p>
        </div>
      )}
      {stored.data && stored.data.length > 0 && (
        <div className={frame.scroll} data-test="stored-sheets" tabIndex={0} role="group" aria-label="Sheets, blocks and remnants">
          <Table
            size="small"
            pagination={false}
            rowKey="id"
            dataSource={stored.data}
            columns={[
              { title: 'name', render: (_, s) => s.sheet.name },
              { title: 'material', render: (_, s) => s.sheet.material || <span className="context">any</span> },
              { title: 'X', align: 'right', render: (_, s) => <Len mm={s.sheet.width} /> },
              { title: 'Y', align: 'right', render: (_, s) => <Len mm={s.sheet.height} /> },
              {
                title: 'thickness',
                align: 'right',
                render: (_, s) => (s.sheet.thickness === null ? <span className="context">any</span> : <Len mm={s.sheet.thickness} />),
              },
              { title: 'price of one', align: 'right', render: (_, s) => (s.sheet.price === null ? '' : s.sheet.price.toFixed(2)) },
              { title: 'in stock', align: 'right', render: (_, s) => (s.sheet.copies === null ? <span className="context">as needed</span> : s.sheet.copies) },
              { title: hidden('Remnant or not'), render: (_, s) => (s.sheet.remnant ? 'remnant' : '') },
              {
                title: hidden('What to do'),
                align: 'right',
                render: (_, s) => (
                  <Button size="small" onClick={() => act(s.id, 'DELETE', s)} aria-label={`Take ${s.sheet.name} away`}>
                    Take away
                  </Button>
                ),
              },
            ]}
          />
        </div>
      )}
    </>
  );
}

const typed = (text: string) => (text.trim() === '' ? null : Number(text));

function NewStock({ save, close }: { save: (sheet: StockSheet) => Promise<boolean>; close: () => void }) {
  const [name, setName] = useState('');
  const [material, setMaterial] = useState('');
  const [size, setSize] = useState(['', '', '']);
  const [price, setPrice] = useState<number | null>(null);
  const [copies, setCopies] = useState<number | null>(null);
  const [remnant, setRemnant] = useState(false);
  const [x, y, z] = size.map(typed);
  const valid = name.trim() !== '' && x !== null && x > 0 && y !== null && y > 0 && (z === null || z > 0);
  return (
    <form
      className={style.stored}
      aria-label="New sheet or block"
      onSubmit={(e) => {
        e.preventDefault();
        if (!valid) return;
        const sheet = {
          ...usualNest.sheets[0],
          name: name.trim(),
          material: material.trim(),
          width: x!,
          height: y!,
          thickness: z,
          price,
          copies,
          remnant,
          outline: null,
        };
        void save(sheet).then((done) => done && close());
      }}
    >
      <div className={style.formrow}>
        <label>
          Name <Input size="small" value={name} maxLength={60} autoFocus onChange={(e) => setName(e.target.value)} />
        </label>
        <label>
          Material <MaterialInput value={material} onChange={setMaterial} label="Material" />
        </label>
        {['X', 'Y', 'Thickness'].map((l, k) => (
          <label key={l}>
            {l} <LengthInput value={size[k]} placeholder={k === 2 ? 'any' : ''} onChange={(v) => setSize(size.map((s, i) => (i === k ? v : s)))} />
          </label>
        ))}
        <label>
          Price of one <InputNumber size="small" min={0} value={price} onChange={setPrice} className={widths.w80} />
        </label>
        <label>
          In stock <InputNumber size="small" min={1} precision={0} value={copies} placeholder="as needed" onChange={setCopies} className={widths.w96} />
        </label>
        <Checkbox checked={remnant} onChange={(e) => setRemnant(e.target.checked)}>
          a remnant
        </Checkbox>
      </div>
      <div className={style.formrow}>
        <span className="grow" />
        <Button onClick={close}>Leave it</Button>
        <Button type="primary" htmlType="submit" disabled={!valid}>
          Keep it
        </Button>
      </div>
    </form>
  );
}
