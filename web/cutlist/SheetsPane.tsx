'use client';
import { Button, Checkbox, Progress } from 'antd';
import { useMemo, useState } from 'react';
import { afterMoving } from 'tall-kite/cutlist/by-hand';
import type { Nest, NestedPart, Remnant } from 'tall-kite/cutlist/nested';
import { Files } from '@/join/Files.tsx';
import { MarkShape } from '@/marks/Mark.tsx';
import type { JobTools } from '@/shell/useJob.ts';
import { useLengths } from '@/shell/unit.tsx';
import { ask } from '@/shell/ask.ts';
import { useReceivers } from '@/stores/useReceivers.ts';
import { NestSettings } from './NestSettings.tsx';
import { SheetPicture } from './SheetPicture.tsx';
import { Choice } from '@/shell/controls.tsx';
import { aboutOf, type CutListTools } from './useCutList.ts';
import { pushed, useClashes, useNest } from './useNest.ts';
import desk from '@/shell/desk.module.css';
import frame from '@/shell/frame.module.css';
import style from './cutlist.module.css';

/** What is shown of a nest, and what can be done to it. */
function useSheets(list: CutListTools) {
  const { rows, choice, laid } = list;
  const { searching, failed, search, stop } = useNest();
  const [at, setAt] = useState(0);
  const [chosen, setChosen] = useState<number | null>(null);
  const shown: Nest | null = searching ? searching.best : laid;
  const number = shown && shown.sheets.length > 0 ? Math.min(at, shown.sheets.length - 1) : 0;
  const sheet = shown?.sheets[number] ?? null;
  const clashes = useClashes(rows, searching ? null : (laid?.sheets ?? null), choice);
  const wrong = (clashes ?? []).reduce((n, c) => n + c.pairs.length + c.off.length, 0);
  const stale = useMemo(() => (laid ? differs(laid, rows) : null), [laid, rows]);
  const locked = (laid?.sheets ?? []).flatMap((s, i) => s.parts.flatMap((p) => (p.locked ? [{ ...p, sheet: i, kind: s.kind }] : [])));
  const part = chosen === null ? null : (sheet?.parts[chosen] ?? null);
  const find = async () => {
    setChosen(null);
    const nest = await search(rows, choice, choice.saw ? [] : locked);
    if (nest) list.lay(nest);
    setAt(0);
  };
  const put = (sheets: Nest['sheets']) => laid && list.lay(afterMoving(rows, { ...laid, sheets }, choice));
  const changePart = (i: number, by: (p: NestedPart) => NestedPart) =>
    void put(laid!.sheets.map((s, k) => (k === number ? { ...s, parts: s.parts.map((p, j) => (j === i ? by(p) : p)) } : s)));
  const toNext = () => {
    if (chosen === null || !laid || !part) return;
    const to = (number + 1) % laid.sheets.length;
    put(laid.sheets.map((s, k) => (k === number ? { ...s, parts: s.parts.filter((_, j) => j !== chosen) } : k === to ? { ...s, parts: [...s.parts, part] } : s))); // prettier-ignore
    setChosen(null);
  };
  const push = async () => {
    if (!laid) return;
    const [after] = await pushed(rows, [laid.sheets[number]], choice);
    put(laid.sheets.map((s, k) => (k === number ? after : s)));
  };
  const turn = () => {
    const row = part && rows.find((r) => r.key === part.row);
    if (chosen !== null && row) changePart(chosen, (p) => turned(p, row.length, row.width));
  };
  return { searching, failed, stop, shown, sheet, number, show: (i: number) => (setAt(i), setChosen(null)), chosen, setChosen, part, clashes, wrong, stale, find, changePart, toNext, turn, push }; // prettier-ignore
}
type Sheets = ReturnType<typeof useSheets>;

/** Panels on sheets: searched for with the picture growing, moved by hand, written and read back. */
export function SheetsPane({ list, tools }: { list: CutListTools; tools: JobTools }) {
  const { rows, choice, laid, parts } = list;
  const it = useSheets(list);
  const { searching, shown, sheet, number } = it;
  const bad = badOn(it);
  const move = (i: number, dx: number, dy: number) => it.changePart(i, (p) => ({ ...p, x: p.x + dx, y: p.y + dy }));
  const empty = searching ? 'Laying parts on sheets …' : 'Nothing is laid yet. Choose sheets and spacing, then lay the parts out.';
  return (
    <div className={desk.table}>
      <div className={`${desk.stage} ${desk.bedstage}`}>
        <SheetBar it={it} list={list} />
        {sheet ? (
          <SheetPicture
            sheet={sheet}
            rows={rows}
            remnants={shown!.remnants.filter((r) => r.sheet === number)}
            bad={bad}
            chosen={it.chosen}
            choose={it.setChosen}
            move={choice.saw || searching ? null : move}
            rim={choice.saw ? choice.saw.trim : choice.rim}
          />
        ) : (
          <p className={`context ${frame.waiting}`}>{empty}</p>
        )}
      </div>
      <aside className={desk.panel} data-test="panel" aria-label="Sheets and spacing" tabIndex={0}>
        {searching ? (
          <div className={desk.row}>
            <Progress percent={Math.round(searching.share * 100)} size="small" aria-label="Search" />
            <Button size="small" onClick={it.stop} data-test="stop-nest">
              Stop, keep the best
            </Button>
          </div>
        ) : (
          <Button type="primary" onClick={() => void it.find()} data-test="lay-out">
            {laid ? 'Lay out again' : 'Lay the parts out'}
          </Button>
        )}
        <Told it={it} rows={rows} />
        {!searching && shown && <LeftOver shown={shown} number={number} rows={rows} tools={tools} />}
        <NestSettings list={list} />
        <Write
          list={list}
          tools={tools}
          ready={!!laid && !searching && it.wrong === 0 && !it.stale}
          about={Object.fromEntries(parts.map((p) => [p.id, aboutOf(p)]))}
        />
        <Files operations={tools.job!.operations.filter((o) => o.kind === 'nest')} tools={tools} />
      </aside>
    </div>
  );
}

