'use client';
import { Button, Checkbox, InputNumber, Table } from 'antd';
import Link from 'next/link';
import { useState } from 'react';
import { spreadBounds, type Area, type Division, type SpreadChoice } from 'tall-kite/patches/choice';
import type { PatchFigures } from 'tall-kite/model/patch';
import { patchFigures } from 'tall-kite/patches/patch';
import { atWork } from '@/light-table/panels/Proposal.tsx';
import { MarkShape } from '@/marks/Mark.tsx';
import { Choice, Fold } from '@/shell/controls.tsx';
import { LengthInput } from '@/shell/LengthInput.tsx';
import { Len } from '@/shell/unit.tsx';
import type { JobTools } from '@/shell/useJob.ts';
import type { SpreadTools } from './useSpread.ts';
import desk from '@/shell/desk.module.css';
import frame from '@/shell/frame.module.css';
import widths from '@/shell/widths.module.css';

interface Props {
  it: SpreadTools;
  tools: JobTools;
  seam: number | null;
  setSeam: (seam: number | null) => void;
}

/** What is spread and how, and what came of it. */
export function SpreadPanel({ it, tools, seam, setSeam }: Props) {
  const ready = it.operation?.state === 'ready';
  return (
    <aside className={desk.panel} data-test="panel" aria-label="Spread: choices, stretch and seams" tabIndex={0}>
      {it.made && !ready && (
        <p>
          <MarkShape mark="clear" size={12} /> Its flat is <Link href={`/jobs/${tools.job!.id}/parts/${it.made.id}`}>{it.made.name}</Link>.
        </p>
      )}
      {ready && <Keep it={it} tools={tools} />}
      {it.spread && <Figures figures={patchFigures(it.spread.patch)} />}
      {it.spread && it.spread.patch.seams.length > 0 && <Seams figures={patchFigures(it.spread.patch)} seam={seam} setSeam={setSeam} />}
      {it.spread && it.spread.patch.cuts.length > 0 && <Cuts figures={patchFigures(it.spread.patch)} />}
      <Choices it={it} />
    </aside>
  );
}

/** The proposal: what was found, and the two ways on. */
function Keep({ it, tools }: { it: SpreadTools; tools: JobTools }) {
  const operation = it.operation!;
  return (
    <section className={desk.proposal} aria-label="Proposal" data-test="spread-proposal">
      <h2>Proposal, nothing changed yet</h2>
      {operation.report?.findings?.map((f, i) => (
        <p key={i} data-test="spread-finding">
          <MarkShape mark={f.severity} size={12} /> {f.message} <span className="context">{f.remedy}</span>
        </p>
      ))}
      <div className={desk.row}>
        <Button type="primary" onClick={() => void tools.keep(operation.id)} disabled={operation.stale} data-test="keep-spread">
          Keep the flat
        </Button>
        <Button onClick={() => void tools.drop(operation.id)}>Drop it</Button>
      </div>
    </section>
  );
}

const percent = (v: number) => `${v < 0 ? '−' : '+'}${Number((Math.abs(v) * 100).toPrecision(3))} %`;
const place = (p: readonly number[]) => p.map((v) => v.toFixed(0)).join(', ');

