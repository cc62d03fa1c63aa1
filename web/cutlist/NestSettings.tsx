'use client';
import { Button, Checkbox, Input } from 'antd';
import { useQuery } from '@tanstack/react-query';
import { leastSharedKerf, usualNest, usualSharedKerf, type NestChoice, type StockSheet } from 'tall-kite/cutlist/how';
import type { StoredSheet } from '@tall-kite/server/stores/sheets';
import { ask } from '@/shell/ask.ts';
import { Choice, Fold } from '@/shell/controls.tsx';
import { LengthInput } from '@/shell/LengthInput.tsx';
import { useLengths } from '@/shell/unit.tsx';
import type { CutListTools } from './useCutList.ts';
import desk from '@/shell/desk.module.css';
import widths from '@/shell/widths.module.css';
import style from './cutlist.module.css';

const usualTabs = { count: 2, width: 3 };
const usualSkin = 0.4;

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
      <label className={desk.row}>
        By
        <Choice
          value={choice.saw ? `saw ${choice.saw.stages ?? 'any'}` : 'contour'}
          onChange={(v) => choose(v === 'contour' ? { saw: null, kerf: 0 } : { shared: false, tabs: null, saw: { stages: v === 'saw any' ? null : (Number(v.slice(4)) as 2 | 3), trim: choice.saw?.trim ?? 10 }, kerf: choice.kerf || 4.4 })}
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
        <>
          <div className={style.line}>
            {choice.shared ? (
              <Mm label="Cut width" value={choice.kerf} set={(kerf) => kerf >= leastSharedKerf && choose({ kerf })} />
            ) : (
              <Mm label="Between parts" value={choice.spacing} set={(spacing) => choose({ spacing })} />
            )}
            <Mm label="From the edge" value={choice.rim} set={(rim) => choose({ rim })} />
          </div>
          <Checkbox
            checked={!!choice.shared}
            onChange={(e) => choose(e.target.checked ? { shared: true, kerf: choice.kerf || usualSharedKerf, tabs: null, skin: 0 } : { shared: false })}
          >
            parts share cuts
          </Checkbox>
          {choice.shared && (
            <p className="context">Parts lie one cut apart, and straight sides that meet are cut once. Lines are the middle of the cut: the machine must not move them.</p>
          )}
        </>
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
              { value: 'free', label: 'free: by 15°, and along its sides' },
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
      <SearchAndLayers choice={choice} choose={choose} />
    </>
  ); // prettier-ignore
}

function Kind({ sheet, set, drop }: { sheet: StockSheet; set: (change: Partial<StockSheet>) => void; drop: (() => void) | null }) {
  return (
    <div className={style.kind}>
      <div className={style.line}>
        <Input key={sheet.name} size="small" defaultValue={sheet.name} aria-label="Name of the sheet" className={widths.w110} onBlur={(e) => e.target.value.trim() !== '' && e.target.value !== sheet.name && set({ name: e.target.value.trim().slice(0, 60) })} />
        <LengthInput bare width={64} label="Length of the sheet" value={String(sheet.width)} onChange={(v) => Number(v) >= 10 && set({ width: Number(v) })} />×
        <LengthInput width={64} label="Width of the sheet" value={String(sheet.height)} onChange={(v) => Number(v) >= 10 && set({ height: Number(v) })} />
      </div>
      <div className={style.line}>
        <Input key={sheet.material} size="small" defaultValue={sheet.material} placeholder="any material" aria-label="Material of the sheet" className={widths.w110} onBlur={(e) => e.target.value !== sheet.material && set({ material: e.target.value.trim() })} />
        <LengthInput width={56} label="Thickness of the sheet" placeholder="any" value={sheet.thickness === null ? '' : String(sheet.thickness)} onChange={(v) => (v === '' ? set({ thickness: null }) : Number(v) > 0 && set({ thickness: Number(v) }))} />
        <label>
          <Input key={sheet.copies ?? 'all'} size="small" defaultValue={sheet.copies ?? ''} placeholder="any" aria-label="How many sheets" className={widths.w50} onBlur={(e) => { const n = Number(e.target.value); if (e.target.value === '') set({ copies: null }); else if (Number.isInteger(n) && n > 0) set({ copies: n }); }} /> of it
        </label>
      </div>
      <div className={style.line}>
        <Checkbox checked={sheet.remnant} onChange={(e) => set({ remnant: e.target.checked })}>
          remnant first
        </Checkbox>
        <label title="Only compared with the other kinds; empty: as much as its area">
          price <Input key={`p${sheet.price ?? ''}`} size="small" defaultValue={sheet.price ?? ''} placeholder="area" aria-label="Price of a sheet" className={`num ${widths.w50}`} onBlur={(e) => { const n = Number(e.target.value.replace(',', '.')); if (e.target.value.trim() === '') set({ price: null }); else if (n > 0 && n <= 1e6) set({ price: n }); }} />
        </label>
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

/** How long is searched, and what is drawn on the sheets beside the parts. */
function SearchAndLayers({ choice, choose }: Pick<CutListTools, 'choice' | 'choose'>) {
  return (
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
        {!choice.saw && !choice.shared && <HeldBy choice={choice} choose={choose} />}
        {(Object.keys(choice.names) as (keyof NestChoice['names'])[]).map((k) => (
          <label key={k} className={desk.row}>
            layer: {k}
            <Input key={choice.names[k]} size="small" defaultValue={choice.names[k]} className={widths.w150} onBlur={(e) => /^[A-Za-z0-9_$-]{1,40}$/.test(e.target.value) && e.target.value !== choice.names[k] && choose({ names: { ...choice.names, [k]: e.target.value } })} />
          </label>
        ))}
      </div>
    </Fold>
  ); // prettier-ignore
}

/** What keeps small parts from coming loose. */
function HeldBy({ choice, choose }: Pick<CutListTools, 'choice' | 'choose'>) {
  const { tabs, skin = 0 } = choice;
  return (
    <div className={style.line}>
      <label>
        They are held by{' '}
        <Choice
          value={tabs ? 'tabs' : skin > 0 ? 'skin' : 'nothing'}
          onChange={(v) => choose({ tabs: v === 'tabs' ? usualTabs : null, skin: v === 'skin' ? usualSkin : 0 })}
          options={[
            { value: 'nothing', label: 'nothing' },
            { value: 'tabs', label: 'tabs' },
            { value: 'skin', label: 'a skin beneath' },
          ]}
        />
      </label>
      {tabs && (
        <>
          <Figure value={tabs.count} least={1} most={50} set={(count) => choose({ tabs: { ...tabs, count } })} label="Tabs on each" />
          <Mm label="of" value={tabs.width} set={(width) => width >= 0.1 && width <= 50 && choose({ tabs: { ...tabs, width } })} />
        </>
      )}
      {skin > 0 && <Mm label="of" value={skin} set={(mm) => mm > 0 && choose({ skin: mm })} />}
    </div>
  );
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
  return <Input key={value} size="small" defaultValue={value} inputMode="numeric" aria-label={label} className={`num ${widths.w72}`} onBlur={(e) => { const n = Math.round(Number(e.target.value)); if (n >= least && n <= most && n !== value) set(n); }} />; // prettier-ignore
}
