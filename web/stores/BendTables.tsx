'use client';
import { Button, Input, Table, Upload } from 'antd';
import { Choice, hidden } from '@/shell/controls.tsx';
import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { bendTableCsv, readBendTable, type BendTable } from 'tall-kite/sheet/rules';
import { Unusable } from 'tall-kite/base/finding';
import type { StoredBends } from '@tall-kite/server/stores/bends';
import { ask, Refused } from '@/shell/ask.ts';
import { Notice, type Told } from './Notice.tsx';
import { MaterialInput } from './MaterialInput.tsx';
import { LengthInput } from '@/shell/LengthInput.tsx';
import frame from '@/shell/frame.module.css';
import { tableTyped, typedOf, type TypedTable } from './bend-rows.ts';
import style from './stores.module.css';

const given: Record<BendTable['gives'], string> = { k: 'K-factor', allowance: 'allowance, mm', deduction: 'deduction, mm' };

/** Bend tables, as a shop has measured them. */
export function BendTables() {
  const client = useQueryClient();
  const tables = useQuery({ queryKey: ['bends'], queryFn: () => ask<StoredBends[]>('/api/stores/bends') });
  const [editing, setEditing] = useState<string | 'new' | null>(null);
  const [notice, setNotice] = useState<Told | null>(null);
  const refresh = () => client.invalidateQueries({ queryKey: ['bends'] });
  const guarded = async (work: () => Promise<void>) => {
    try {
      await work();
      return true;
    } catch (thrown) {
      const known = thrown instanceof Refused || thrown instanceof Unusable;
      setNotice({ message: (thrown as Error).message, remedy: known ? (thrown as Refused).remedy : 'Try again.' });
      return false;
    } finally {
      await refresh();
    }
  };
  const bringIn = (file: File) =>
    guarded(async () => {
      if (file.size > 1e6) throw new Refused(0, `"${file.name}" is too large for a bend table.`, 'Choose the CSV file of one table.');
      const { table, bad } = readBendTable(await file.text(), file.name.replace(/\.[^.]*$/, '').slice(0, 60));
      await ask('/api/stores/bends', { method: 'POST', body: table });
      setNotice({
        message: `"${table.name}" came in with ${table.rows.length} ${table.rows.length === 1 ? 'row' : 'rows'}.`,
        remedy: bad.length > 0 ? `${bad.length} ${bad.length === 1 ? 'line was' : 'lines were'} left out. ${bad.slice(0, 3).join(' ')}` : '',
      });
    });
  const remove = (t: StoredBends) =>
    guarded(async () => {
      await ask(`/api/stores/bends/${t.id}`, { method: 'DELETE' });
      setNotice({
        message: `"${t.table.name}" was taken away.`,
        remedy: 'Flats that were made with it keep their figures.',
        undo: () => void guarded(async () => void (await ask(`/api/stores/bends/${t.id}`, { method: 'POST' }))).then(() => setNotice(null)),
      });
    });
  const save = (t: StoredBends | null) => async (table: BendTable) => {
    const done = await guarded(async () => {
      if (t) await ask(`/api/stores/bends/${t.id}`, { method: 'PUT', body: { version: t.version, table } });
      else await ask('/api/stores/bends', { method: 'POST', body: table });
      setNotice(null);
    });
    if (done) setEditing(null);
  };
  const list = tables.data ?? [];
  return (
    <>
      <div className={frame.title}>
        <span className="context">How long a bend comes out of your sheet on your press brake, by inside radius and angle bent through.</span>
        <span className={frame.right}>
          <Upload accept=".csv,text/csv" showUploadList={false} beforeUpload={(file) => (void bringIn(file), false)} aria-label="A bend table as CSV">
            <Button>Bring in CSV</Button>
          </Upload>{' '}
          <Button onClick={() => setEditing('new')} type="primary">
            New bend table
          </Button>
        </span>
      </div>
      <Notice told={notice} close={() => setNotice(null)} />
      {editing === 'new' && <TableForm start={null} save={save(null)} close={() => setEditing(null)} />}
      {tables.isPending && <p className="context">Fetching the stores …</p>}
      {tables.isError && <p className="c-stop">The stores could not be fetched. {(tables.error as Refused).remedy}</p>}
      {tables.data && list.length === 0 && editing !== 'new' && (
        <div className={frame.empty}>
          <h2>No bend tables yet</h2>
          <p>Bend three test strips, measure them, and write down what the flat lost. Until then parts are unfolded by DIN 6935, the handbook or a K-factor.</p>
        </div>
      )}
      <div className={frame.scroll} tabIndex={0} role="group" aria-label="Bend tables">
        {list.map((t) =>
          editing === t.id ? (
            <TableForm key={t.id} start={t.table} save={save(t)} close={() => setEditing(null)} />
          ) : (
            <Stored key={t.id} table={t.table} edit={() => setEditing(t.id)} remove={() => void remove(t)} />
          ),
        )}
      </div>
    </>
  );
}