function Figures({ figures }: { figures: PatchFigures }) {
  const { stretch: s, pieces } = figures;
  const exact = pieces.every((p) => p.exact);
  return (
    <>
      <h2>Stretch</h2>
      <dl data-test="spread-figures">
        {exact ? (
          <Pair name="stretch">none: it unrolls exactly</Pair>
        ) : (
          <>
            <Pair name="flat longer by at most">
              {percent(s.largest - 1)} <span className="context nowrap">at {place(s.largestAt)} mm</span>
            </Pair>
            <Pair name="flat shorter by at most">
              {percent(s.least - 1)} <span className="context nowrap">at {place(s.leastAt)} mm</span>
            </Pair>
            <Pair name="area changes">
              {percent(s.areaLeast - 1)} to {percent(s.areaLargest - 1)}
            </Pair>
            <Pair name="from most to least">
              {(s.largest / s.least).toFixed(4)}
              {s.bound !== null && <span className="context nowrap"> a cap as bent: {s.bound.toFixed(4)} at least</span>}
            </Pair>
            <Pair name="cloth is pulled">
              {percent(s.along)} along, {percent(s.across)} across, sheared {s.shear.toFixed(1)}°
            </Pair>
          </>
        )}
        <Pair name="pieces">
          {pieces.length === 1 ? (
            <>
              <Len mm={pieces[0].box[0]} /> × <Len mm={pieces[0].box[1]} />
            </>
          ) : (
            pieces.length
          )}
        </Pair>
        <Pair name="surface, flat">
          {(figures.area / 100).toFixed(1)} cm², {(figures.flatArea / 100).toFixed(1)} cm²
        </Pair>
        {(figures.kept ?? []).map((e, i) => (
          <Pair key={i} name="kept edge, on the flat">
            <Len mm={e.length} />, <Len mm={e.flat} />
          </Pair>
        ))}
        <Pair name="facets">
          {figures.facets.count.toLocaleString('en')} of about <Len mm={figures.facets.size} />
        </Pair>
      </dl>
    </>
  );
}

const Pair = ({ name, children }: { name: string; children: React.ReactNode }) => (
  <>
    <dt>{name}</dt>
    <dd>{children}</dd>
  </>
);

function Seams({ figures, seam, setSeam }: { figures: PatchFigures; seam: number | null; setSeam: (seam: number | null) => void }) {
  return (
    <Fold title={`${figures.seams.length} ${figures.seams.length === 1 ? 'seam' : 'seams'}, both sides as long`} open data-test="spread-seams">
      <Table
        size="small"
        pagination={false}
        rowKey="name"
        dataSource={figures.seams.map((s, i) => ({ ...s, i }))}
        columns={[
          { title: 'seam', render: (_, s) => <Button size="small" type={s.i === seam ? 'primary' : 'default'} aria-pressed={s.i === seam} onClick={() => setSeam(s.i === seam ? null : s.i)}>{s.name}</Button> }, // prettier-ignore
          { title: 'surface', align: 'right', render: (_, s) => <Len mm={s.length} /> },
          { title: 'one side', align: 'right', render: (_, s) => <Len mm={s.flat[0]} /> },
          { title: 'other side', align: 'right', render: (_, s) => (s.flat.length > 1 ? <Len mm={s.flat[1]} /> : '') },
        ]}
      />
    </Fold>
  );
}

function Cuts({ figures }: { figures: PatchFigures }) {
  return (
    <Fold title={`${figures.cuts.length} relief ${figures.cuts.length === 1 ? 'cut' : 'cuts'}, and what each saves`} open data-test="spread-cuts">
      <dl>
        {figures.cuts.map((c, i) => (
          <Pair key={i} name={`cut ${i + 1}`}>
            <Len mm={c.length} />, mean stretch {c.before === null ? '' : `${(c.before * 100).toFixed(2)} % to `}
            {(c.after * 100).toFixed(2)} %
          </Pair>
        ))}
      </dl>
    </Fold>
  );
}

