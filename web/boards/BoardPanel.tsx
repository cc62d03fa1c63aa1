'use client';
import { Button, Checkbox } from 'antd';
import { maskColours, usualPanel, type BoardChoice, type PanelChoice } from 'tall-kite/boards/choice';
import { Files } from '@/join/Files.tsx';
import { MarkShape } from '@/marks/Mark.tsx';
import { Choice, Fold } from '@/shell/controls.tsx';
import { LengthInput } from '@/shell/LengthInput.tsx';
import { Len } from '@/shell/unit.tsx';
import type { JobTools } from '@/shell/useJob.ts';
import { receiverLabel } from '@/stores/useReceivers.ts';
import type { BoardTools } from './useBoard.ts';
import desk from '@/shell/desk.module.css';

type Numbers = { [K in keyof BoardChoice]: BoardChoice[K] extends number ? K : never }[keyof BoardChoice];

/** What the board is made of and how, what was read back, and its files. */
export function BoardPanel({ board, tools }: { board: BoardTools; tools: JobTools }) {
  return (
    <aside className={desk.panel} data-test="panel" aria-label="The board, the proof and its files" tabIndex={0}>
      {board.board && <Figures board={board} />}
      {board.board && <Proof board={board} />}
      <Stuff board={board} />
      <Panel board={board} />
      <Write board={board} />
      <Files operations={board.files} tools={tools} />
    </aside>
  );
}

const plating = (plated: boolean | null) => (plated === null ? 'not said' : plated ? 'plated' : 'bare');

function Figures({ board }: { board: BoardTools }) {
  const { figures: f } = board.board!.view;
  return (
    <>
      <h2>Read back from the zip</h2>
      <dl data-test="board-figures">
        <dt>size</dt>
        <dd>
          <Len mm={f.size[0]} /> × <Len mm={f.size[1]} />
        </dd>
        <dt>outline</dt>
        <dd>
          <Len mm={f.outline.length} />, {(f.outline.area / 100).toFixed(2)} cm²
        </dd>
        {f.holes.map((h) => (
          <Pair key={`${h.diameter} ${h.plated}`} name={`holes, ${plating(h.plated)}`}>
            {h.count} × ⌀ <Len mm={h.diameter} />
          </Pair>
        ))}
        {f.slots.map((s) => (
          <Pair key={`${s.width} ${s.plated}`} name={`slots, ${plating(s.plated)}`}>
            {s.count} × <Len mm={s.width} /> wide
          </Pair>
        ))}
        {f.cutOuts > 0 && <Pair name="cut-outs">{f.cutOuts}</Pair>}
        {(['top', 'bottom'] as const).map((side) => f.copper[side] !== null && <Pair key={side} name={`copper, ${side}`}>{(f.copper[side] / 100).toFixed(2)} cm²</Pair>)}
        <Pair name="least web">{f.leastWeb === null ? 'over 10 mm' : <Len mm={f.leastWeb} />}</Pair>
      </dl>
    </>
  ); // prettier-ignore
}

const Pair = ({ name, children }: { name: string; children: React.ReactNode }) => (
  <>
    <dt>{name}</dt>
    <dd>{children}</dd>
  </>
);

const shown = (v: number | string, unit: string) =>
  typeof v === 'number' ? (v !== 0 && Math.abs(v) < 1e-4 && unit === 'mm' ? 'under 0.0001' : String(Number(v.toFixed(4)))) : v;

function Proof({ board }: { board: BoardTools }) {
  const { claims, findings, verdict } = board.board!.view;
  const agree = claims.filter((c) => c.verdict === 'clear').length;
  return (
    <>
      {findings.map((f, i) => (
        <p key={i} data-test="board-finding">
          <MarkShape mark={f.severity} size={12} /> {f.message} <span className="context">{f.remedy}</span>
        </p>
      ))}
      <Fold
        open={claims.some((c) => c.verdict === 'stop')}
        title={
          <>
            <MarkShape mark={claims.some((c) => c.verdict !== 'clear') ? verdict : 'clear'} size={12} /> {agree} of {claims.length} claims agree with the
            drawing
          </>
        }
        data-test="board-proof"
      >
        <dl>
          {claims.map((c) => (
            <Pair key={c.quantity} name={c.quantity}>
              <MarkShape mark={c.verdict} size={10} /> {shown(c.received, c.unit)} {c.unit}
            </Pair>
          ))}
        </dl>
      </Fold>
    </>
  );
}

