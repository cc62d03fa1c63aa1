'use client';
import { Button, Input, InputNumber, Select, Table } from 'antd';
import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { fieldLength } from 'tall-kite/base/lengths';
import { densityOf, type Material, type Thickness } from 'tall-kite/materials/materials';
import { isBender } from 'tall-kite/receivers/receivers';
import type { StoredBends } from '@tall-kite/server/stores/bends';
import type { StoredMaterial } from '@tall-kite/server/stores/materials';
import { typedNumber } from '@/flat-table/panels/recipe.ts';
import { ask, Refused } from '@/shell/ask.ts';
import { Notice, type Told } from './Notice.tsx';
import { Choice, hidden } from '@/shell/controls.tsx';
import { LengthInput } from '@/shell/LengthInput.tsx';
import { useLengths } from '@/shell/unit.tsx';
import { useReceivers } from './useReceivers.ts';
import { useStoredMaterials } from './useMaterials.ts';
import frame from '@/shell/frame.module.css';
import widths from '@/shell/widths.module.css';
import style from './stores.module.css';

/** What parts are made of: what it weighs, in which thicknesses it comes, how it bends and springs back. */
export function Materials() {
  const client = useQueryClient();
  const stored = useStoredMaterials();
  const tables = useQuery({ queryKey: ['bends'], queryFn: () => ask<StoredBends[]>('/api/stores/bends') });
  const [editing, setEditing] = useState<string | 'new' | null>(null);
  const [notice, setNotice] = useState<Told | null>(null);
  const guarded = async (work: () => Promise<unknown>, after: Told | null = null) => {
    try {
      await work();
      setNotice(after);
      return true;
    } catch (thrown) {
      setNotice({ message: (thrown as Error).message, remedy: thrown instanceof Refused ? thrown.remedy : 'Try again.' });
      return false;
    } finally {
      await client.invalidateQueries({ queryKey: ['materials'] });
    }
  };
  const save = (m: StoredMaterial | null) => async (material: Material) => {
    const done = await guarded(() =>
      m
        ? ask(`/api/stores/materials/${m.id}`, { method: 'PUT', body: { version: m.version, material } })
        : ask('/api/stores/materials', { method: 'POST', body: material }),
    );
    if (done) setEditing(null);
  };
  const remove = ({ id, material }: StoredMaterial) =>
    void guarded(() => ask(`/api/stores/materials/${id}`, { method: 'DELETE' }), {
      message: `"${material.name}" was taken away.`,
      remedy: 'Parts keep the name of what they are made of.',
      undo: () => void guarded(() => ask(`/api/stores/materials/${id}`, { method: 'POST' })),
    });
  const form = (m: StoredMaterial | null) => (
    <MaterialForm key={m?.id ?? 'new'} start={m?.material ?? null} tables={tables.data ?? []} save={save(m)} close={() => setEditing(null)} />
  );
  const list = stored.data ?? [];
  const changed = list.find((m) => m.id === editing);
  return (
    <>
      <div className={frame.title}>
        <span className="context">What parts are made of: weights, cut lists, unfolding and bending take it from here by its name.</span>
        <span className={frame.right}>
          <Button type="primary" onClick={() => setEditing('new')}>
            New material
          </Button>
        </span>
      </div>
      <Notice told={notice} close={() => setNotice(null)} />
      {editing === 'new' && form(null)}
      {changed && form(changed)}
      {stored.isPending && <p className="context">Fetching the stores …</p>}
      {stored.isError && <p className="c-stop">The stores could not be fetched. {(stored.error as Refused).remedy}</p>}
      {stored.data && list.length === 0 && editing === null && (
        <div className={frame.empty}>
          <h2>No materials yet</h2>
          <p>Put in what you cut, bend and print from. Until then weights come from a handbook’s values for the common words, such as plywood or steel.</p>
        </div>
      )}
      {list.length > 0 && <Listed list={list} tables={tables.data ?? []} change={setEditing} remove={remove} />}
    </>
  );
}

const tolerance = ({ minus, plus }: Thickness, len: (mm: number) => string): string =>
  minus === 0 && plus === 0 ? '' : minus === plus ? ` ± ${len(plus)}` : ` −${len(minus)} +${len(plus)}`;

