'use client';
import { Button, Checkbox, InputNumber } from 'antd';
import Link from 'next/link';
import { useState } from 'react';
import type { ReliefOrigin } from 'tall-kite/reliefs/origin';
import { stockBounds, type CarvePlan, type Fit, type Standing, type StockChoice } from 'tall-kite/reliefs/choice';
import { atWork } from '@/light-table/panels/Proposal.tsx';
import { MarkShape } from '@/marks/Mark.tsx';
import { Choice, Fold, Glide } from '@/shell/controls.tsx';
import { LengthInput } from '@/shell/LengthInput.tsx';
import { Len } from '@/shell/unit.tsx';
import type { JobTools } from '@/shell/useJob.ts';
import { FromStores } from './FromStores.tsx';
import type { ReliefTools } from './useRelief.ts';
import desk from '@/shell/desk.module.css';
import widths from '@/shell/widths.module.css';
import style from './reliefs.module.css';

interface Props {
  it: ReliefTools;
  tools: JobTools;
}

/** What is set into which stock and how, and what came of it. */
export function ReliefPanel({ it, tools }: Props) {
  const [at, setAt] = useState(0);
  const one = Math.min(at, it.choice.reliefs.length - 1);
  const ready = it.operation?.state === 'ready';
  const figures = it.shown && !it.shown.failed ? it.shown.figures : null;
  return (
    <aside className={desk.panel} data-test="panel" aria-label="Stock, reliefs and bits" tabIndex={0}>
      {it.made && !ready && <Kept it={it} tools={tools} />}
      {ready && <Keep it={it} tools={tools} />}
      <Block it={it} />
      <Reliefs it={it} tools={tools} at={one} setAt={setAt} />
      <One key={`${one} ${it.parts[one]?.id}`} it={it} at={one} figures={figures} />
      <Bits it={it} figures={figures} />
      {figures && <Figures figures={figures} it={it} />}
      <div className={desk.row}>
        <Button type="primary" disabled={!figures || (it.operation !== null && atWork(it.operation))} onClick={() => void it.go()} data-test="make-block">
          Make the block
        </Button>
      </div>
    </aside>
  );
}

/** The proposal: what was found, and the two ways on. */
function Keep({ it, tools }: Props) {
  const operation = it.operation!;
  return (
    <section className={desk.proposal} aria-label="Proposal" data-test="relief-proposal">
      <h2>Proposal, nothing changed yet</h2>
      {operation.report?.relief && (
        <p>
          From the relief it lies <Len mm={operation.report.relief.differ.mean} /> off on average, <Len mm={operation.report.relief.differ.largest} /> at most.
        </p>
      )}
      {operation.report?.findings?.map((f, i) => (
        <p key={i} data-test="relief-finding">
          <MarkShape mark={f.severity} size={12} /> {f.message} <span className="context">{f.remedy}</span>
        </p>
      ))}
      <div className={desk.row}>
        <Button type="primary" onClick={() => void tools.keep(operation.id)} disabled={operation.stale} data-test="keep-block">
          Keep the block
        </Button>
        <Button onClick={() => void tools.drop(operation.id)}>Drop it</Button>
      </div>
    </section>
  );
}

/** The block that was kept, and its heights as a picture. */
function Kept({ it, tools }: Props) {
  const made = it.made!;
  const step = it.choice.cell ?? Math.max(it.choice.stock[0], it.choice.stock[1]) / 400;
  const written = tools.job!.operations.find((o) => o.kind === 'heights' && o.parts.includes(made.id));
  return (
    <section data-test="relief-kept">
      <p>
        <MarkShape mark="clear" size={12} /> Its block is <Link href={`/jobs/${tools.job!.id}/parts/${made.id}`}>{made.name}</Link>.
      </p>
      <p>
        <Button
          size="small"
          onClick={() => void tools.operate({ kind: 'heights', part: made.id, cell: Math.max(stockBounds.cell[0], step), name: made.name.slice(0, 100) })}
          data-test="write-heights"
        >
          Heights as a grey picture
        </Button>{' '}
        {written?.report?.file && (
          <a href={`/api/operations/${written.id}/file`} download={written.report.file.fileName} data-test="heights-file">
            <MarkShape mark={written.report.file.evidence.verdict} size={12} /> {written.report.file.fileName}
          </a>
        )}
      </p>
    </section>
  );
}

