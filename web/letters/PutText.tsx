'use client';
import { Button, Switch } from 'antd';
import { useState } from 'react';
import { counted } from 'tall-kite/base/figures';
import { usualText, type TextChoice } from 'tall-kite/text/choice';
import { NumberField } from '@/flat-table/panels/NumberField.tsx';
import type { FlatView } from '@/workers/flat.ts';
import type { PanelProps } from '@/light-table/panels/panel.ts';
import { newest } from '@/light-table/panels/SoundnessPanel.tsx';
import { Fold } from '@/shell/controls.tsx';
import { Lettered } from './Lettered.tsx';
import desk from '@/shell/desk.module.css';
import style from './letters.module.css';
import { byName, TextFields } from './TextFields.tsx';
import { axesOf, useLettering } from './useLettering.ts';

/** Words onto a drawing, and writing that came with its file: as lines that a tool can follow. */
export function PutText({ part, tools, view }: PanelProps & { view: FlatView | null }) {
  const { texts } = part.summary.drawing!;
  const operations = tools.job?.operations ?? [];
  const words = newest(operations, part.id, ['put-text']);
  const writing = newest(operations, part.id, ['draw-writing']);
  return (
    <>
      {(texts > 0 || writing) && (
        <section className={style.panel} data-test="writing">
          <h3>Writing in the file</h3>
          {writing ? (
            <Lettered operation={writing} tools={tools} title="Writing in coral, nothing changed yet" />
          ) : (
            <>
              <p>
                {counted(texts, 'text')} of the file {texts === 1 ? 'is' : 'are'} writing: shown to people, cut by nobody. Drawn,{' '}
                {texts === 1 ? 'it comes' : 'they come'} on the layer "engrave".
              </p>
              <div className={desk.buttons}>
                <Button onClick={() => void tools.operate({ kind: 'draw-writing', part: part.id, as: 'outlines' })}>As outlines</Button>
                <Button onClick={() => void tools.operate({ kind: 'draw-writing', part: part.id, as: 'single-line' })}>As single lines</Button>
              </div>
            </>
          )}
        </section>
      )}
      <Fold title="Text on this drawing" open={words !== null} data-test="puttext">
        <Words part={part} tools={tools} view={view} operation={words} />
      </Fold>
    </>
  );
}

/** Letters of the app go along by their name; a font of one's own is put into a new text. */
function Words({ part, tools, view, operation }: Pick<PanelProps, 'part' | 'tools'> & { view: FlatView | null; operation: ReturnType<typeof newest> }) {
  const [choice, setChoice] = useState<TextChoice>(usualText);
  const [l, b, r, t] = view?.box ?? [0, 0, 0, 0];
  const [at, setAt] = useState<[number, number] | null>(null);
  const [turn, setTurn] = useState(0);
  const [along, setAlong] = useState<{ off: number; other: boolean } | null>(null);
  const change = (next: Partial<TextChoice>) => setChoice((old) => ({ ...old, ...next }));
  const shown = useLettering(choice);
  const [x, y] = at ?? [round((l + r) / 2), round((b + t) / 2)];
  if (operation) return <Lettered operation={operation} tools={tools} />;
  const show = () =>
    void tools.operate({
      kind: 'put-text',
      part: part.id,
      choice: byName(choice),
      place: { at: [x, y], angle: (turn * Math.PI) / 180 },
      ...(along ? { along } : {}),
    });
  return (
    <div className={style.panel} data-test="panel">
      <TextFields choice={choice} change={change} axes={axesOf(shown)} />
      <NumberField label="Middle of the base line at X" value={x} unit="mm" low={-1e5} high={1e5} save={(v) => setAt([v, y])} />
      <NumberField label="and Y" value={y} unit="mm" low={-1e5} high={1e5} save={(v) => setAt([x, v])} />
      <label className={desk.row}>
        Along the contour nearest to it
        <Switch
          size="small"
          aria-label="Along the contour nearest to it"
          checked={along !== null}
          onChange={(on) => setAlong(on ? { off: 1, other: false } : null)}
        />
      </label>
      {along ? (
        <>
          <NumberField label="Off the contour by" value={along.off} unit="mm" low={-1e4} high={1e4} save={(off) => setAlong({ ...along, off })} />
          <label className={desk.row}>
            On its other side
            <Switch size="small" aria-label="On its other side" checked={along.other} onChange={(other) => setAlong({ ...along, other })} />
          </label>
        </>
      ) : (
        <NumberField label="Turned" value={turn} unit="°" low={-360} high={360} save={setTurn} />
      )}
      <div className={desk.buttons}>
        <Button type="primary" disabled={choice.words.trim() === ''} onClick={show}>
          Show on the sheet
        </Button>
      </div>
    </div>
  );
}

const round = (v: number): number => Math.round(v * 100) / 100;