/** Parts of the sheet that clash with something. */
function badOn({ clashes, number }: Sheets): Set<number> {
  const here = clashes?.[number];
  return new Set([...(here?.pairs.flat() ?? []), ...(here?.off ?? [])]);
}

/** Which sheet is shown, and what can be done to the part that is chosen. */
function SheetBar({ it, list }: { it: Sheets; list: CutListTools }) {
  const { lens } = useLengths();
  const { sheet, shown, part, clashes } = it;
  const byHand = !list.choice.saw && !it.searching;
  const odd = (i: number) => (clashes?.[i]?.pairs.length ?? 0) + (clashes?.[i]?.off.length ?? 0) > 0;
  const toChosen = !part || !byHand;
  const lock = () => it.chosen !== null && it.changePart(it.chosen, (p) => ({ ...p, locked: !p.locked }));
  return (
    <div className={`${desk.bedtabs} ${style.tabs}`} role="group" aria-label="Sheets">
      {(shown?.sheets ?? []).map((s, i) => (
        <Button key={i} size="small" aria-pressed={i === it.number} onClick={() => it.show(i)}>
          {i + 1}: {s.stock} {odd(i) && <MarkShape mark="stop" size={9} />}
        </Button>
      ))}
      {sheet && (
        <span className="context">
          <span className="figure">{sheet.parts.length}</span> {sheet.parts.length === 1 ? 'part' : 'parts'},{' '}
          <span className="figure">{(sheet.density * 100).toFixed(1)} %</span> of <span className="figure">{lens([sheet.width, sheet.height])}</span>
        </span>
      )}
      <span className={style.acts}>
        <Button size="small" disabled={toChosen} onClick={it.turn}>
          Turn 90°
        </Button>
        <Button size="small" disabled={toChosen} aria-pressed={part?.locked ?? false} onClick={lock}>
          {part?.locked ? 'Unlock' : 'Lock'}
        </Button>
        <Button size="small" disabled={toChosen || (shown?.sheets.length ?? 0) < 2} onClick={it.toNext}>
          To the next sheet
        </Button>
        <Button size="small" disabled={!byHand || !sheet} onClick={() => void it.push()}>
          Push together
        </Button>
        <Button size="small" disabled={!list.canUndo} onClick={list.undo}>
          Undo
        </Button>
      </span>
    </div>
  );
}

const placed = ({ sheets }: Nest): number => sheets.reduce((n, s) => n + s.parts.length, 0);

/** How it stands: parts, sheets, density, and what is wrong. */
function Told({ it, rows }: { it: Sheets; rows: CutListTools['rows'] }) {
  const { shown, wrong, stale, searching, failed } = it;
  const mark = wrong > 0 || (shown?.notPlaced.length ?? 0) > 0 ? 'stop' : stale ? 'look' : 'clear';
  return (
    <>
      {failed && (
        <p className={style.off} role="alert">
          {failed.message} <span className="context">{failed.remedy}</span>
        </p>
      )}
      {shown && (
        <p role="status" data-test="nest-figures">
          <MarkShape mark={mark} size={12} /> <span className="figure">{placed(shown)}</span> {placed(shown) === 1 ? 'part' : 'parts'} on{' '}
          <span className="figure">{shown.sheets.length}</span> {shown.sheets.length === 1 ? 'sheet' : 'sheets'},{' '}
          <span className="figure">{(shown.density * 100).toFixed(1)} %</span> of what is used.
          {wrong > 0 && ` ${wrong} ${wrong === 1 ? 'place is' : 'places are'} too near or off the sheet.`}
        </p>
      )}
      {stale && !searching && <p className={style.off}>{stale} Lay out again.</p>}
      {shown?.notPlaced.map((n) => (
        <p key={n.row} className={style.off} data-test="not-placed">
          {n.copies} × {rows.find((r) => r.key === n.row)?.name ?? 'a part'} on no sheet. <span className="context">{n.why}</span>
        </p>
      ))}
    </>
  );
}

