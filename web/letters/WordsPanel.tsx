'use client';
import { Button } from 'antd';
import { useEffect, useState } from 'react';
import type { TextChoice } from 'tall-kite/text/choice';
import type { PanelProps } from '@/light-table/panels/panel.ts';
import { newest } from '@/light-table/panels/SoundnessPanel.tsx';
import { Lettered } from './Lettered.tsx';
import { LettersPreview } from './LettersPreview.tsx';
import desk from '@/shell/desk.module.css';
import style from './letters.module.css';
import { byName, TextFields } from './TextFields.tsx';
import { axesOf, useLettering } from './useLettering.ts';

/** The words that a drawing is made of: changed here, drawn as they are typed, kept when asked. */
export function WordsPanel({ part, tools }: PanelProps) {
  const { choice: now } = part.summary.lettered!;
  const [choice, setChoice] = useState(now);
  useEffect(() => setChoice(now), [now]);
  const change = (next: Partial<TextChoice>) => setChoice((old) => ({ ...old, ...next }));
  const changed = JSON.stringify(choice) !== JSON.stringify(now);
  // A font of one's own stays in the design's file: what is typed is drawn by the server then.
  const kept = choice.font === 'own' && choice.own?.data === '';
  const shown = useLettering(kept ? { ...choice, words: '' } : choice);
  const proposal = newest(tools.job?.operations ?? [], part.id, ['text']);
  const [asked, setAsked] = useState('');
  const fresh = changed && JSON.stringify(choice) !== asked;
  const show = () => {
    setAsked(JSON.stringify(choice));
    void tools.operate({ kind: 'text', part: part.id, choice: byName(choice) });
  };
  return (
    <div className={style.panel} data-test="panel">
      <h2>Words</h2>
      {proposal && <Lettered operation={proposal} tools={tools} />}
      {(!proposal || fresh) && (
        <Ways proposed={proposal !== null} able={changed && choice.words.trim() !== ''} changed={changed} show={show} back={() => setChoice(now)} />
      )}
      {(proposal ? fresh : changed) && !kept && <LettersPreview shown={shown} />}
      <TextFields choice={choice} change={change} axes={axesOf(shown)} plated />
    </div>
  );
}

/** What can be done with other words. */
function Ways({ proposed, able, changed, show, back }: { proposed: boolean; able: boolean; changed: boolean; show: () => void; back: () => void }) {
  return (
    <div className={desk.buttons}>
      <Button type={proposed ? 'default' : 'primary'} disabled={!able} onClick={show}>
        {proposed ? 'Show these instead' : 'Show on the sheet'}
      </Button>
      <Button disabled={!changed} onClick={back}>
        As they are
      </Button>
    </div>
  );
}