const numberOf = (text: string, [least, most]: readonly [number, number]): number | null => {
  const v = text.trim() === '' ? NaN : Number(text);
  return v >= least && v <= most ? v : null;
};

/** A length that is kept once it lies within its bounds. */
function Mm({
  label,
  value,
  bounds,
  set,
  empty,
  title,
}: {
  label: string;
  value: number | null;
  bounds: readonly [number, number];
  set: (v: number | null) => void;
  empty?: string;
  title?: string;
}) {
  const [typed, setTyped] = useState<string | null>(null);
  const text = typed ?? (value === null ? '' : String(value));
  const v = numberOf(text, bounds);
  return (
    <label className="nowrap" title={title}>
      {label}{' '}
      <LengthInput
        value={text}
        placeholder={empty}
        invalid={v === null && !(empty !== undefined && text === '')}
        onChange={(next) => {
          const found = numberOf(next, bounds);
          if (found !== null || (empty !== undefined && next === '')) {
            setTyped(null);
            set(found);
          } else setTyped(next);
        }}
      />
    </label>
  );
}

function Block({ it }: { it: ReliefTools }) {
  const { choice, set } = it;
  const side = (k: number, v: number | null) => v !== null && set({ stock: choice.stock.map((s, i) => (i === k ? v : s)) as StockChoice['stock'] });
  return (
    <>
      <h2>Stock</h2>
      <div className={desk.row} data-test="relief-stock">
        {['X', 'Y', 'Z'].map((l, k) => (
          <Mm key={l} label={l} value={choice.stock[k]} bounds={stockBounds.stock} set={(v) => side(k, v)} />
        ))}
      </div>
      <FromStores choose={(stock) => set({ stock })} />
      <div className={desk.row}>
        <Mm
          label="Base"
          value={choice.base}
          bounds={stockBounds.base}
          set={(v) => v !== null && set({ base: v })}
          title="What stays solid below the zero plane"
        />
        <Mm label="Margin" value={choice.margin} bounds={stockBounds.margin} set={(v) => v !== null && set({ margin: v })} title="Left free round the relief" />
      </div>
      <Fold title="Sides, heights and zero">
        <div className={desk.row}>
          <label>
            Outline{' '}
            <Choice
              value={choice.outline}
              onChange={(v) => set({ outline: v as StockChoice['outline'] })}
              options={[
                { value: 'stock', label: 'as the stock' },
                { value: 'round', label: 'round' },
                { value: 'own', label: "the relief's own" },
              ]}
            />
          </label>
          <label>
            Sides lean <InputNumber size="small" className={widths.w66} min={0} max={60} value={choice.draft} onChange={(v) => set({ draft: v ?? 0 })} /> °
          </label>
        </div>
        <div className={desk.row}>
          <Mm label="A height every" value={choice.cell} bounds={stockBounds.cell} empty="400 a side" set={(cell) => set({ cell })} />
        </div>
        <div className={desk.row}>
          <Checkbox checked={choice.smooth !== null} onChange={(e) => set({ smooth: e.target.checked ? { spread: 1, edge: 0.5 } : null })}>
            smooth, edges kept
          </Checkbox>
          {choice.smooth && (
            <>
              <Mm
                label="over"
                value={choice.smooth.spread}
                bounds={stockBounds.spread}
                set={(v) => v !== null && set({ smooth: { ...choice.smooth!, spread: v } })}
              />
              <Mm
                label="edges from"
                value={choice.smooth.edge}
                bounds={stockBounds.spread}
                set={(v) => v !== null && set({ smooth: { ...choice.smooth!, edge: v } })}
              />
            </>
          )}
        </div>
        <div className={desk.row}>
          <label>
            X and Y zero{' '}
            <Choice
              value={choice.datum}
              onChange={(v) => set({ datum: v as StockChoice['datum'] })}
              options={[
                { value: 'corner', label: 'low left corner' },
                { value: 'centre', label: 'middle' },
              ]}
            />
          </label>
          <label>
            Z zero{' '}
            <Choice
              value={choice.zeroZ}
              onChange={(v) => set({ zeroZ: v as StockChoice['zeroZ'] })}
              options={[
                { value: 'bed', label: 'under the stock' },
                { value: 'top', label: 'on top of it' },
              ]}
            />
          </label>
        </div>
      </Fold>
    </>
  );
}

