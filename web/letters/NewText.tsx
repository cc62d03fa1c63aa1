'use client';
import { Button, Select } from 'antd';
import Papa from 'papaparse';
import { useMemo, useRef, useState } from 'react';
import { counted } from 'tall-kite/base/figures';
import { textFile } from 'tall-kite/formats/text/file';
import { mostRows, usualText, type TextChoice, type TextSeries } from 'tall-kite/text/choice';
import { filledIn } from 'tall-kite/text/filled';
import { Dialog } from '@/shell/Dialog.tsx';
import { MarkShape } from '@/marks/Mark.tsx';
import { LettersPreview } from './LettersPreview.tsx';
import desk from '@/shell/desk.module.css';
import widths from '@/shell/widths.module.css';
import style from './letters.module.css';
import { TextFields } from './TextFields.tsx';
import { useLettering } from './useLettering.ts';

/** Words become a design: drawn while they are typed, one drawing, or one for each row of a list. */
export function NewText({ close, bring }: { close: () => void; bring: (file: File) => void }) {
  const [choice, setChoice] = useState<TextChoice>(usualText);
  const [series, setSeries] = useState<TextSeries | null>(null);
  const change = (next: Partial<TextChoice>) => setChoice((old) => ({ ...old, ...next }));
  const first = useMemo(() => (series ? { ...choice, words: filledIn(choice.words, series, series.rows[0]) } : choice), [choice, series]);
  const shown = useLettering(first);
  const view = shown && !('failed' in shown) ? shown : null;
  const stop = view?.findings.find((f) => f.severity === 'stop' && f.code !== 'letters-missing');
  const make = () => {
    const base = (series ? `${counted(series.rows.length, 'text')} from a list` : choice.words.split('\n')[0].trim())
      .slice(0, 60)
      .replace(/[\\/:*?"<>|{}]+/g, '-');
    bring(
      new File([textFile({ choice: { ...choice, ...(choice.own ? {} : { own: undefined }) }, ...(series ? { series } : {}) })], `${base || 'Text'}.lettering`, {
        type: 'application/json',
      }),
    );
    close();
  };
  return (
    <Dialog title="New text" close={close} width={900}>
      <form
        data-test="newtext"
        onSubmit={(e) => {
          e.preventDefault();
          make();
        }}
      >
        <div className={style.two}>
          <div className={style.fields}>
            <TextFields choice={choice} change={change} axes={view?.axes ?? []} plated />
            <List choice={choice} change={change} series={series} set={setSeries} />
          </div>
          <div>
            <LettersPreview shown={shown} />
            {series && (
              <p className="context">Shown is the first of {counted(series.rows.length, 'drawing')}; each becomes a part called by its first column.</p>
            )}
          </div>
        </div>
        <Button type="primary" htmlType="submit" disabled={!view || stop !== undefined}>
          {series ? `Make ${counted(series.rows.length, 'drawing')}` : 'Make it'}
        </Button>{' '}
        <Button onClick={close}>Cancel</Button>
      </form>
    </Dialog>
  );
}

/** A list with a head line: its columns are put into the words. */
function List({
  choice,
  change,
  series,
  set,
}: {
  choice: TextChoice;
  change: (c: Partial<TextChoice>) => void;
  series: TextSeries | null;
  set: (s: TextSeries | null) => void;
}) {
  const picker = useRef<HTMLInputElement>(null);
  const [trouble, setTrouble] = useState<string | null>(null);
  const read = async (file: File) => {
    setTrouble(null);
    const { data } = Papa.parse<string[]>((await file.text()).replace(/^\ufeff/, ''), { skipEmptyLines: 'greedy' });
    const [head, ...rows] = data;
    if (!head || rows.length === 0) return setTrouble(`"${file.name}" has no rows below its head. The first line names the columns.`);
    if (rows.length > mostRows)
      return setTrouble(`"${file.name}" has ${rows.length.toLocaleString('en')} rows; at most ${mostRows.toLocaleString('en')}. Part the list.`);
    const columns = head.map((c) => c.trim());
    set({ columns, rows });
    if (!columns.some((c) => choice.words.includes(`{${c}}`))) change({ words: `{${columns[0]}}` });
  };
  return (
    <>
      <div className={desk.row}>
        <span>One for each row of a list</span>
        <Button size="small" onClick={() => picker.current?.click()}>
          {series ? 'Another list…' : 'Choose a CSV…'}
        </Button>
      </div>
      <input
        ref={picker}
        type="file"
        hidden
        data-test="list"
        aria-label="List of texts"
        accept=".csv,.txt"
        onChange={(e) => {
          const file = e.target.files?.[0];
          e.target.value = '';
          if (file) void read(file);
        }}
      />
      {trouble && (
        <p role="alert">
          <MarkShape mark="stop" size={11} /> {trouble}
        </p>
      )}
      {series && (
        <div className={desk.row}>
          <span>
            <span className="figure">{series.rows.length.toLocaleString('en')}</span> rows; put in
          </span>
          <Select
            size="small"
            aria-label="Column to put into the words"
            placeholder="a column"
            className={widths.w130}
            value={null}
            onChange={(column: string | null) => column !== null && change({ words: `${choice.words}{${column}}` })}
            options={series.columns.map((c) => ({ value: c, label: c }))}
          />
          <Button size="small" onClick={() => set(null)}>
            No list
          </Button>
        </div>
      )}
    </>
  );
}
