'use client';
import { Button, Progress, Upload } from 'antd';
import { useRef, useState } from 'react';
import { acceptedEndings } from 'tall-kite/pipeline/opened';
import type { Kept } from '@tall-kite/server/stores/designs';
import type { TakenIn } from '@tall-kite/server/stores/shelf-zip';
import { ask, Refused } from '@/shell/ask.ts';
import { Fold } from '@/shell/controls.tsx';
import frame from '@/shell/frame.module.css';
import style from './designs.module.css';

/** What came of files that were taken in. */
interface Taken {
  whole: number;
  done: number;
  kept: number;
  doubles: { file: string; as: string }[];
  skipped: { file: string; why: string; remedy: string }[];
  stopped: boolean;
}

const nothing: Taken = { whole: 0, done: 0, kept: 0, doubles: [], skipped: [], stopped: false };
/** So many files are on their way at a time. */
const together = 4;

/** Files, a folder or a zip into the stores, with what became of each. */
export function Intake({ shelf, refresh }: { shelf: string | undefined; refresh: () => unknown }) {
  const [taken, setTaken] = useState<Taken>(nothing);
  const stop = useRef(false);
  const busy = taken.done < taken.whole && !taken.stopped;
  const onShelf = shelf && shelf !== 'none' ? `&shelf=${shelf}` : '';

  const take = async (files: File[]) => {
    stop.current = false;
    const state: Taken = { ...nothing, whole: files.length, doubles: [], skipped: [] };
    setTaken({ ...state });
    let next = 0;
    const one = async (file: File) => {
      try {
        const { double } = await ask<Kept>(`/api/stores/designs?name=${encodeURIComponent(file.name)}${onShelf}`, { method: 'POST', file });
        if (double) state.doubles.push({ file: file.name, as: double });
        else state.kept++;
      } catch (thrown) {
        const { message, remedy } = thrown as Refused;
        state.skipped.push({ file: file.name, why: message, remedy: remedy ?? '' });
      }
      state.done++;
      setTaken({ ...state });
    };
    await Promise.all(
      Array.from({ length: together }, async () => {
        while (next < files.length && !stop.current) await one(files[next++]);
      }),
    );
    setTaken({ ...state, stopped: stop.current });
    void refresh();
  };
  const takeZip = async (file: File) => {
    setTaken({ ...nothing, whole: 1 });
    try {
      const { kept, doubles, skipped } = await ask<TakenIn>(`/api/stores/take-in?${onShelf.slice(1)}`, { method: 'POST', file });
      setTaken({ whole: kept + doubles.length + skipped.length, done: kept + doubles.length + skipped.length, kept, doubles, skipped, stopped: false });
    } catch (thrown) {
      const { message, remedy } = thrown as Refused;
      setTaken({ ...nothing, whole: 1, done: 1, skipped: [{ file: file.name, why: message, remedy: remedy ?? '' }] });
    }
    void refresh();
  };
  // All files of a choice come one by one; they are taken together once.
  const gathered = useRef<File[]>([]);
  const gather = (file: File, list: File[]) => {
    gathered.current.push(file);
    if (gathered.current.length === list.length) {
      const all = gathered.current;
      gathered.current = [];
      void take(all);
    }
    return false;
  };
  return (
    <>
      <Upload data-test="keep-files" multiple showUploadList={false} accept={acceptedEndings} beforeUpload={gather} disabled={busy}>
        <Button type="primary" disabled={busy}>
          Keep files…
        </Button>
      </Upload>
      <Upload data-test="keep-folder" directory showUploadList={false} beforeUpload={gather} disabled={busy}>
        <Button disabled={busy}>Keep a folder…</Button>
      </Upload>
      <Upload data-test="take-zip" accept=".zip" showUploadList={false} beforeUpload={(file) => (void takeZip(file), false)} disabled={busy}>
        <Button disabled={busy}>Take in a zip…</Button>
      </Upload>
      {taken.whole > 0 && <Told taken={taken} busy={busy} stop={() => (stop.current = true)} close={() => setTaken(nothing)} />}
    </>
  );
}

function Told({ taken, busy, stop, close }: { taken: Taken; busy: boolean; stop: () => void; close: () => void }) {
  const { whole, done, kept, doubles, skipped } = taken;
  return (
    <div className={`${frame.notice} ${style.ownline}`} role="status" data-test="intake">
      <div className="grow">
        {busy && <Progress percent={Math.round((100 * done) / whole)} size="small" aria-label="Files taken in" />}
        <b>
          {kept} of {whole} kept
        </b>
        {doubles.length > 0 && `, ${doubles.length} here already`}
        {skipped.length > 0 && `, ${skipped.length} left out`}
        {taken.stopped && `; stopped after ${done}`}.
        {doubles.length > 0 && (
          <Fold title={`${doubles.length} with the same bytes as one that is here`}>
            <ul>
              {doubles.slice(0, 200).map((d, i) => (
                <li key={i}>
                  {d.file} is {d.as}
                </li>
              ))}
            </ul>
          </Fold>
        )}
        {skipped.length > 0 && (
          <Fold title={`${skipped.length} left out, and why`} open={skipped.length < 6}>
            <ul>
              {skipped.slice(0, 200).map((s, i) => (
                <li key={i}>
                  {s.file}: {s.why} <span className="context">{s.remedy}</span>
                </li>
              ))}
            </ul>
          </Fold>
        )}
      </div>
      {busy ? (
        <Button size="small" onClick={stop}>
          Stop
        </Button>
      ) : (
        <Button size="small" onClick={close}>
          Close
        </Button>
      )}
    </div>
  );
}