/** Which reliefs are on the stock, in the order in which they are laid. */
function Reliefs({ it, tools, at, setAt }: Props & { at: number; setAt: (at: number) => void }) {
  const free = (tools.job?.parts ?? []).filter((p) => p.summary.kind !== 'drawing' && !p.leftOut && !p.summary.relief && !it.parts.includes(p));
  if (it.parts.length === 1 && free.length === 0) return null;
  return (
    <Fold title={it.parts.length === 1 ? 'One relief' : `${it.parts.length} reliefs, one on the other`} open={it.parts.length > 1}>
      <ul className={style.list}>
        {it.parts.map((p, i) => (
          <li key={p.id}>
            <Button size="small" type={i === at ? 'primary' : 'default'} aria-pressed={i === at} onClick={() => setAt(i)}>
              {p.name}
            </Button>
            {i > 0 && (
              <Button size="small" aria-label={`Take ${p.name} off the stock`} onClick={() => (setAt(0), it.remove(i))}>
                Take off
              </Button>
            )}
          </li>
        ))}
      </ul>
      {free.length > 0 && (
        <label>
          Add{' '}
          <Choice
            label="A further relief"
            value=""
            onChange={(id) => {
              it.add(id);
              setAt(it.parts.length);
            }}
            options={[{ value: '', label: 'a part of this job' }, ...free.map((p) => ({ value: p.id, label: p.name }))]}
          />
        </label>
      )}
    </Fold>
  );
}

const fitWords: Record<Fit, string> = {
  inside: 'as large as the stock allows',
  width: 'as wide as the stock (X)',
  depth: 'as deep as the stock (Y)',
  thickness: 'as thick as the stock (Z)',
  own: 'its own size',
  typed: 'as typed',
};

/** How one relief stands. */
function One({ it, at, figures }: { it: ReliefTools; at: number; figures: ReliefOrigin | null }) {
  const s: Standing = it.choice.reliefs[at];
  const set = (some: Partial<Standing>) => it.setOne(at, some);
  const size = figures?.reliefs[at]?.size ?? null;
  const [kept, setKept] = useState(s.size.filter((v) => v !== null).length < 2);
  const resize = (k: number, v: number | null) => {
    if (v === null) return;
    if (kept || !size) set({ fit: 'typed', size: [0, 1, 2].map((i) => (i === k ? v : null)) as Standing['size'] });
    else set({ fit: 'typed', size: size.map((own, i) => (i === k ? v : (s.size[i] ?? Number(own.toFixed(4))))) as Standing['size'] });
  };
  return (
    <>
      <h2>{it.parts.length > 1 ? it.parts[at]?.name : 'Relief'}</h2>
      <div className={desk.row}>
        <label>
          Size{' '}
          <Choice
            label="What its size comes from"
            value={s.fit}
            onChange={(fit) => set({ fit: fit as Fit, ...(fit === 'typed' && size ? { size: [Number(size[0].toFixed(3)), null, null] } : {}) })}
            options={Object.entries(fitWords).map(([value, label]) => ({ value, label }))}
          />
        </label>
      </div>
      <div className={desk.row} data-test="relief-size">
        {['X', 'Y', 'Z'].map((l, k) => (
          <Mm
            key={`${l} ${size?.[k].toFixed(4)}`}
            label={l}
            value={size ? Number(size[k].toFixed(3)) : null}
            bounds={stockBounds.size}
            set={(v) => resize(k, v)}
          />
        ))}
      </div>
      <div className={desk.row}>
        <Checkbox checked={kept} onChange={(e) => setKept(e.target.checked)}>
          keep its proportions
        </Checkbox>
      </div>
      <Zero s={s} set={set} top={size ? size[2] : 0} />
      <Placed s={s} set={set} first={at === 0} />
    </>
  );
}

interface OneProps {
  s: Standing;
  set: (some: Partial<Standing>) => void;
}

