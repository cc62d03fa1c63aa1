'use client';
import { Button, Segmented } from 'antd';
import { useState } from 'react';
import { usualText, type TextChoice } from 'tall-kite/text/choice';
import type { View } from 'tall-kite/view/view';
import { NumberField } from '@/flat-table/panels/NumberField.tsx';
import type { PanelProps } from '@/light-table/panels/panel.ts';
import { newest } from '@/light-table/panels/SoundnessPanel.tsx';
import type { Pick } from '@/light-table/picking.ts';
import type { Picking } from '@/light-table/Table.tsx';
import { MarkShape } from '@/marks/Mark.tsx';
import { Choice, Fold } from '@/shell/controls.tsx';
import { Lettered } from './Lettered.tsx';
import desk from '@/shell/desk.module.css';
import style from './letters.module.css';
import { byName, TextFields } from './TextFields.tsx';
import { axesOf, useLettering } from './useLettering.ts';

type P3 = [number, number, number];

/** Words, or a drawing of the job, sunk into a face of the part or standing out of it. */
export function Engrave({ part, tools, view, scale, setPicking }: Pick2 & { view: View | null; scale: number; setPicking: (p: Picking) => void }) {
  const operation = newest(tools.job?.operations ?? [], part.id, ['engrave']);
  const [choice, setChoice] = useState<TextChoice>({ ...usualText, size: { by: 'cap', mm: 5 } });
  const [drawing, setDrawing] = useState('');
  const [on, setOn] = useState<{ at: P3; normal: P3 } | null>(null);
  const [turn, setTurn] = useState(0);
  const [depth, setDepth] = useState(0.4);
  const [draft, setDraft] = useState(0);
  const [way, setWay] = useState<'in' | 'out'>('in');
  const [note, setNote] = useState<string | null>(null);
  const shown = useLettering(choice);
  const flats = (tools.job?.parts ?? []).filter((p) => p.summary.kind === 'drawing' && !p.leftOut);
  const pick = () =>
    setPicking({
      prompt: 'Pick the place on a face: the middle of the base line.',
      take: (at: Pick) => {
        setPicking(null);
        const normal = view && at.triangle >= 0 ? normalOf(view, at.triangle) : null;
        if (!normal) return setNote('There is no face there. Pick a place on the part.');
        setNote(null);
        setOn({ at: at.point.map((v) => v * scale) as P3, normal });
      },
    });
  if (operation) return <Lettered operation={operation} tools={tools} title="As proposed in coral, nothing changed yet" />;
  const ask = () =>
    void tools.operate({
      kind: 'engrave',
      part: part.id,
      what: drawing ? { drawing } : { text: { ...byName(choice), plate: null } },
      on: { ...on!, angle: (turn * Math.PI) / 180 },
      depth: way === 'in' ? depth : -depth,
      draft: (draft * Math.PI) / 180,
    });
  return (
    <Fold title="Words or a drawing on a face" data-test="engrave">
      <div className={style.panel} data-test="panel">
        {flats.length > 0 && (
          <label className={desk.row}>
            What
            <Choice
              label="What is put on the face"
              value={drawing}
              onChange={setDrawing}
              options={[{ value: '', label: 'words' }, ...flats.map((p) => ({ value: p.id, label: `drawing ${p.name}` }))]}
            />
          </label>
        )}
        {!drawing && <TextFields choice={choice} change={(next) => setChoice((old) => ({ ...old, ...next }))} axes={axesOf(shown)} purpose={false} />}
        <Place on={on?.at ?? null} pick={pick} />
        {note && (
          <p role="alert">
            <MarkShape mark="look" size={11} /> {note}
          </p>
        )}
        <NumberField label="Turned on the face" value={turn} unit="°" low={-360} high={360} save={setTurn} />
        <div className={desk.row}>
          <Segmented
            size="small"
            aria-label="Into or out of the face"
            value={way}
            onChange={(v) => setWay(v as 'in' | 'out')}
            options={[
              { value: 'in', label: 'into the face' },
              { value: 'out', label: 'out of it' },
            ]}
          />
        </div>
        <NumberField label={way === 'in' ? 'Deep' : 'High'} value={depth} unit="mm" low={0.01} high={1000} save={setDepth} />
        <NumberField label="Draft of its walls" value={draft} unit="°" low={0} high={60} save={setDraft} />
        <div className={desk.buttons}>
          <Button type="primary" disabled={!on || (!drawing && choice.words.trim() === '')} onClick={ask}>
            Show it on the part
          </Button>
        </div>
      </div>
    </Fold>
  );
}
/** Where it is to stand, and the way to say so. */
function Place({ on, pick }: { on: P3 | null; pick: () => void }) {
  return (
    <div className={desk.row}>
      <span>{on ? <span className="figure">{`X ${on[0].toFixed(1)} Y ${on[1].toFixed(1)} Z ${on[2].toFixed(1)} mm`}</span> : 'No place yet'}</span>
      <Button size="small" onClick={pick}>
        {on ? 'Another place' : 'Pick the place'}
      </Button>
    </div>
  );
}

type Pick2 = Omit<PanelProps, 'go'>;

/** Which way a triangle looks. */
function normalOf({ positions: p, triangles }: View, triangle: number): P3 | null {
  const [a, b, c] = [0, 1, 2].map((k) => triangles[triangle * 3 + k] * 3);
  const u = [0, 1, 2].map((k) => p[b + k] - p[a + k]);
  const v = [0, 1, 2].map((k) => p[c + k] - p[a + k]);
  const n: P3 = [u[1] * v[2] - u[2] * v[1], u[2] * v[0] - u[0] * v[2], u[0] * v[1] - u[1] * v[0]];
  const size = Math.hypot(...n);
  return size > 0 ? (n.map((x) => x / size) as P3) : null;
}
