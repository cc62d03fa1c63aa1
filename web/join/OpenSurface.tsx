'use client';
import { Button } from 'antd';
import { useState } from 'react';
import { lengthText } from 'tall-kite/base/figures';
import { scaleOf } from 'tall-kite/recipe/recipe';
import type { PartView } from '@tall-kite/server/jobs/part-views';
import { Choice } from '@/shell/controls.tsx';
import desk from '@/shell/desk.module.css';
import type { JobTools } from '@/shell/useJob.ts';
import { Length, numberOf } from './Length.tsx';

/** An open surface becomes a body: with a flat base, thick, or cut out of a block. */
export function OpenSurface({ part, tools }: { part: PartView; tools: JobTools }) {
  const scale = scaleOf(part.summary, part.recipe);
  const [kind, setKind] = useState<'base' | 'thicken' | 'block'>('base');
  const [text, setText] = useState(lengthText(part.summary.box.min[2] * scale - 2));
  const [margin, setMargin] = useState('1');
  if (!part.summary.openEdges) return <p className="context">Closed already: a base or a thickness is for open surfaces.</p>;
  const value = numberOf(text);
  const valid = Number.isFinite(value) && (kind !== 'thicken' || value > 0) && (kind !== 'block' || numberOf(margin) >= 0);
  return (
    <>
      <label className={desk.row}>
        Open surface
        <Choice
          value={kind}
          onChange={(value) => {
            const k = value as typeof kind;
            setKind(k);
            setText(k === 'thicken' ? '2' : lengthText(part.summary.box.min[2] * scale - 2));
          }}
          options={[
            { value: 'base', label: 'close to a flat base' },
            { value: 'thicken', label: 'thicken straight down' },
            { value: 'block', label: 'cut out of a block' },
          ]}
        />
      </label>
      <div className={desk.row}>
        <Length label={kind === 'thicken' ? 'Thickness' : 'Base at Z'} value={text} set={setText} />
        {kind === 'block' && <Length label="Margin" value={margin} set={setMargin} />}
        <Button
          disabled={!valid}
          onClick={() =>
            void tools.operate({
              kind: 'relief',
              part: part.id,
              choice:
                kind === 'thicken' ? { kind, thickness: value } : kind === 'base' ? { kind, height: value } : { kind, height: value, margin: numberOf(margin) },
            })
          }
          size="small"
        >
          Propose
        </Button>
      </div>
    </>
  );
}