/** Its zero plane, and what becomes of what lies below. */
function Zero({ s, set, top }: OneProps & { top: number }) {
  return (
    <>
      <div className={desk.row}>
        <Mm
          label="Zero plane at"
          value={s.zero}
          bounds={stockBounds.zero}
          set={(v) => v !== null && set({ zero: v })}
          title="Over its lowest place, at its size"
        />
        <span className={style.glide}>
          <Glide
            label="Zero plane"
            min={0}
            max={Math.max(0.1, top)}
            step={Math.max(0.01, Number((top / 200).toPrecision(1)))}
            value={s.zero}
            onChange={(zero) => set({ zero })}
          />
        </span>
      </div>
      <div className={desk.row}>
        <label>
          Below it{' '}
          <Choice
            label="What lies below the zero plane"
            value={s.below}
            onChange={(v) => set({ below: v as Standing['below'] })}
            options={[
              { value: 'cut', label: 'cut off' },
              { value: 'keep', label: 'kept, sunk into the base' },
            ]}
          />
        </label>
      </div>
    </>
  );
}

/** Which way it is turned, where it stands, how often, and how it meets the others. */
function Placed({ s, set, first }: OneProps & { first: boolean }) {
  return (
    <>
      <Fold title="Turned, placed, repeated" open={!first}>
        <div className={desk.row}>
          <label>
            Up is its{' '}
            <Choice
              label="Which of its directions points up"
              value={s.up}
              onChange={(v) => set({ up: v as Standing['up'] })}
              options={['z', '-z', 'y', '-y', 'x', '-x'].map((v) => ({ value: v, label: v.replace('-', '−').toUpperCase() }))}
            />
          </label>
          <label>
            turned{' '}
            <InputNumber
              size="small"
              className={widths.w72}
              min={-360}
              max={360}
              value={s.turn}
              onChange={(v) => set({ turn: v ?? 0 })}
              aria-label="Turned, degrees"
            />{' '}
            °
          </label>
          <Checkbox checked={s.mirror} onChange={(e) => set({ mirror: e.target.checked })}>
            mirrored
          </Checkbox>
        </div>
        <div className={desk.row}>
          <Mm label="From the middle: X" value={s.at[0]} bounds={stockBounds.at} set={(v) => v !== null && set({ at: [v, s.at[1]] })} />
          <Mm label="Y" value={s.at[1]} bounds={stockBounds.at} set={(v) => v !== null && set({ at: [s.at[0], v] })} />
        </div>
        <div className={desk.row}>
          <label>
            Copies{' '}
            <InputNumber
              size="small"
              className={widths.w58}
              min={1}
              max={50}
              precision={0}
              value={s.tiles[0]}
              onChange={(v) => set({ tiles: [v ?? 1, s.tiles[1]] })}
              aria-label="Copies along X"
            />{' '}
            ×{' '}
            <InputNumber
              size="small"
              className={widths.w58}
              min={1}
              max={50}
              precision={0}
              value={s.tiles[1]}
              onChange={(v) => set({ tiles: [s.tiles[0], v ?? 1] })}
              aria-label="Copies along Y"
            />
          </label>
          <Checkbox checked={s.mirrored} disabled={s.tiles[0] * s.tiles[1] < 2} onChange={(e) => set({ mirrored: e.target.checked })}>
            every other mirrored
          </Checkbox>
        </div>
        {!first && (
          <div className={desk.row}>
            <label>
              Where it meets the others{' '}
              <Choice
                value={s.blend}
                onChange={(v) => set({ blend: v as Standing['blend'] })}
                options={[
                  { value: 'highest', label: 'the highest stays' },
                  { value: 'lowest', label: 'the lowest stays' },
                  { value: 'add', label: 'both are added' },
                ]}
              />
            </label>
          </div>
        )}
      </Fold>
    </>
  );
}

const usualPlan: CarvePlan = {
  fine: { kind: 'ball', diameter: 3, between: 0.3 },
  coarse: { kind: 'flat', diameter: 8, between: 4, layer: 4, leave: 0.2 },
  feed: 1500,
  plunge: 500,
};
const minutes = (v: number) => (v < 1 ? `${Math.max(1, Math.round(v * 60))} s` : v < 90 ? `${Math.round(v)} min` : `${(v / 60).toFixed(1)} h`);