function Stored({ table, edit, remove }: { table: BendTable; edit: () => void; remove: () => void }) {
  return (
    <section className={style.stored} aria-label={table.name} data-test="stored">
      <div className={frame.title}>
        <h2>{table.name}</h2>
        <span className="context">
          {table.material || 'any material'}, {table.thickness === null ? 'any thickness' : `${table.thickness} mm`}; gives {given[table.gives]};{' '}
          {table.rows.length} {table.rows.length === 1 ? 'row' : 'rows'}
        </span>
        <span className={frame.right}>
          <Button onClick={edit} size="small">
            Change
          </Button>{' '}
          <Button onClick={() => download(table)} size="small">
            CSV
          </Button>{' '}
          <Button onClick={remove} size="small">
            Take away
          </Button>
        </span>
      </div>
      <Grid table={table} />
    </section>
  );
}

function download(table: BendTable): void {
  const url = URL.createObjectURL(new Blob([bendTableCsv(table)], { type: 'text/csv' }));
  const a = document.createElement('a');
  a.href = url;
  a.download = `${table.name.replace(/[^\w.-]+/g, '_')}.csv`;
  a.click();
  setTimeout(() => URL.revokeObjectURL(url), 1000);
}

/** Radii down, angles across. */
function Grid({ table }: { table: BendTable }) {
  const radii = [...new Set(table.rows.map((r) => r.radius))].sort((a, b) => a - b);
  const angles = [...new Set(table.rows.map((r) => r.angle))].sort((a, b) => a - b);
  return (
    <Table<number>
      size="small"
      className={style.grid}
      rowKey={(r) => r}
      dataSource={radii}
      pagination={false}
      columns={[
        { title: 'inside R, mm', rowScope: 'row', render: (_, r) => <span className="figure">{r}</span> },
        ...angles.map((a) => ({
          title: `${a}°`,
          align: 'right' as const,
          render: (_: unknown, r: number) => <span className="figure">{table.rows.find((row) => row.radius === r && row.angle === a)?.value ?? ''}</span>,
        })),
      ]}
    />
  );
}

type Row = TypedTable['rows'][number];

function TableForm({ start, save, close }: { start: BendTable | null; save: (t: BendTable) => Promise<void>; close: () => void }) {
  const [typed, setTyped] = useState(() => typedOf(start));
  const { name, material, thickness, gives, rows } = typed;
  const set = (change: Partial<TypedTable>) => setTyped({ ...typed, ...change });
  const change = (i: number, field: keyof Row, v: string) => set({ rows: rows.map((r, n) => (n === i ? { ...r, [field]: v } : r)) });
  const { table, bad } = tableTyped(typed);
  return (
    <form
      className={style.stored}
      aria-label={start ? `Change ${start.name}` : 'New bend table'}
      onSubmit={(e) => {
        e.preventDefault();
        if (table) void save(table);
      }}
    >
      <div className={style.formrow}>
        <label>
          Name <Input value={name} maxLength={60} autoFocus onChange={(e) => set({ name: e.target.value })} size="small" />
        </label>
        <label>
          Material <MaterialInput value={material} onChange={(material) => set({ material })} label="Material" />
        </label>
        <label>
          Thickness <LengthInput value={thickness} placeholder="any" onChange={(thickness) => set({ thickness })} />
        </label>
        <label>
          Gives{' '}
          <Choice
            value={gives}
            onChange={(value) => set({ gives: value as BendTable['gives'] })}
            options={[...Object.entries(given).map(([id, words]) => ({ value: id, label: words }))]}
          />
        </label>
      </div>
      <Table<Row & { i: number }>
        size="small"
        className={style.grid}
        rowKey="i"
        dataSource={rows.map((r, i) => ({ ...r, i }))}
        pagination={false}
        columns={[
          ...(['radius', 'angle', 'value'] as const).map((f) => ({
            title: { radius: 'inside R, mm', angle: 'bent through, °', value: given[gives] }[f],
            render: (_: unknown, r: Row & { i: number }) => (
              <Input
                aria-label={`Row ${r.i + 1}, ${f === 'value' ? given[gives] : f === 'radius' ? 'inside radius, mm' : 'angle, °'}`}
                aria-invalid={bad[r.i]}
                inputMode="decimal"
                value={r[f]}
                onChange={(e) => change(r.i, f, e.target.value)}
                className="num"
                size="small"
              />
            ),
          })),
          {
            title: hidden('Take the row out'),
            render: (_, { i }) => (
              <Button
                aria-label={`Take out row ${i + 1}`}
                disabled={rows.length === 1}
                onClick={() => set({ rows: rows.filter((_, n) => n !== i) })}
                size="small"
              >
                −
              </Button>
            ),
          },
        ]}
      />
      <div className={style.formrow}>
        <Button onClick={() => set({ rows: [...rows, { radius: rows[rows.length - 1]?.radius ?? '', angle: '', value: '' }] })} size="small">
          One more row
        </Button>
        <span className="grow" />
        <Button onClick={close}>Leave it</Button>
        <Button disabled={!table} type="primary" htmlType="submit">
          Keep the table
        </Button>
      </div>
    </form>
  );
}
