'use client';
import { Button, Radio, Switch } from 'antd';
import { useState } from 'react';
import { countText } from 'tall-kite/base/figures';
import { AtWork, atWork, Failed } from '@/light-table/panels/Proposal.tsx';
import { newest } from '@/light-table/panels/SoundnessPanel.tsx';
import type { PanelProps } from '@/light-table/panels/panel.ts';
import { Figures } from '@/light-table/panels/parts.tsx';
import type { OperationView } from '@tall-kite/server/operations/operations';
import type { PartView } from '@tall-kite/server/jobs/part-views';
import type { JobTools } from '@/shell/useJob.ts';
import { useOnward } from '@/shell/useOnward.ts';
import { NumberField } from './NumberField.tsx';
import { useLengths } from '@/shell/unit.tsx';
import desk from '@/shell/desk.module.css';

type How = 'one' | 'layers' | 'greys';

/** A drawing raised to a solid, of one height or one for each layer, or a picture's greys as heights: what comes of it is shown, with its figures, before it is kept. */
export function RaisePanel({ part, tools }: PanelProps) {
  const [how, setHow] = useState<How>(part.summary.drawing!.layers.length > 1 ? 'layers' : 'one');
  const operation = newest(tools.job?.operations ?? [], part.id, ['raise', 'grey-relief']);
  if (operation && atWork(operation)) return <AtWork operation={operation} tools={tools} />;
  if (operation?.state === 'ready') return <Raised operation={operation} tools={tools} />;
  return (
    <>
      <h2>Raise</h2>
      <Radio.Group value={how} onChange={(e) => setHow(e.target.value as How)} aria-label="How it is raised">
        <Radio value="one">All to one height</Radio>
        <Radio value="layers">Each layer to its own</Radio>
        {part.summary.traced && <Radio value="greys">The picture&rsquo;s greys</Radio>}
      </Radio.Group>
      {operation && <Failed operation={operation} tools={tools} />}
      {how === 'one' && <OneHeight part={part} tools={tools} />}
      {how === 'layers' && <Heights part={part} tools={tools} />}
      {how === 'greys' && <Greys part={part} tools={tools} />}
    </>
  );
}

interface Props {
  part: PartView;
  tools: JobTools;
}

function OneHeight({ part, tools }: Props) {
  const [thickness, setThickness] = useState(part.thickness ?? part.recipe.drawing?.stock?.thickness ?? 3);
  const [draft, setDraft] = useState(0);
  const drawing = part.summary.drawing!;
  return (
    <>
      <p>
        The closed contours with their holes become a solid of one height: a new part beside this drawing, to print or carve. Open contours can&rsquo;t be
        raised; {drawing.openContours === 0 ? 'there are none.' : `there are ${countText(drawing.openContours)}: close them on the Soundness step.`}
      </p>
      <NumberField label="Height" value={thickness} unit="mm" low={0.01} high={10_000} save={setThickness} />
      <Draft value={draft} save={setDraft} />
      <Button onClick={() => void tools.operate({ kind: 'raise', part: part.id, thickness, draft: radians(draft) })} type="primary">
        Show the solid
      </Button>
    </>
  );
}

const radians = (degrees: number): number => (degrees * Math.PI) / 180;

/** Walls that lean, so that what stands comes out of a mould or a stamp's ink. */
function Draft({ value, save }: { value: number; save: (degrees: number) => void }) {
  return <NumberField label="Draft of the walls, narrower upward" value={value} unit="°" low={0} high={60} save={save} />;
}

