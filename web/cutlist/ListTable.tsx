'use client';
import { Button, Checkbox, Input, Popover, Table, Upload, type TableColumnsType } from 'antd';
import { useState, type ReactNode } from 'react';
import { cutListCsv, listedEdits, readCutList, totalsCsv, type ListedRow } from 'tall-kite/cutlist/csv';
import { grains, totalsOf, workText, type Bands, type CutRow, type Grain } from 'tall-kite/cutlist/row';
import { MarkShape } from '@/marks/Mark.tsx';
import { mostTyped, typedFrom, typedKey, typedSizes } from 'tall-kite/cutlist/typed';
import { Choice, hidden } from '@/shell/controls.tsx';
import { shownLength, type PersonUnit } from 'tall-kite/base/lengths';
import { LengthInput } from '@/shell/LengthInput.tsx';
import { useLengths } from '@/shell/unit.tsx';
import { RowThumb } from './RowThumb.tsx';
import type { CutListTools } from './useCutList.ts';
import widths from '@/shell/widths.module.css';
import style from './cutlist.module.css';

/** The cut list as a table: what a person may change is typed in its place. */
export function ListTable({ list, name }: { list: CutListTools; name: string }) {
  const { unit } = useLengths();
  const { all, rows, edits } = list;
  const totals = totalsOf(rows);
  const columns = columnsOf(list, unit);
  return (
    <div className={style.list}>
      <div className={style.bar}>
        <Button
          size="small"
          data-test="add-panel"
          onClick={() => list.addTyped([{ number: '', name: `panel ${list.typed.length + 1}`, length: 600, width: 300, quantity: 1 }])}
        >
          Add a panel
        </Button>
        <CsvOut rows={rows} name={name} />
        <CsvIn list={list} />
        <Button size="small" onClick={() => window.print()}>
          Print the list
        </Button>
      </div>
      <Table<CutRow>
        rowKey="key"
        size="small"
        columns={columns}
        dataSource={all}
        pagination={all.length > 100 ? { pageSize: 100, showSizeChanger: false } : false}
        rowClassName={(row) => (edits[row.key]?.leftOut ? style.out : row.kind === 'other' ? style.other : '')}
        scroll={{ x: 1180 }}
        locale={{ emptyText: 'No parts' }}
      />
      <dl className={style.totals} aria-label="Totals">
        {totals.map((t) => (
          <div key={t.stock}>
            <dt>{t.stock}</dt>
            <dd>
              <span className="figure">{t.pieces}</span> pieces, <span className="figure">{t.area.toFixed(3)} m²</span>
              {t.weight !== null && (
                <>
                  , <span className="figure">{t.weight.toFixed(2)} kg</span>
                </>
              )}
              {t.band > 0 && (
                <>
                  , <span className="figure">{t.band.toFixed(2)} m</span> of edge band
                </>
              )}
            </dd>
          </div>
        ))}
      </dl>
    </div>
  );
}