function Choices({ it }: { it: SpreadTools }) {
  const { choice, set, operation } = it;
  const solid = it.part!.summary.kind === 'solid';
  const busy = operation !== null && atWork(operation);
  return (
    <>
      <h2>What is spread, and how</h2>
      <div className={desk.choices}>
        <div className={desk.row}>
          <span>Faces</span>
          <span className="figure" data-test="spread-faces">
            {choice.faces === null ? `all ${it.faces?.count ?? ''}` : choice.faces.length <= 6 ? choice.faces.map((f) => f + 1).join(', ') : `${choice.faces.length} of ${it.faces?.count ?? ''}`}{' '}
            {choice.faces !== null && (
              <Button size="small" onClick={() => set({ faces: null })}>
                All
              </Button>
            )}
          </span>
        </div>
        {choice.area && <AreaRow area={choice.area} all={() => set({ area: null })} />}
        <Checkbox checked={choice.tangent} disabled={choice.faces === null} onChange={(e) => set({ tangent: e.target.checked })}>
          with faces that run smoothly into them
        </Checkbox>
        {!solid && (
          <label className={desk.row}>
            Edges part faces from
            <Count value={choice.crease} bounds={spreadBounds.crease} unit="°" onChange={(crease) => set({ crease, faces: null })} />
          </label>
        )}
        <DivideRows it={it} />
        <label className={desk.row}>
          Relief cuts looked for
          <Count value={choice.cuts} bounds={spreadBounds.cuts} onChange={(cuts) => set({ cuts })} test="cuts" />
        </label>
        <ByHand it={it} />
        <label className={desk.row}>
          Seam allowance
          <LengthInput width={86} value={String(choice.allowance.seam)} onChange={(v) => v !== '' && Number(v) >= 0 && set({ allowance: { ...choice.allowance, seam: Number(v) } })} />
        </label>
        <label className={desk.row}>
          along the border
          <LengthInput width={86} value={String(choice.allowance.border)} onChange={(v) => v !== '' && Number(v) >= 0 && set({ allowance: { ...choice.allowance, border: Number(v) } })} />
        </label>
        <div className={desk.row}>
          Grain
          <Choice label="Grain" value={choice.grain} options={[{ value: 'x', label: 'along X of the sheet' }, { value: 'y', label: 'along Y of the sheet' }]} onChange={(v) => set({ grain: v as 'x' | 'y' })} />
        </div>
        <Finer it={it} />
        <Bears it={it} />
      </div>
      {!it.changed && operation?.state === 'ready' ? null : (
        <Button type="primary" disabled={busy} onClick={() => void it.go()} data-test="spread">
          Spread it flat
        </Button>
      )}
    </>
  ); // prettier-ignore
}

/** Which part of the faces is taken, in words. */
function said(area: Area): string {
  if (area.by === 'loop') return `within a loop of ${area.through.length} places`;
  if (area.by === 'edges')
    return `up to ${area.at.length === 1 ? 'the edge' : `${area.at.length} edges`} that ${area.at.length === 1 ? 'was' : 'were'} clicked`;
  return `what ${area.dabs.length === 1 ? '1 dab' : `${area.dabs.length} dabs`} painted`;
}

/** That only a part of the faces is taken, and how to take all again. */
function AreaRow({ area, all }: { area: Area; all: () => void }) {
  return (
    <div className={desk.row} data-test="spread-area">
      <span>Of them only</span>
      <span className="figure">
        {said(area)}{' '}
        <Button size="small" aria-label="All of the faces again" onClick={all}>
          All
        </Button>
      </span>
    </div>
  );
}

/** What was drawn or clicked on the surface: cuts, lines, edges that keep their length. */
function ByHand({ it }: { it: SpreadTools }) {
  const { lines, drawn = [], keep = [] } = it.choice;
  return (
    <>
      {lines.length > 0 && <Lines it={it} />}
      {drawn.length > 0 && <DrawnLines it={it} />}
      {keep.length > 0 && <KeptEdges it={it} />}
    </>
  );
}

/** Cuts that were drawn by hand. */
function Lines({ it }: { it: SpreadTools }) {
  const { choice, set } = it;
  return (
    <ul className={frame.plain} data-test="cut-lines">
      {choice.lines.map(({ from, through, to }, i) => (
        <li className={desk.row} key={i}>
          <span>
            cut from <span className="figure">{place(from)}</span> {through && through.length > 0 ? `through ${through.length} ${through.length === 1 ? 'place' : 'places'} ` : ''}{to ? <>to <span className="figure">{place(to)}</span> mm</> : 'mm to the border'}
          </span>
          <Button size="small" aria-label={`Take out cut ${i + 1}`} onClick={() => set({ lines: choice.lines.filter((_, k) => k !== i) })}>
            Take out
          </Button>
        </li>
      ))}
    </ul>
  ); // prettier-ignore
}