/** A height for each layer, and a plate beneath. */
function Heights({ part, tools }: Props) {
  const { layers } = part.summary.drawing!;
  const [heights, setHeights] = useState<Record<string, number>>(() => Object.fromEntries(layers.map((l, i) => [l.name, 1 + i * 0.6])));
  const [base, setBase] = useState<{ thickness: number; margin: number } | null>(null);
  const [draft, setDraft] = useState(0);
  return (
    <>
      <p>Heights above the plate; below 0 a layer is sunk into it, at 0 it is left out. Where layers lie on each other the highest stands.</p>
      {layers.map((l) => (
        <NumberField
          key={l.name}
          label={l.name}
          value={heights[l.name]}
          unit="mm"
          low={-10_000}
          high={10_000}
          save={(h) => setHeights({ ...heights, [l.name]: h })}
        />
      ))}
      <label className={desk.row}>
        A plate beneath
        <Switch size="small" checked={base !== null} onChange={(on) => setBase(on ? { thickness: 1.2, margin: 2 } : null)} />
      </label>
      {base && (
        <>
          <NumberField label="Plate" value={base.thickness} unit="mm" low={0.01} high={10_000} save={(thickness) => setBase({ ...base, thickness })} />
          <NumberField label="Beyond the drawing" value={base.margin} unit="mm" low={0} high={10_000} save={(margin) => setBase({ ...base, margin })} />
        </>
      )}
      <Draft value={draft} save={setDraft} />
      <Button
        onClick={() => void tools.operate({ kind: 'raise', part: part.id, thickness: 1, heights: { layers: heights, base }, draft: radians(draft) })}
        type="primary"
      >
        Show the solid
      </Button>
    </>
  );
}

/** The picture's greys as heights, for a carved relief or a backlit panel. */
function Greys({ part, tools }: Props) {
  const [choice, setChoice] = useState({ low: 0.8, high: 3, brightHigh: false, blur: 1, pitch: 0.3 });
  return (
    <>
      <p>Every grey becomes a height, with a flat bottom: a relief to carve, or a panel lit from behind, where what is dark is thick.</p>
      <NumberField label="Lowest" value={choice.low} unit="mm" low={0.05} high={1000} save={(low) => setChoice({ ...choice, low })} />
      <NumberField label="Highest" value={choice.high} unit="mm" low={0.1} high={1000} save={(high) => setChoice({ ...choice, high })} />
      <label className={desk.row}>
        What is bright is high
        <Switch size="small" checked={choice.brightHigh} onChange={(brightHigh) => setChoice({ ...choice, brightHigh })} />
      </label>
      <NumberField label="Smoothed over" value={choice.blur} unit="px" low={0} high={200} save={(blur) => setChoice({ ...choice, blur })} />
      <NumberField label="A point every" value={choice.pitch} unit="mm" low={0.01} high={100} save={(pitch) => setChoice({ ...choice, pitch })} />
      <Button onClick={() => void tools.operate({ kind: 'grey-relief', part: part.id, choice })} type="primary">
        Show the relief
      </Button>
    </>
  );
}

/** The solid that is proposed. */
function Raised({ operation, tools }: { operation: OperationView; tools: JobTools }) {
  const keep = useOnward(tools);
  const { len, lens } = useLengths();
  const [made] = operation.made;
  return (
    <section className={desk.proposal} aria-label="Proposal" data-test="raised">
      <h2>A solid of it, nothing changed yet</h2>
      {made.thumb && (
        <svg viewBox="0 0 46 46" role="img" aria-label="The solid from a corner">
          <path d={made.thumb} fill="none" stroke="var(--received)" strokeWidth="0.35" strokeLinejoin="round" />
        </svg>
      )}
      <Figures
        rows={[
          ['Size', lens(made.size)],
          ['Volume', `${made.volume.toLocaleString('en', { maximumFractionDigits: 1 })} mm³`],
          ['Triangles', countText(made.triangles ?? 0)],
          ['Volume over height', `${(made.volume / made.size[2]).toLocaleString('en', { maximumFractionDigits: 2 })} mm² × ${len(made.size[2])}`],
        ]}
      />
      <ul>
        {operation.report?.said.map((s, i) => (
          <li key={i}>{s}</li>
        ))}
      </ul>
      {operation.stale && <p className="c-look">The drawing changed after this was computed. Ask for it again.</p>}
      <div className={desk.buttons}>
        <Button disabled={operation.stale} onClick={() => void keep(operation.id)} type="primary">
          Keep the solid
        </Button>
        <Button onClick={() => void tools.drop(operation.id)}>Drop it</Button>
      </div>
    </section>
  );
}