/** Machines whose rules of springback name a material, with the radii of their dies. */
function useSprings(): (m: Material) => string[] {
  const benders = useReceivers().filter(isBender);
  return (m) => {
    const names = new Set([m.name, ...m.also].map((n) => n.trim().toLowerCase()));
    return benders.flatMap((b) => {
      const count = b.bender.rules.filter((r) => names.has(r.material.trim().toLowerCase())).length;
      return count === 0 ? [] : [`${b.name}, ${count} ${count === 1 ? 'die' : 'dies'}`];
    });
  };
}

function Listed({
  list,
  tables,
  change,
  remove,
}: {
  list: StoredMaterial[];
  tables: StoredBends[];
  change: (id: string) => void;
  remove: (m: StoredMaterial) => void;
}) {
  const { unit } = useLengths();
  // To the last digit: it is what was typed.
  const len = (mm: number) => `${fieldLength(mm, unit)} ${unit}`;
  const springs = useSprings();
  const none = <span className="context">none</span>;
  return (
    <div className={frame.scroll} tabIndex={0} role="group" aria-label="Materials" data-test="materials">
      <Table
        size="small"
        pagination={false}
        rowKey="id"
        dataSource={list}
        columns={[
          {
            title: 'name',
            render: (_, { material: m }) => (
              <>
                <b>{m.name}</b>
                {m.also.length > 0 && <span className="context"> also {m.also.join(', ')}</span>}
              </>
            ),
          },
          {
            title: 'density, g/cm³',
            align: 'right',
            render: (_, { material: m }) => (m.density === null ? none : <span className="figure">{m.density}</span>),
          },
          {
            title: 'comes in',
            render: (_, { material: m }) =>
              m.comes.length === 0 ? (
                <span className="context">any thickness</span>
              ) : (
                <span className="figure">{m.comes.map((t) => `${len(t.thickness)}${tolerance(t, len)}`).join('; ')}</span>
              ),
          },
          { title: 'bend table', render: (_, { material: m }) => tables.find((t) => t.id === m.bends)?.table.name ?? none },
          { title: 'springback of tubes', render: (_, { material: m }) => springs(m).join('; ') || none },
          {
            title: 'used',
            render: (_, m) =>
              m.parts === 0 ? (
                none
              ) : (
                <span className="nowrap">{`${m.parts} ${m.parts === 1 ? 'part' : 'parts'}, ${m.jobs} ${m.jobs === 1 ? 'job' : 'jobs'}`}</span>
              ),
          },
          {
            title: hidden('What to do'),
            align: 'right',
            render: (_, m) => (
              <span className="nowrap">
                <Button size="small" onClick={() => change(m.id)} aria-label={`Change ${m.material.name}`}>
                  Change
                </Button>{' '}
                <Button size="small" onClick={() => remove(m)} aria-label={`Take ${m.material.name} away`}>
                  Take away
                </Button>
              </span>
            ),
          },
        ]}
      />
    </div>
  );
}

type Row = Record<keyof Thickness, string>;
const emptyRow: Row = { thickness: '', minus: '0', plus: '0' };
const rowOf = (t: Thickness): Row => ({ thickness: String(t.thickness), minus: String(t.minus), plus: String(t.plus) });

/** What was typed as a thickness; null when it can not be. */
function thicknessOf(row: Row): Thickness | null {
  const [thickness, minus, plus] = [row.thickness, row.minus, row.plus].map(typedNumber);
  if (thickness === null || minus === null || plus === null) return null;
  return thickness > 0 && thickness <= 1000 && minus >= 0 && minus < thickness && plus >= 0 && plus <= 100 ? { thickness, minus, plus } : null;
}

/** Which field of a row is wrong; empty when it is none. */
function wrongOf(row: Row): keyof Row | '' {
  if (thicknessOf(row)) return '';
  if (!thicknessOf({ ...row, minus: '0', plus: '0' })) return 'thickness';
  return thicknessOf({ ...row, plus: '0' }) ? 'plus' : 'minus';
}