/** What is left of a sheet can be kept and used again. */
function LeftOver({ shown, number, rows, tools }: { shown: Nest; number: number; rows: CutListTools['rows']; tools: JobTools }) {
  const { lens } = useLengths();
  const [kept, setKept] = useState<ReadonlySet<string>>(new Set());
  const sheet = shown.sheets[number];
  const row = rows.find((r) => r.key === sheet?.parts[0]?.row);
  const keep = (r: Remnant, key: string) =>
    void tools.guarded(async () => {
      const body = { name: `rest of ${sheet.stock}`.slice(0, 60), width: round(r.width), height: round(r.height), copies: 1, price: null, remnant: true, material: row?.material ?? '', thickness: row?.thickness ?? null, outline: null }; // prettier-ignore
      await ask('/api/stores/sheets', { method: 'POST', body });
      setKept(new Set([...kept, key]));
    });
  return shown.remnants
    .filter((r) => r.sheet === number)
    .map((r) => {
      const key = `${number} ${r.x} ${r.y} ${r.width}`;
      return (
        <div key={key} className={desk.row}>
          <span>
            Left over <span className="figure">{lens([r.width, r.height])}</span>
          </span>
          <Button size="small" disabled={kept.has(key)} onClick={() => keep(r, key)}>
            {kept.has(key) ? 'Kept' : 'Keep in the stores'}
          </Button>
        </div>
      );
    });
}

const round = (v: number): number => Math.floor(v * 10) / 10;

/** A part turned by a quarter about its middle. */
function turned(p: NestedPart, length: number, width: number): NestedPart {
  const at = (q: NestedPart) => {
    const a = (q.turn * Math.PI) / 180;
    const side = q.mirrored ? -1 : 1;
    const [mx, my] = [(side * length) / 2, width / 2];
    return [Math.cos(a) * mx - Math.sin(a) * my, Math.sin(a) * mx + Math.cos(a) * my];
  };
  const next = { ...p, turn: (p.turn + 90) % 360 };
  const [from, to] = [at(p), at(next)];
  return { ...next, x: Math.round((p.x + from[0] - to[0]) * 1e6) / 1e6, y: Math.round((p.y + from[1] - to[1]) * 1e6) / 1e6 };
}

/** What the list says otherwise than what is laid, in a sentence; null when they agree. */
function differs(laid: Nest, rows: CutListTools['rows']): string | null {
  const got = new Map<string, number>();
  for (const s of laid.sheets) for (const p of s.parts) got.set(p.row, (got.get(p.row) ?? 0) + 1);
  for (const n of laid.notPlaced) got.set(n.row, (got.get(n.row) ?? 0) + n.copies);
  const panels = rows.filter((r) => r.kind === 'panel');
  const other = panels.find((r) => (got.get(r.key) ?? 0) !== r.quantity);
  if (other) return `The list wants ${other.quantity} of ${other.name}, and ${got.get(other.key) ?? 0} are laid.`;
  const gone = [...got.keys()].find((k) => !panels.some((r) => r.key === k));
  return gone ? 'A part that is laid is not on the list any more.' : null;
}

/** The machine, the format, and the files. */
function Write({ list, tools, ready, about }: { list: CutListTools; tools: JobTools; ready: boolean; about: Record<string, ReturnType<typeof aboutOf>> }) {
  const machines = useReceivers().filter((r) => r.cutter);
  const [machine, setMachine] = useState<string | null>(null);
  const [comma, setComma] = useState(false);
  const fitting = machines.find((r) => list.choice.sheets.every((s) => s.width <= r.bed[0] && s.height <= r.bed[1])) ?? machines[0];
  const receiver = machines.find((r) => r.id === machine) ?? fitting;
  const [format, setFormat] = useState<'dxf' | 'svg' | 'pdf'>('dxf');
  if (!receiver) return null;
  const as = receiver.formats.includes(format) ? format : (receiver.formats.find((f) => ['dxf', 'svg', 'pdf'].includes(f)) as 'dxf');
  const write = () =>
    void tools.operate({
      kind: 'nest',
      parts: list.operation!.parts,
      about,
      edits: list.edits,
      typed: list.typed,
      materials: list.materials,
      choice: list.choice,
      laid: list.laid,
      receiver,
      format: as,
      name: tools.job!.name.slice(0, 100),
      csv: { comma, mark: comma },
    });
  return (
    <>
      <h2>Files</h2>
      <label className={desk.row}>
        Machine
        <Choice value={receiver.id} onChange={setMachine} options={machines.map((r) => ({ value: r.id, label: `${r.name}, ${r.process}` }))} />
      </label>
      <label className={desk.row}>
        Sheets as
        <Choice value={as} onChange={(f) => setFormat(f as 'dxf')} options={receiver.formats.filter((f) => ['dxf', 'svg', 'pdf'].includes(f)).map((f) => ({ value: f, label: f.toUpperCase() }))} />
      </label>
      <Checkbox checked={comma} onChange={(e) => setComma(e.target.checked)}>list with decimal comma</Checkbox>
      <Button type="primary" disabled={!ready} onClick={write} data-test="write-nest">
        Write the sheets, and read them back
      </Button>
      <p className="context">One file a sheet, the cut list, labels and a plan to print, in one zip. Every part is found again in the bytes.</p>
    </>
  ); // prettier-ignore
}
