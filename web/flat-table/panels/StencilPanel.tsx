'use client';
import { Button } from 'antd';
import { useState } from 'react';
import { counted } from 'tall-kite/base/figures';
import type { OperationView } from '@tall-kite/server/operations/operations';
import type { JobTools } from '@/shell/useJob.ts';
import { AtWork, atWork, Failed } from '@/light-table/panels/Proposal.tsx';
import type { PanelProps } from '@/light-table/panels/panel.ts';
import { newest } from '@/light-table/panels/SoundnessPanel.tsx';
import { Fold, Glide } from '@/shell/controls.tsx';
import { NumberField } from './NumberField.tsx';
import desk from '@/shell/desk.module.css';

/** Bridges for the islands of a stencil: shown before they are kept. */
export function StencilPanel({ part, tools }: PanelProps) {
  const [choice, setChoice] = useState({ count: 2, width: 2, from: 0 });
  const operation = newest(tools.job?.operations ?? [], part.id, ['bridge']);
  const { holes } = part.summary.drawing!;
  if (holes === 0 && !operation) return null;
  const show = () => void tools.operate({ kind: 'bridge', part: part.id, choice });
  return (
    <Fold title={`Bridges for a stencil (${counted(holes, 'hole')})`} open={operation !== null} data-test="stencil">
      <p>
        What lies in a hole of a region that is cut away falls out. Bridges are strips that are not cut: each island is held by as many as you say, the first
        where it is nearest to the edge round it.
      </p>
      <NumberField
        label="Bridges for each island"
        value={choice.count}
        unit=""
        low={1}
        high={20}
        save={(v) => setChoice({ ...choice, count: Math.round(v) })}
      />
      <NumberField label="Wide" value={choice.width} unit="mm" low={0.05} high={100} save={(width) => setChoice({ ...choice, width })} />
      <div className={desk.row}>
        <span>Moved along the island</span>
        <span className="grow">
          <Glide
            label="Moved along the island"
            words={`${(choice.from * 100).toFixed(0)} %`}
            min={0}
            max={1}
            step={0.01}
            value={choice.from}
            onChange={(from) => setChoice({ ...choice, from })}
          />
        </span>
        <span className="figure">{(choice.from * 100).toFixed(0)} %</span>
      </div>
      <Came operation={operation} tools={tools} show={show} />
    </Fold>
  );
}

/** What came of asking, or the way to ask. */
function Came({ operation, tools, show }: { operation: OperationView | null; tools: JobTools; show: () => void }) {
  if (operation && atWork(operation)) return <AtWork operation={operation} tools={tools} />;
  if (operation?.state !== 'ready')
    return (
      <>
        {operation && <Failed operation={operation} tools={tools} />}
        <Button onClick={show}>Show the bridges</Button>
      </>
    );
  const some = operation.made.length > 0;
  return (
    <section className={desk.proposal} aria-label="Proposal" data-test="bridged">
      <h2>{some ? 'Bridges in coral, nothing changed yet' : 'Nothing to hold'}</h2>
      <ul>
        {operation.report?.said.map((s) => (
          <li key={s}>{s}</li>
        ))}
      </ul>
      <div className={desk.buttons}>
        {some && (
          <Button type="primary" disabled={operation.stale} onClick={() => void tools.keep(operation.id)}>
            Keep the bridges
          </Button>
        )}
        <Button onClick={show}>Again with these</Button>
        <Button onClick={() => void tools.drop(operation.id)}>{some ? 'Drop them' : 'Understood'}</Button>
      </div>
    </section>
  );
}