/** What stands in the columns; lengths in the person's unit. */
function columnsOf(list: CutListTools, unit: PersonUnit): TableColumnsType<CutRow> {
  const { all, edits } = list;
  const size = (mm: number | null) => <span className={`figure ${style.one}`}>{mm === null ? '–' : shownLength(mm, unit)}</span>;
  const typed = new Map(list.typed.map((p) => [typedKey(p.id), p]));
  const side = (row: CutRow, which: 'length' | 'width') => {
    const panel = typed.get(row.key);
    if (!panel) return size(row[which]);
    const set = (mm: number) => mm >= typedSizes.least && mm <= typedSizes.most && mm !== panel[which] && list.sizeTyped(panel.id, { [which]: mm });
    return <LengthInput bare width={66} label={`${which === 'length' ? 'Length' : 'Width'} of ${row.name}`} value={String(panel[which])} onChange={(v) => set(Number(v))} />; // prettier-ignore
  };
  const names = new Map(all.map((r) => [r.key, r.name]));
  const text = (key: 'number' | 'name' | 'material' | 'notes', width: number, label: string) => (row: CutRow) => <Typed value={row[key]} label={`${label} of ${row.name}`} width={width} placeholder={key === 'notes' ? 'add a note' : undefined} set={(v) => list.edit(row.key, { [key]: v })} />; // prettier-ignore
  return [
    {
      title: hidden('In the list or left out'),
      width: 34,
      render: (_, row) => <Checkbox aria-label={`Take ${row.name}`} checked={!edits[row.key]?.leftOut} onChange={(e) => list.edit(row.key, { leftOut: !e.target.checked })} />, // prettier-ignore
    },
    { title: hidden('Picture'), width: 60, render: (_, row) => <RowThumb row={row} /> },
    { title: 'Number', width: 84, render: (_, row) => text('number', 72, 'Number')(row) },
    {
      title: 'Name',
      width: 156,
      render: (_, row) => (
        <>
          {text('name', 140, 'Name')(row)}
          {row.members.length > 1 && <div className={style.small}>{row.members.length} equal parts</div>}
          {typed.has(row.key) && (
            <div className={style.small}>
              typed sizes{' '}
              <Button size="small" type="link" className={style.drop} onClick={() => list.dropTyped(typed.get(row.key)!.id)}>
                Drop it
              </Button>
            </div>
          )}
          {row.mirrorOf && <div className={style.small}>mirror image of {names.get(row.mirrorOf) ?? 'another'}</div>}
        </>
      ),
    },
    { title: 'Pieces', width: 66, align: 'right', render: (_, row) => <Pieces row={row} set={(quantity) => list.edit(row.key, { quantity })} /> },
    { title: 'Material', width: 118, render: (_, row) => text('material', 104, 'Material')(row) },
    {
      title: `Thickness, ${unit}`,
      width: 92,
      align: 'right',
      render: (_, row) =>
        row.kind === 'panel' && row.volume === null ? (
          <LengthInput bare width={70} placeholder="any" label={`Thickness of ${row.name}`} value={row.thickness === null ? '' : String(row.thickness)} onChange={(v) => Number(v) > 0 && list.edit(row.key, { thickness: Number(v) })} />
        ) : (
          size(row.thickness)
        ), // prettier-ignore
    },
    { title: `Length, ${unit}`, width: 84, align: 'right', render: (_, row) => side(row, 'length') },
    { title: `Width, ${unit}`, width: 84, align: 'right', render: (_, row) => side(row, 'width') },
    {
      title: 'Grain',
      width: 94,
      render: (_, row) => (row.kind === 'panel' ? <Choice label={`Grain of ${row.name}`} value={row.grain} onChange={(g) => list.edit(row.key, { grain: g as Grain })} options={grains.map((g) => ({ value: g, label: g === 'none' ? 'none' : `along ${g}` }))} /> : null), // prettier-ignore
    },
    {
      title: 'Edge bands, laid',
      width: 104,
      render: (_, row) =>
        row.kind === 'panel' ? (
          <div className={style.stacked}>
            <BandsOf row={row} set={(bands) => list.edit(row.key, { bands })} />
            <LaidOf row={row} list={list} />
          </div>
        ) : null,
    },
    {
      title: 'Worked on it, notes',
      render: (_, row) => (
        <>
          {row.why ? <span><b>Not cut here.</b> {row.why}</span> : <span>{workText(row) || <span className="context">nothing but its outline</span>}</span>}
          {row.findings.filter((f) => f.severity !== 'clear' && f.code !== 'edge-holes').map((f) => <div key={f.code + f.message} className={style.small}><MarkShape mark={f.severity} size={10} /> {f.message}</div>)}
          {text('notes', 200, 'Notes')(row)}
        </>
      ), // prettier-ignore
    },
  ];
}

/** A cell that is typed; kept when it is left. */
function Typed({
  value,
  label,
  width,
  placeholder,
  set,
}: {
  value: string;
  label: string;
  width: number;
  placeholder?: string;
  set: (v: string) => void;
}): ReactNode {
  return <Input key={value} defaultValue={value} aria-label={label} placeholder={placeholder} size="small" variant="borderless" className={style.cell} style={{ width }} onBlur={(e) => e.target.value !== value && set(e.target.value.trim())} onPressEnter={(e) => e.currentTarget.blur()} />; // prettier-ignore
}

function Pieces({ row, set }: { row: CutRow; set: (n: number) => void }) {
  const leave = (typed: string) => {
    const n = Number(typed);
    if (Number.isInteger(n) && n >= 0 && n <= 100_000 && n !== row.quantity) set(n);
  };
  return <Input key={row.quantity} defaultValue={row.quantity} inputMode="numeric" aria-label={`Pieces of ${row.name}`} size="small" variant="borderless" className={`${style.cell} num ${widths.w50}`} onBlur={(e) => leave(e.target.value)} onPressEnter={(e) => e.currentTarget.blur()} />; // prettier-ignore
}

const sides = ['front', 'back', 'left', 'right'] as const;

/** Which edges get a band, and of what. */
function BandsOf({ row, set }: { row: CutRow; set: (bands: Bands) => void }) {
  const on = sides.filter((s) => row.bands[s] !== '');
  const form = (
    <div className={style.bands}>
      {sides.map((s) => (
        <label key={s}>
          {s} <Input size="small" defaultValue={row.bands[s]} placeholder="none" aria-label={`Band ${s} of ${row.name}`} onBlur={(e) => e.target.value !== row.bands[s] && set({ ...row.bands, [s]: e.target.value.trim() })} />
        </label>
      ))}
      <span className="context">Front and back run along its length. Type what it is, as oak 0.8.</span>
    </div>
  ); // prettier-ignore
  return (
    <Popover content={form} trigger="click" destroyOnHidden>
      <Button size="small" type="text" aria-label={`Edge bands of ${row.name}`}>
        {on.length === 0 ? 'no bands' : on.map((s) => s[0].toUpperCase()).join(' ')}
      </Button>
    </Popover>
  );
}

