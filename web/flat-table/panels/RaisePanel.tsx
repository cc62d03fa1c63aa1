'use client';
import { Button } from 'antd';
import { useState } from 'react';
import { countText } from 'tall-kite/base/figures';
import { AtWork, atWork, Failed } from '@/light-table/panels/Proposal.tsx';
import { newest } from '@/light-table/panels/SoundnessPanel.tsx';
import type { PanelProps } from '@/light-table/panels/panel.ts';
import { Figures } from '@/light-table/panels/parts.tsx';
import type { OperationView } from '@tall-kite/server/operations/operations';
import type { JobTools } from '@/shell/useJob.ts';
import { useOnward } from '@/shell/useOnward.ts';
import { NumberField } from './NumberField.tsx';
import { useLengths } from '@/shell/unit.tsx';

/** The closed contours of a drawing raised to a solid: what comes of it is shown, with its figures, before it is kept. */
export function RaisePanel({ part, tools }: PanelProps) {
  const [thickness, setThickness] = useState(part.thickness ?? part.recipe.drawing?.stock?.thickness ?? 3);
  const operation = newest(tools.job?.operations ?? [], part.id, ['raise']);
  const drawing = part.summary.drawing!;
  if (operation && atWork(operation)) return <AtWork operation={operation} tools={tools} />;
  if (operation?.state === 'ready') return <Raised operation={operation} tools={tools} />;
  return (
    <>
      <h2>Raise</h2>
      <p>
        The closed contours with their holes become a solid of one height: a new part beside this drawing, to print or carve. Open contours can&rsquo;t be
        raised; {drawing.openContours === 0 ? 'there are none.' : `there are ${countText(drawing.openContours)}: close them on the Soundness step.`}
      </p>
      {operation && <Failed operation={operation} tools={tools} />}
      <NumberField label="Height" value={thickness} unit="mm" low={0.01} high={10_000} save={setThickness} />
      <Button onClick={() => void tools.operate({ kind: 'raise', part: part.id, thickness })} type="primary">
        Show the solid
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
    <section className="proposal" aria-label="Proposal" data-test="raised">
      <h3>A solid of it, nothing changed yet</h3>
      {made.thumb && (
        <svg className="raised" viewBox="0 0 46 46" role="img" aria-label="The solid from a corner">
          <path d={made.thumb} fill="none" stroke="var(--received)" strokeWidth="0.35" strokeLinejoin="round" />
        </svg>
      )}
      <Figures
        rows={[
          ['Size', lens(made.size)],
          ['Volume', `${made.volume.toLocaleString('en', { maximumFractionDigits: 1 })} mm³`],
          ['Triangles', countText(made.triangles ?? 0)],
          ['Flat area × height', `${(made.volume / made.size[2]).toLocaleString('en', { maximumFractionDigits: 2 })} mm² × ${len(made.size[2])}`],
        ]}
      />
      <ul>
        {operation.report?.said.map((s, i) => (
          <li key={i}>{s}</li>
        ))}
      </ul>
      {operation.stale && <p className="c-look">The drawing changed after this was computed. Ask for it again.</p>}
      <div className="buttons">
        <Button disabled={operation.stale} onClick={() => void keep(operation.id)} type="primary">
          Keep the solid
        </Button>
        <Button onClick={() => void tools.drop(operation.id)}>Drop it</Button>
      </div>
    </section>
  );
}
