'use client';
import { Button, Checkbox, Switch } from 'antd';
import { useState } from 'react';
import type { Arrangement } from 'tall-kite/drawing/arrange';
import { Lettered } from '@/letters/Lettered.tsx';
import desk from '@/shell/desk.module.css';
import style from '@/letters/letters.module.css';
import type { PanelProps } from '@/light-table/panels/panel.ts';
import { newest } from '@/light-table/panels/SoundnessPanel.tsx';
import { Fold } from '@/shell/controls.tsx';
import { NumberField } from './NumberField.tsx';

const still: Arrangement = { layers: null, by: [0, 0], turn: 0, scale: 1, mirror: false, columns: 1, rows: 1, step: [0, 0] };

/** Layers moved, turned, scaled and repeated as one: letters, artwork, or all of it. */
export function ArrangePanel({ part, tools }: PanelProps) {
  const operation = newest(tools.job?.operations ?? [], part.id, ['arrange']);
  const layers = part.summary.drawing!.layers.map((l) => l.name);
  const [how, setHow] = useState(still);
  const [turn, setTurn] = useState(0);
  const set = (next: Partial<Arrangement>) => setHow((old) => ({ ...old, ...next }));
  const chosen = how.layers ?? layers;
  const show = () => void tools.operate({ kind: 'arrange', part: part.id, how: { ...how, turn: (turn * Math.PI) / 180 } });
  const moves = JSON.stringify({ ...how, layers: null }) !== JSON.stringify(still) || turn !== 0;
  return (
    <Fold title="Move, turn, scale, repeat" open={operation !== null} data-test="arrange">
      {operation ? (
        <Lettered operation={operation} tools={tools} title="Arranged in coral, nothing changed yet" />
      ) : (
        <div className={style.panel} data-test="panel">
          {layers.length > 1 && (
            <Checkbox.Group
              aria-label="Layers that go together"
              value={chosen}
              options={layers}
              onChange={(names) => set({ layers: names.length === layers.length ? null : (names as string[]) })}
            />
          )}
          <NumberField label="Moved along X" value={how.by[0]} unit="mm" low={-1e5} high={1e5} save={(v) => set({ by: [v, how.by[1]] })} />
          <NumberField label="along Y" value={how.by[1]} unit="mm" low={-1e5} high={1e5} save={(v) => set({ by: [how.by[0], v] })} />
          <NumberField label="Turned about its middle" value={turn} unit="°" low={-360} high={360} save={setTurn} />
          <NumberField label="Scaled" value={how.scale} unit="×" low={0.001} high={1000} save={(scale) => set({ scale })} />
          <label className={desk.row}>
            Mirrored
            <Switch size="small" aria-label="Mirrored" checked={how.mirror} onChange={(mirror) => set({ mirror })} />
          </label>
          <NumberField label="Columns" value={how.columns} unit="" low={1} high={1000} save={(v) => set({ columns: Math.round(v) })} />
          {how.columns > 1 && (
            <NumberField label="from one to the next" value={how.step[0]} unit="mm" low={-1e5} high={1e5} save={(v) => set({ step: [v, how.step[1]] })} />
          )}
          <NumberField label="Rows" value={how.rows} unit="" low={1} high={1000} save={(v) => set({ rows: Math.round(v) })} />
          {how.rows > 1 && (
            <NumberField label="from row to row" value={how.step[1]} unit="mm" low={-1e5} high={1e5} save={(v) => set({ step: [how.step[0], v] })} />
          )}
          <div className={desk.buttons}>
            <Button type="primary" disabled={!moves || chosen.length === 0} onClick={show}>
              Show it moved
            </Button>
          </div>
        </div>
      )}
    </Fold>
  );
}