/** Whether a row is laid before the others, and on which sheets only. */
function LaidOf({ row, list }: { row: CutRow; list: CutListTools }) {
  const { choice, choose } = list;
  const first = (choice.priority[row.key] ?? 0) > 0;
  const only = choice.only[row.key] ?? '';
  const names = [...new Set(choice.sheets.map((s) => s.name))];
  const without = <T,>({ [row.key]: _, ...rest }: Record<string, T>) => rest;
  const form = (
    <div className={style.laid}>
      <Checkbox checked={first} onChange={(e) => choose({ priority: e.target.checked ? { ...choice.priority, [row.key]: 1 } : without(choice.priority) })}>
        before the others
      </Checkbox>
      <label>
        on{' '}
        <Choice
          label={`Sheets of ${row.name}`}
          value={names.includes(only) ? only : ''}
          onChange={(name) => choose({ only: name === '' ? without(choice.only) : { ...choice.only, [row.key]: name } })}
          options={[{ value: '', label: 'any sheet' }, ...names.map((name) => ({ value: name, label: `${name} only` }))]}
        />
      </label>
    </div>
  ); // prettier-ignore
  const said = [...(first ? ['first'] : []), ...(only === '' ? [] : [`on ${only}`])].join(', ');
  return (
    <Popover content={form} trigger="click" destroyOnHidden>
      <Button size="small" type="text" aria-label={`How ${row.name} is laid`}>
        {said || 'anywhere'}
      </Button>
    </Popover>
  );
}

function save(name: string, text: string): void {
  const link = document.createElement('a');
  link.href = URL.createObjectURL(new Blob([text], { type: 'text/csv' }));
  link.download = name;
  link.click();
  URL.revokeObjectURL(link.href);
}

/** The list as a file, in the way that a country's spreadsheets take it. */
function CsvOut({ rows, name }: { rows: CutRow[]; name: string }) {
  const [comma, setComma] = useState(false);
  return (
    <>
      <Button size="small" data-test="csv-out" onClick={() => save(`${name}_cut-list.csv`, cutListCsv(rows, { comma, mark: comma }))}>
        List as CSV
      </Button>
      <Button size="small" onClick={() => save(`${name}_totals.csv`, totalsCsv(rows))}>
        Totals as CSV
      </Button>
      <Checkbox checked={comma} onChange={(e) => setComma(e.target.checked)}>
        decimal comma
      </Checkbox>
    </>
  );
}

/** How many panels came onto the list, and how many found no room on it. */
const addedText = (wanted: number, room: number) =>
  wanted <= room
    ? { mark: 'clear' as const, text: `${wanted} added to the list.` }
    : { mark: 'look' as const, text: `${room} added; ${wanted - room} left out: a list takes ${mostTyped.toLocaleString('en')} panels of typed sizes.` };

/** Quantities, materials, grain and notes from a file. */
function CsvIn({ list }: { list: CutListTools }) {
  const [told, setTold] = useState<{ mark: 'clear' | 'look' | 'stop'; text: string; own?: ListedRow[] } | null>(null);
  const take = async (file: File) => {
    try {
      if (file.size > 5e6) throw new Error('It is too large for a list.');
      const { rows, bad } = readCutList(await file.text());
      const { edits, unknown } = listedEdits(list.all, rows);
      list.editMany(edits);
      const own = unknown.filter((u) => typedFrom([u]).panels.length > 0);
      const odd = [...bad.map((b) => `line ${b.line}: ${b.why}`), ...(unknown.length > 0 ? [`no part answers to ${unknown.slice(0, 4).map((u) => u.number || u.name).join(', ')}`] : [])]; // prettier-ignore
      setTold({
        own,
        mark: odd.length > 0 ? 'look' : 'clear',
        text: `${edits.size} rows filled.${odd.length > 0 ? ` Not taken: ${odd.slice(0, 4).join('; ')}.` : ''}`,
      });
    } catch (thrown) {
      setTold({ mark: 'stop', text: `"${file.name}" was not taken. ${(thrown as Error).message}` });
    }
  };
  return (
    <>
      <Upload accept=".csv,.txt,text/csv" showUploadList={false} beforeUpload={(file) => (void take(file), false)} data-test="csv-in">
        <Button size="small">List in…</Button>
      </Upload>
      {told && (
        <span role="status">
          <MarkShape mark={told.mark} size={11} /> {told.text}{' '}
          {told.own && told.own.length > 0 && (
            <Button size="small" onClick={() => (list.addTyped(told.own!), setTold(addedText(told.own!.length, mostTyped - list.typed.length)))}>
              Add {told.own.length} as {told.own.length === 1 ? 'a panel' : 'panels'} of {told.own.length === 1 ? 'its' : 'their'} sizes
            </Button>
          )}
        </span>
      )}
    </>
  );
}
