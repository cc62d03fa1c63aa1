'use client';
import { Button, Checkbox, Input } from 'antd';
import { useQuery } from '@tanstack/react-query';
import { usualNest, type NestChoice, type StockSheet } from 'tall-kite/cutlist/how';
import type { StoredSheet } from '@tall-kite/server/stores/sheets';
import { ask } from '@/shell/ask.ts';
import { Choice, Fold } from '@/shell/controls.tsx';
import { LengthInput } from '@/shell/LengthInput.tsx';
import { useLengths } from '@/shell/unit.tsx';
import type { CutListTools } from './useCutList.ts';
import style from './cutlist.module.css';

/** Sheets, spacing, turns and how it is cut. */
export function NestSettings({ list }: { list: CutListTools }) {
  const { choice, choose } = list;
  const sheet = (i: number, change: Partial<StockSheet>) => choose({ sheets: choice.sheets.map((s, k) => (k === i ? { ...s, ...change } : s)) });
  return (
    <>
      <h2>Sheets</h2>
      <div className={style.kinds}>
        {choice.sheets.map((s, i) => (
          <Kind key={i} sheet={s} set={(change) => sheet(i, change)} drop={choice.sheets.length > 1 ? () => choose({ sheets: choice.sheets.filter((_, k) => k !== i) }) : null} />
        ))}
        <div className={style.line}>
          <Button size="small" onClick={() => choose({ sheets: [...choice.sheets, { ...usualNest.sheets[0], name: `sheet ${choice.sheets.length + 1}` }] })}>
            Another kind
          </Button>
          <FromStores add={(s) => choose({ sheets: [...choice.sheets, s] })} />
        </div>
      </div>
      <h2>How it is cut</h2>
      <label className="row">
        By
        <Choice
          value={choice.saw ? `saw ${choice.saw.stages ?? 'any'}` : 'contour'}
          onChange={(v) => choose(v === 'contour' ? { saw: null, kerf: 0 } : { saw: { stages: v === 'saw any' ? null : (Number(v.slice(4)) as 2 | 3), trim: choice.saw?.trim ?? 10 }, kerf: choice.kerf || 4.4 })}
          options={[
            { value: 'contour', label: 'router or laser, true shapes' },
            { value: 'saw 2', label: 'panel saw, two stages' },
            { value: 'saw 3', label: 'panel saw, three stages' },
            { value: 'saw any', label: 'panel saw, any stages' },
          ]}
        />
      </label>
      {choice.saw ? (
        <div className={style.line}>
          <Mm label="Trim" value={choice.saw.trim} set={(trim) => choose({ saw: { ...choice.saw!, trim } })} />
          <Mm label="Cut width" value={choice.kerf} set={(kerf) => choose({ kerf })} />
        </div>
      ) : (
        <div className={style.line}>
          <Mm label="Between parts" value={choice.spacing} set={(spacing) => choose({ spacing })} />
          <Mm label="From the edge" value={choice.rim} set={(rim) => choose({ rim })} />
        </div>
      )}
      <div className={style.line}>
        <label>
          Turns{' '}
          <Choice
            value={Array.isArray(choice.turns) ? 'list' : choice.turns}
            onChange={(v) => choose({ turns: v as 'none' })}
            options={[
              { value: 'none', label: 'none' },
              { value: 'quarters', label: 'by quarters' },
              { value: 'free', label: 'free, by 15°' },
              ...(Array.isArray(choice.turns) ? [{ value: 'list', label: choice.turns.join('°, ') }] : []),
            ]}
          />
        </label>
        <label>
          Grain of sheets{' '}
          <Choice value={choice.grain} onChange={(g) => choose({ grain: g as NestChoice['grain'] })} options={[{ value: 'none', label: 'none' }, { value: 'x', label: 'along X' }, { value: 'y', label: 'along Y' }]} />
        </label>
      </div>
      {!choice.saw && (
        <Checkbox checked={choice.mirror} onChange={(e) => choose({ mirror: e.target.checked })}>
          parts may be turned over
        </Checkbox>
      )}
      <Fold title="Search, labels and layers">
        <div className={style.kinds}>
          <div className={style.line}>
            <label>
              Rounds <Figure value={choice.rounds ?? 150} least={1} most={100_000} set={(rounds) => choose({ rounds, seconds: null })} label="Rounds of search" />
            </label>
            <label>
              Seed <Figure value={choice.seed} least={0} most={2 ** 31} set={(seed) => choose({ seed })} label="Seed of the search" />
            </label>
          </div>
          <div className={style.line}>
            <Mm label="Letters on parts" value={choice.labelHeight} set={(labelHeight) => choose({ labelHeight })} />
            <label>
              Small below <Figure value={choice.smallArea / 100} least={0} most={1e7} set={(cm2) => choose({ smallArea: cm2 * 100 })} label="Small parts below, cm²" /> <span className="figure">cm²</span>
            </label>
          </div>
          <div className={style.line}>
            <Mm label="Skin left under them" value={choice.skin ?? 0} set={(skin) => choose({ skin })} />
          </div>
          {(Object.keys(choice.names) as (keyof NestChoice['names'])[]).map((k) => (
            <label key={k} className="row">
              layer: {k}
              <Input key={choice.names[k]} size="small" defaultValue={choice.names[k]} style={{ width: 150 }} onBlur={(e) => /^[A-Za-z0-9_$-]{1,40}$/.test(e.target.value) && e.target.value !== choice.names[k] && choose({ names: { ...choice.names, [k]: e.target.value } })} />
            </label>
          ))}
        </div>
      </Fold>
    </>
  ); // prettier-ignore
}