/** Lines that are drawn on the flat. */
function DrawnLines({ it }: { it: SpreadTools }) {
  const { choice, set } = it;
  const drawn = choice.drawn ?? [];
  return (
    <ul className={frame.plain} data-test="drawn-lines">
      {drawn.map(({ through, closed }, i) => (
        <li className={desk.row} key={i}>
          <span>
            {closed ? 'closed line' : 'line'} through {through.length} places from <span className="figure">{place(through[0])}</span> mm
          </span>
          <Button size="small" aria-label={`Take out line ${i + 1}`} onClick={() => set({ drawn: drawn.filter((_, k) => k !== i) })}>
            Take out
          </Button>
        </li>
      ))}
    </ul>
  );
}

/** Edges of the border that keep their length. */
function KeptEdges({ it }: { it: SpreadTools }) {
  const { choice, set } = it;
  const keep = choice.keep ?? [];
  return (
    <ul className={frame.plain} data-test="kept-edges">
      {keep.map((p, i) => (
        <li className={desk.row} key={i}>
          <span>
            edge at <span className="figure">{place(p)}</span> mm keeps its length
          </span>
          <Button size="small" aria-label={`Take out edge ${i + 1}`} onClick={() => set({ keep: keep.filter((_, k) => k !== i) })}>
            Take out
          </Button>
        </li>
      ))}
    </ul>
  );
}

interface CountProps {
  value: number;
  bounds: readonly [number, number];
  unit?: string;
  label?: string;
  test?: string;
  onChange: (value: number) => void;
}

function Count({ value, bounds, unit, label, test, onChange }: CountProps) {
  return (
    <InputNumber
      size="small"
      className={widths.w86}
      min={bounds[0]}
      max={bounds[1]}
      value={value}
      suffix={unit}
      aria-label={label}
      data-test={test}
      onChange={(v) => v !== null && onChange(v)}
    />
  );
}

function DivideRows({ it }: { it: SpreadTools }) {
  const { choice, set } = it;
  const { divide } = choice;
  const to = (by: string): Division =>
    by === 'gores' ? { by: 'gores', count: 6, axis: null } : by === 'panels' ? { by: 'panels', count: 4, across: null } : { by: 'none' };
  return (
    <>
      <div className={desk.row}>
        Divide it
        <Choice
          label="Divide it"
          value={divide.by}
          options={[{ value: 'none', label: 'in one piece' }, { value: 'gores', label: 'gores round an axis' }, { value: 'panels', label: 'panels side by side' }]}
          onChange={(by) => set({ divide: to(by) })}
        />
      </div>
      {divide.by !== 'none' && (
        <label className={desk.row}>
          How many
          <Count value={divide.count} bounds={spreadBounds.pieces} onChange={(count) => set({ divide: { ...divide, count: Math.round(count) } })} test="pieces" />
        </label>
      )}
      {divide.by === 'gores' && <AxisRow divide={divide} set={set} />}
      {divide.by === 'panels' && (
        <div className={desk.row}>
          One after the other
          <Choice
            label="One after the other"
            value={divide.across === null ? 'longest' : 'xyz'[divide.across.findIndex((v) => v !== 0)]}
            options={[{ value: 'longest', label: 'the longest way' }, ...['x', 'y', 'z'].map((a) => ({ value: a, label: `along ${a.toUpperCase()}` }))]}
            onChange={(a) => set({ divide: { ...divide, across: a === 'longest' ? null : ([0, 1, 2].map((k) => ('xyz'[k] === a ? 1 : 0)) as [number, number, number]) } })}
          />
        </div>
      )}
    </>
  ); // prettier-ignore
}