function Stuff({ board }: { board: BoardTools }) {
  const { choice, set, shops, shop, setShop } = board;
  const length = (key: Numbers, least = 0) => (
    <LengthInput width={86} value={String(choice[key])} onChange={(v) => v !== '' && Number(v) >= least && set({ [key]: Number(v) })} />
  );
  return (
    <Fold title="The board and its shop" data-test="board-stuff">
      <div className={desk.row}>
        shop <Choice label="Board shop" value={shop?.id ?? ''} options={shops.map((s) => ({ value: s.id, label: receiverLabel(s) }))} onChange={setShop} />
      </div>
      <div className={desk.row}>
        copper{' '}
        <Choice
          label="Copper"
          value={choice.copper}
          options={[{ value: 'none', label: 'none poured' }, { value: 'top', label: 'on top' }, { value: 'both', label: 'on both sides' }]}
          onChange={(v) => set({ copper: v as BoardChoice['copper'] })}
        />
      </div>
      <div className={desk.row}>
        mask <Choice label="Mask" value={choice.mask} options={maskColours.map((m) => ({ value: m, label: m }))} onChange={(v) => set({ mask: v as BoardChoice['mask'] })} />
      </div>
      <label className={desk.row}>thickness {length('thickness', 0.1)}</label>
      <label className={desk.row} title="Between poured copper and edges, cut-outs and bare holes">clearance {length('clearance', 0.02)}</label>
      <label className={desk.row} title="Copper around plated holes">ring {length('ring')}</label>
      <label className={desk.row} title="How much larger openings of the mask are than the copper in them">mask expansion {length('maskGrow')}</label>
      <label className={desk.row} title="Inner corners of edges and cut-outs are rounded by this; 0 leaves them">inner corners round by {length('innerRadius')}</label>
      <label className={desk.row}>lines of the legend {length('legendWidth', 0.01)}</label>
      <OrderSpot board={board} />
      <div className={desk.row}>
        names{' '}
        <Choice
          label="Names of files"
          value={choice.names}
          options={[{ value: 'standard', label: 'by the standard, .gbr' }, { value: 'trade', label: 'endings of the trade' }]}
          onChange={(v) => set({ names: v as BoardChoice['names'] })}
        />
      </div>
    </Fold>
  ); // prettier-ignore
}

/** A spot of the legend where the shop may print its order number. */
function OrderSpot({ board }: { board: BoardTools }) {
  const { choice, set } = board;
  const [a, b] = board.board?.view.box ?? [0, 0];
  const spot = choice.orderSpot;
  const to = (some: Partial<NonNullable<BoardChoice['orderSpot']>>) => set({ orderSpot: { ...spot!, ...some } });
  return (
    <>
      <Checkbox checked={spot !== null} onChange={(e) => set({ orderSpot: e.target.checked ? { x: a + 10, y: b + 5, side: 'bottom' } : null })}>
        a spot for the order number
      </Checkbox>
      {spot && (
        <div className={desk.row}>
          <Choice label="Side of the spot" value={spot.side} options={['top', 'bottom'].map((v) => ({ value: v, label: v }))} onChange={(v) => to({ side: v as 'top' | 'bottom' })} />
          <LengthInput bare width={64} label="Middle of the spot, X" value={String(spot.x)} onChange={(v) => v !== '' && to({ x: Number(v) })} />
          <LengthInput width={64} label="Middle of the spot, Y" value={String(spot.y)} onChange={(v) => v !== '' && to({ y: Number(v) })} />
        </div>
      )}
    </>
  ); // prettier-ignore
}

function Panel({ board }: { board: BoardTools }) {
  const { choice, set } = board;
  const panel = choice.panel;
  const to = (some: Partial<PanelChoice>) => set({ panel: { ...panel!, ...some } });
  const length = (key: 'gap' | 'rail' | 'tabWidth', least: number) => (
    <LengthInput width={86} value={String(panel![key])} onChange={(v) => v !== '' && Number(v) >= least && to({ [key]: Number(v) })} />
  );
  const many = Array.from({ length: 12 }, (_, i) => ({ value: i + 1, label: String(i + 1) }));
  return (
    <Fold title="Several as one panel" data-test="board-panel">
      <Checkbox checked={panel !== null} onChange={(e) => set({ panel: e.target.checked ? usualPanel : null })}>
        several boards in one
      </Checkbox>
      {panel && (
        <>
          <div className={desk.row}>
            columns × rows{' '}
            <span className="nowrap">
              <Choice label="Columns" value={panel.columns} options={many} onChange={(v) => to({ columns: Number(v) })} /> ×{' '}
              <Choice label="Rows" value={panel.rows} options={many} onChange={(v) => to({ rows: Number(v) })} />
            </span>
          </div>
          <div className={desk.row}>
            held by{' '}
            <Choice
              label="Held by"
              value={panel.join}
              options={[{ value: 'tabs', label: 'tabs with small holes' }, { value: 'scored', label: 'scored lines' }]}
              onChange={(v) => to({ join: v as PanelChoice['join'] })}
            />
          </div>
          {panel.join === 'tabs' && <label className={desk.row}>gap that is routed {length('gap', 0.8)}</label>}
          {panel.join === 'tabs' && <label className={desk.row}>width of a tab {length('tabWidth', 1)}</label>}
          <label className={desk.row}>rails {length('rail', 0)}</label>
          <Checkbox checked={panel.fiducials} onChange={(e) => to({ fiducials: e.target.checked })}>
            fiducials in the rails
          </Checkbox>
          <Checkbox checked={panel.tooling} onChange={(e) => to({ tooling: e.target.checked })}>
            holes for pins in the rails
          </Checkbox>
        </>
      )}
    </Fold>
  ); // prettier-ignore
}

function Write({ board }: { board: BoardTools }) {
  return (
    <>
      <h2>Files</h2>
      <Button type="primary" disabled={!board.board || board.changed || !board.shop} onClick={() => void board.write(board.shop!)} data-test="write-board">
        Write the zip, and read it back
      </Button>
      <p className="context">Gerber layers, drill files with plated and bare holes apart, the job file and a readme.</p>
    </>
  );
}
