import { Button, Upload } from 'antd';
import { useState } from 'react';
import type { ListTaken } from '@tall-kite/server/parts/properties';
import { MarkShape } from '@/marks/Mark.tsx';
import { ask } from '@/shell/ask.ts';
import type { JobTools } from '@/shell/useJob.ts';
import frame from '@/shell/frame.module.css';
import style from './ledger.module.css';

/** A parts list in and out; what came of the last one taken. */
export function usePartsList(jobId: string, tools: JobTools) {
  const [taken, setTaken] = useState<(ListTaken & { file: string }) | null>(null);
  const take = (file: File) =>
    void tools.guarded(async () => {
      setTaken(null);
      const text = await file.text();
      setTaken({ ...(await ask<ListTaken>(`/api/jobs/${jobId}/parts-list`, { method: 'POST', text })), file: file.name });
    });
  const buttons = (
    <>
      <Upload accept=".csv,.txt,text/csv" showUploadList={false} beforeUpload={(file) => (take(file), false)} data-test="parts-list" aria-label="Parts list">
        <Button title="CSV with part number, name, quantity, material, thickness" size="small">
          Parts list in…
        </Button>
      </Upload>
      <a className={`${frame.plain} ${frame.small}`} href={`/api/jobs/${jobId}/parts-list`} download>
        Parts list out
      </a>
    </>
  );
  const notice = taken && (
    <div className={`${frame.notice} ${frame.high}`} data-test="notice" role="status">
      <MarkShape mark={taken.bad.length + taken.unused.length > 0 ? 'look' : 'clear'} />
      <div className="grow">
        <b>{taken.file}</b>: {taken.rows} good {taken.rows === 1 ? 'row' : 'rows'}, {taken.changed} {taken.changed === 1 ? 'part' : 'parts'} filled.
        {taken.bad.length > 0 && (
          <ul className={style.oddlist}>
            {taken.bad.slice(0, 8).map((b) => (
              <li key={b.line}>
                Line {b.line} was not taken: {b.why}.
              </li>
            ))}
            {taken.bad.length > 8 && <li>and {taken.bad.length - 8} more</li>}
          </ul>
        )}
        {taken.unused.length > 0 && (
          <div className="context">
            No part answers to {taken.unused.slice(0, 6).join(', ')}
            {taken.unused.length > 6 ? ` and ${taken.unused.length - 6} more` : ''}.
          </div>
        )}
      </div>
      <Button onClick={() => setTaken(null)} size="small">
        Understood
      </Button>
    </div>
  );
  return { buttons, notice };
}