function Kind({ sheet, set, drop }: { sheet: StockSheet; set: (change: Partial<StockSheet>) => void; drop: (() => void) | null }) {
  return (
    <div className={style.kind}>
      <div className={style.line}>
        <Input key={sheet.name} size="small" defaultValue={sheet.name} aria-label="Name of the sheet" style={{ width: 110 }} onBlur={(e) => e.target.value.trim() !== '' && e.target.value !== sheet.name && set({ name: e.target.value.trim().slice(0, 60) })} />
        <LengthInput bare width={64} label="Length of the sheet" value={String(sheet.width)} onChange={(v) => Number(v) >= 10 && set({ width: Number(v) })} />×
        <LengthInput width={64} label="Width of the sheet" value={String(sheet.height)} onChange={(v) => Number(v) >= 10 && set({ height: Number(v) })} />
      </div>
      <div className={style.line}>
        <Input key={sheet.material} size="small" defaultValue={sheet.material} placeholder="any material" aria-label="Material of the sheet" style={{ width: 110 }} onBlur={(e) => e.target.value !== sheet.material && set({ material: e.target.value.trim() })} />
        <LengthInput width={56} label="Thickness of the sheet" placeholder="any" value={sheet.thickness === null ? '' : String(sheet.thickness)} onChange={(v) => (v === '' ? set({ thickness: null }) : Number(v) > 0 && set({ thickness: Number(v) }))} />
        <label>
          <Input key={sheet.copies ?? 'all'} size="small" defaultValue={sheet.copies ?? ''} placeholder="any" aria-label="How many sheets" style={{ width: 48 }} onBlur={(e) => { const n = Number(e.target.value); if (e.target.value === '') set({ copies: null }); else if (Number.isInteger(n) && n > 0) set({ copies: n }); }} /> of it
        </label>
      </div>
      <div className={style.line}>
        <Checkbox checked={sheet.remnant} onChange={(e) => set({ remnant: e.target.checked })}>
          remnant, used first
        </Checkbox>
        {sheet.outline && <span className="context">{sheet.outline.length} corners</span>}
        {drop && (
          <Button size="small" type="text" onClick={drop}>
            Leave out
          </Button>
        )}
      </div>
    </div>
  ); // prettier-ignore
}

/** Sheets and remnants that are kept in the stores. */
function FromStores({ add }: { add: (s: StockSheet) => void }) {
  const { len, lens } = useLengths();
  const stored = useQuery({ queryKey: ['stored-sheets'], queryFn: () => ask<StoredSheet[]>('/api/stores/sheets') });
  if (!stored.data || stored.data.length === 0) return null;
  return (
    <Choice
      label="From the stores"
      value="none"
      onChange={(id) => add(stored.data.find((s) => s.id === id)!.sheet)}
      options={[
        { value: 'none', label: 'From the stores …' },
        ...stored.data.map(({ id, sheet: s }) => ({
          value: id,
          label: `${s.name}, ${lens([s.width, s.height])}${s.thickness === null ? '' : `, ${len(s.thickness)}`}`,
        })),
      ]}
    />
  );
}

function Mm({ label, value, set }: { label: string; value: number; set: (v: number) => void }) {
  return (
    <label>
      {label} <LengthInput width={60} value={String(value)} onChange={(v) => v !== '' && Number(v) >= 0 && set(Number(v))} />
    </label>
  );
}

function Figure({ value, least, most, set, label }: { value: number; least: number; most: number; set: (v: number) => void; label: string }) {
  return <Input key={value} size="small" defaultValue={value} inputMode="numeric" aria-label={label} style={{ width: 72 }} className="num" onBlur={(e) => { const n = Math.round(Number(e.target.value)); if (n >= least && n <= most && n !== value) set(n); }} />; // prettier-ignore
}
