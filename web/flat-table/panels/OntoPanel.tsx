'use client';
import { Button, Segmented } from 'antd';
import { useState } from 'react';
import type { Onto } from 'tall-kite/drawing/onto';
import { Lettered } from '@/letters/Lettered.tsx';
import desk from '@/shell/desk.module.css';
import style from '@/letters/letters.module.css';
import type { PanelProps } from '@/light-table/panels/panel.ts';
import { newest } from '@/light-table/panels/SoundnessPanel.tsx';
import { Choice, Fold } from '@/shell/controls.tsx';
import { NumberField } from './NumberField.tsx';

const still: Onto = { anchor: 'zero', by: [0, 0], turn: 0, scale: 1 };

/** Another drawing of the job laid onto this one: pictures in register, artwork onto a plate. */
export function OntoPanel({ part, tools }: PanelProps) {
  const operation = newest(tools.job?.operations ?? [], part.id, ['lay-onto']);
  const others = (tools.job?.parts ?? []).filter((p) => p.summary.kind === 'drawing' && p.id !== part.id && !p.leftOut);
  const [chosen, setChosen] = useState('');
  const [how, setHow] = useState(still);
  const [turn, setTurn] = useState(0);
  const set = (next: Partial<Onto>) => setHow((old) => ({ ...old, ...next }));
  if (others.length === 0 && !operation) return null;
  // What came of the same page or picture is what is mostly meant.
  const other = others.find((p) => p.id === chosen) ?? others.find((p) => p.name.startsWith(part.name)) ?? others[0];
  const show = () => void tools.operate({ kind: 'lay-onto', part: part.id, other: other.id, how: { ...how, turn: (turn * Math.PI) / 180 } });
  return (
    <Fold title="Another drawing onto this one" open={operation !== null} data-test="onto">
      {operation ? (
        <Lettered operation={operation} tools={tools} title="With the other in coral, nothing changed yet" />
      ) : (
        <div className={style.panel} data-test="panel">
          <label className={desk.row}>
            Drawing
            <Choice label="Drawing that is laid on" value={other.id} onChange={setChosen} options={others.map((p) => ({ value: p.id, label: p.name }))} />
          </label>
          <div className={desk.row}>
            <span>By their</span>
            <Segmented
              size="small"
              aria-label="By their"
              value={how.anchor}
              onChange={(anchor) => set({ anchor: anchor as Onto['anchor'] })}
              options={[
                { value: 'zero', label: 'zeros' },
                { value: 'middle', label: 'middles' },
                { value: 'corner', label: 'low left corners' },
              ]}
            />
          </div>
          <NumberField label="Then along X" value={how.by[0]} unit="mm" low={-1e5} high={1e5} save={(v) => set({ by: [v, how.by[1]] })} />
          <NumberField label="along Y" value={how.by[1]} unit="mm" low={-1e5} high={1e5} save={(v) => set({ by: [how.by[0], v] })} />
          <NumberField label="Turned" value={turn} unit="°" low={-360} high={360} save={setTurn} />
          <NumberField label="Scaled" value={how.scale} unit="×" low={0.001} high={1000} save={(scale) => set({ scale })} />
          <p className="context">
            Pictures of one frame and one size lie in register zero on zero. Its layers come beside those that are here; the other stays as it is.
          </p>
          <div className={desk.buttons}>
            <Button type="primary" onClick={show}>
              Show both on the sheet
            </Button>
          </div>
        </div>
      )}
    </Fold>
  );
}