/** The bits that carve it: what they leave, and about how long they take. */
function Bits({ it, figures }: { it: ReliefTools; figures: ReliefOrigin | null }) {
  const { plan } = it.choice;
  const set = (some: Partial<CarvePlan>) => it.set({ plan: { ...plan!, ...some } });
  const fine = (some: Partial<CarvePlan['fine']>) => set({ fine: { ...plan!.fine, ...some } });
  const coarse = (some: Partial<NonNullable<CarvePlan['coarse']>>) => set({ coarse: { ...plan!.coarse!, ...some } });
  const found = figures?.plan ?? null;
  return (
    <Fold title="Carved with" open={plan !== null}>
      <Checkbox checked={plan !== null} onChange={(e) => it.set({ plan: e.target.checked ? usualPlan : null })} data-test="relief-bits">
        show what a bit leaves
      </Checkbox>
      {plan && (
        <>
          <div className={desk.row}>
            <Choice
              label="Tip of the fine bit"
              value={plan.fine.kind}
              onChange={(v) => fine({ kind: v as 'ball' | 'flat' })}
              options={[
                { value: 'ball', label: 'ball' },
                { value: 'flat', label: 'flat' },
              ]}
            />
            <Mm label="⌀" value={plan.fine.diameter} bounds={stockBounds.diameter} set={(v) => v !== null && fine({ diameter: v })} />
          </div>
          <div className={desk.row}>
            <Mm label="passes every" value={plan.fine.between} bounds={stockBounds.between} set={(v) => v !== null && fine({ between: v })} />
          </div>
          <div className={desk.row}>
            <Checkbox checked={plan.coarse !== null} onChange={(e) => set({ coarse: e.target.checked ? usualPlan.coarse : null })}>
              a flat one before
            </Checkbox>
          </div>
          <div className={desk.row}>
            {plan.coarse && (
              <>
                <Mm label="⌀" value={plan.coarse.diameter} bounds={stockBounds.diameter} set={(v) => v !== null && coarse({ diameter: v, between: v / 2 })} />
                <Mm label="layers of" value={plan.coarse.layer} bounds={stockBounds.layer} set={(v) => v !== null && coarse({ layer: v })} />
              </>
            )}
          </div>
          <label>
            Feed{' '}
            <InputNumber
              size="small"
              className={widths.w80}
              min={1}
              max={60_000}
              value={plan.feed}
              onChange={(v) => v && set({ feed: v, plunge: v / 3 })}
              aria-label="Feed, mm a minute"
            />{' '}
            mm/min
          </label>
          {found && (
            <dl data-test="relief-plan">
              <dt>leaves</dt>
              <dd>
                {(found.left.volume / 1000).toPrecision(2)} cm³, <Len mm={found.left.most} /> at most; more than 0.05 mm on{' '}
                {(100 * found.left.share).toFixed(1)} %
              </dd>
              {found.ridge !== null && (
                <>
                  <dt>ridges on level ground</dt>
                  <dd>
                    <Len mm={found.ridge} />
                  </dd>
                </>
              )}
              <dt>takes about</dt>
              <dd>
                {found.coarse ? `${minutes(found.coarse.minutes)} coarse, ${minutes(found.fine.minutes)} fine` : minutes(found.alone)}
                {found.coarse && <span className="context"> {minutes(found.alone)} with the fine bit alone</span>}
              </dd>
            </dl>
          )}
        </>
      )}
    </Fold>
  );
}

function Figures({ figures, it }: { figures: ReliefOrigin; it: ReliefTools }) {
  const findings = it.shown && !it.shown.failed ? it.shown.findings : [];
  const factor = figures.reliefs[0].factors;
  const even = Math.max(...factor) - Math.min(...factor) < 1e-9 * Math.max(...factor);
  return (
    <>
      <dl data-test="relief-figures">
        <dt>times its own size</dt>
        <dd className="figure">{even ? Number(factor[0].toPrecision(5)) : factor.map((f) => Number(f.toPrecision(4))).join(', ')}</dd>
        <dt>block, cut away</dt>
        <dd>
          {(figures.volume / 1000).toFixed(1)} cm³, {(figures.away / 1000).toFixed(1)} cm³
        </dd>
      </dl>
      {findings
        .filter((f) => f.code !== 'heights-apart')
        .map((f, i) => (
          <p key={i} data-test="relief-preview-finding">
            <MarkShape mark={f.severity} size={12} /> {f.message} <span className="context">{f.remedy}</span>
          </p>
        ))}
    </>
  );
}