/** The axis of the gores: found, or a typed place with a direction of the part. */
function AxisRow({ divide, set }: { divide: Extract<Division, { by: 'gores' }>; set: (some: Partial<SpreadChoice>) => void }) {
  const { axis } = divide;
  const along = axis ? 'xyz'[axis.along.findIndex((v) => v !== 0)] : 'found';
  const unit = (a: string) => [0, 1, 2].map((k) => ('xyz'[k] === a ? 1 : 0)) as [number, number, number];
  const at = axis?.at ?? [0, 0, 0];
  return (
    <>
      <div className={desk.row}>
        Axis
        <Choice
          label="Axis of the gores"
          value={along}
          options={[{ value: 'found', label: 'where it is deepest' }, ...['x', 'y', 'z'].map((a) => ({ value: a, label: `along ${a.toUpperCase()}` }))]}
          onChange={(a) => set({ divide: { ...divide, axis: a === 'found' ? null : { at: [...at] as [number, number, number], along: unit(a) } } })}
        />
      </div>
      {axis && (
        <div className={desk.row}>
          through
          <span className="nowrap">
            {[0, 1, 2].map((k) => (
              <LengthInput
                key={k}
                bare={k < 2}
                width={62}
                label={`The axis goes through, ${'XYZ'[k]}`}
                value={String(at[k])}
                onChange={(v) => v !== '' && Number.isFinite(Number(v)) && set({ divide: { ...divide, axis: { ...axis, at: at.map((o, i) => (i === k ? Number(v) : o)) as [number, number, number] } } })}
              />
            ))}
          </span>
        </div>
      )}
    </>
  ); // prettier-ignore
}

/** How fine, and what is drawn. */
function Finer({ it }: { it: SpreadTools }) {
  const { choice, set } = it;
  return (
    <Fold title="How fine, and what is drawn" data-test="spread-finer">
      <label className={desk.row} title="Finer facets are nearer to the surface and take longer: half the size takes about five times as long">
        Facets at most
        <LengthInput width={86} value={choice.facet === null ? '' : String(choice.facet)} placeholder="found" onChange={(v) => (v === '' ? set({ facet: null }) : Number(v) >= spreadBounds.facet[0] && set({ facet: Number(v) }))} />
      </label>
      <div className={desk.row}>
        Aim
        <Choice label="Aim" value={choice.aim} options={[{ value: 'even', label: 'the worst stretch least' }, { value: 'rigid', label: 'as rigid as possible' }]} onChange={(v) => set({ aim: v as SpreadChoice['aim'] })} />
      </div>
      <Checkbox checked={choice.keepBorder} onChange={(e) => set({ keepBorder: e.target.checked })}>the border keeps its length</Checkbox>
      <Checkbox checked={choice.notches !== null} onChange={(e) => set({ notches: e.target.checked ? 100 : null })}>notches along seams</Checkbox>
      {choice.notches !== null && (
        <label className={desk.row}>
          at most apart
          <LengthInput width={86} value={String(choice.notches)} onChange={(v) => v !== '' && Number(v) >= spreadBounds.notches[0] && set({ notches: Number(v) })} />
        </label>
      )}
      <Checkbox checked={choice.writing} onChange={(e) => set({ writing: e.target.checked })}>names and arrows of the grain</Checkbox>
      <Checkbox checked={choice.inner} onChange={(e) => set({ inner: e.target.checked })}>edges between faces</Checkbox>
      <label className={desk.row}>
        Lines and arcs within
        <LengthInput width={86} value={String(choice.deviation)} onChange={(v) => Number(v) >= spreadBounds.deviation[0] && set({ deviation: Number(v) })} />
      </label>
    </Fold>
  ); // prettier-ignore
}

/** What the material bears. */
function Bears({ it }: { it: SpreadTools }) {
  const { choice, set } = it;
  const [kept, setKept] = useState({ along: 0.02, across: 0.04, shear: 5 });
  const { limits } = choice;
  const to = (some: Partial<typeof kept>) => {
    const next = { ...kept, ...limits, ...some };
    setKept(next);
    set({ limits: next });
  };
  return (
    <Fold title="What the material bears" data-test="spread-bears">
      <Checkbox checked={limits !== null} onChange={(e) => set({ limits: e.target.checked ? kept : null })}>
        tell when it would be stretched more
      </Checkbox>
      {limits && (
        <>
          <label className={desk.row}>along the grain <Count value={limits.along * 100} bounds={[0, 100]} unit="%" onChange={(v) => to({ along: v / 100 })} /></label>
          <label className={desk.row}>across it <Count value={limits.across * 100} bounds={[0, 100]} unit="%" onChange={(v) => to({ across: v / 100 })} /></label>
          <label className={desk.row}>shear <Count value={limits.shear} bounds={spreadBounds.shear} unit="°" onChange={(v) => to({ shear: v })} /></label>
        </>
      )}
    </Fold>
  ); // prettier-ignore
}