function Thicknesses({ rows, set }: { rows: Row[]; set: (rows: Row[]) => void }) {
  const put = (i: number, key: keyof Row, v: string) => set(rows.map((r, k) => (k === i ? { ...r, [key]: v } : r)));
  return rows.map((r, i) => (
    <div className={style.formrow} key={i}>
      <label>
        Thickness <LengthInput value={r.thickness} invalid={wrongOf(r) === 'thickness'} onChange={(v) => put(i, 'thickness', v)} />
      </label>
      <label>
        thinner by up to <LengthInput value={r.minus} invalid={wrongOf(r) === 'minus'} onChange={(v) => put(i, 'minus', v)} />
      </label>
      <label>
        thicker by up to <LengthInput value={r.plus} invalid={wrongOf(r) === 'plus'} onChange={(v) => put(i, 'plus', v)} />
      </label>
      <Button size="small" onClick={() => set(rows.filter((_, k) => k !== i))} aria-label={`Take thickness ${i + 1} out`}>
        Take out
      </Button>
    </div>
  ));
}

/** A material that is begun. */
const nothing: Material = { name: '', also: [], density: null, comes: [], bends: null };

function MaterialForm({
  start,
  tables,
  save,
  close,
}: {
  start: Material | null;
  tables: StoredBends[];
  save: (m: Material) => Promise<void>;
  close: () => void;
}) {
  const from = start ?? nothing;
  const [name, setName] = useState(from.name);
  const [also, setAlso] = useState(from.also);
  const [density, setDensity] = useState(from.density);
  const [bends, setBends] = useState(from.bends ?? '');
  const [rows, setRows] = useState(from.comes.map(rowOf));
  const comes = rows.map(thicknessOf);
  const bad = comes.map((t) => t === null);
  const twice = new Set([name, ...also].map((n) => n.trim().toLowerCase())).size < also.length + 1;
  const valid = name.trim() !== '' && !twice && !bad.includes(true);
  const usual = densityOf(name);
  return (
    <form
      className={style.stored}
      aria-label={start ? `Change ${start.name}` : 'New material'}
      onSubmit={(e) => {
        e.preventDefault();
        if (!valid) return;
        void save({
          name: name.trim(),
          also: also.map((a) => a.trim()),
          density,
          comes: comes as Thickness[],
          bends: bends === '' ? null : bends,
        });
      }}
    >
      <div className={style.formrow}>
        <label>
          Name <Input size="small" value={name} maxLength={60} autoFocus onChange={(e) => setName(e.target.value)} />
        </label>
        <label>
          Also called{' '}
          <Select
            mode="tags"
            size="small"
            open={false}
            suffixIcon={null}
            className={widths.w220}
            tokenSeparators={[',', ';']}
            placeholder="other names, by commas"
            value={also}
            onChange={(v: string[]) => setAlso(v.map((a) => a.trim().slice(0, 60)).filter(Boolean).slice(0, 20))} // prettier-ignore
            aria-label="Also called"
          />
        </label>
        <label>
          Density{' '}
          <InputNumber
            size="small"
            min={0.01}
            max={30}
            value={density}
            onChange={setDensity}
            placeholder={usual === null ? '' : String(usual)}
            className={widths.w80}
            aria-label="Density, g/cm³"
          />{' '}
          g/cm³
        </label>
        <label>
          Bend table{' '}
          <Choice
            label="Bend table"
            value={bends}
            onChange={setBends}
            options={[{ value: '', label: 'none' }, ...tables.map((t) => ({ value: t.id, label: t.table.name }))]}
          />
        </label>
      </div>
      <Thicknesses rows={rows} set={setRows} />
      {twice && <p className="c-stop">It is called the same twice.</p>}
      <div className={style.formrow}>
        <Button size="small" disabled={rows.length >= 60} onClick={() => setRows([...rows, emptyRow])}>
          {rows.length === 0 ? 'It comes in one thickness …' : 'One thickness more'}
        </Button>
        <span className="grow" />
        <Button onClick={close}>Leave it</Button>
        <Button type="primary" htmlType="submit" disabled={!valid}>
          Keep it
        </Button>
      </div>
    </form>
  );
}
