'use client';
import { Button } from 'antd';
import { useState } from 'react';
import type { DesignView } from '@tall-kite/server/jobs/jobs';
import { MarkShape } from '@/marks/Mark.tsx';
import { ask } from '@/shell/ask.ts';
import type { JobTools } from '@/shell/useJob.ts';
import type { Upload } from './upload.ts';
import frame from '@/shell/frame.module.css';
import style from './ledger.module.css';

/** Files on their way, designs being read, and what was odd in those that were. */
export function BringIn({ uploads, forget, designs, tools }: { uploads: Upload[]; forget: (key: number) => void; designs: DesignView[]; tools: JobTools }) {
  const shown = uploads.filter((u) => u.state !== 'done');
  const busy = designs.filter((d) => d.state === 'queued' || d.state === 'reading');
  const failed = designs.filter((d) => d.state === 'failed');
  const dismiss = (d: DesignView) => void tools.guarded(() => ask(`/api/designs/${d.id}`, { method: 'DELETE' }));
  return (
    <div aria-live="polite">
      {shown.map((u) => (
        <div className={frame.notice} data-test="notice" key={u.key}>
          {u.state === 'sending' ? (
            <>
              <div className="grow">
                Bringing in <b>{u.name}</b>
              </div>
              <div
                className={frame.bar}
                role="progressbar"
                aria-label={`Upload of ${u.name}`}
                aria-valuenow={Math.round((100 * u.sent) / u.bytes)}
                aria-valuemin={0}
                aria-valuemax={100}
              >
                <div style={{ width: `${(100 * u.sent) / u.bytes}%` }} />
              </div>
              <span className="figure">
                {(u.sent / 1e6).toFixed(1)} of {(u.bytes / 1e6).toFixed(1)} MB
              </span>
              <Button onClick={u.cancel} size="small">
                Cancel
              </Button>
            </>
          ) : (
            <>
              <MarkShape mark={u.state === 'cancelled' ? 'none' : 'stop'} />
              <div className="grow">
                <b>{u.name}</b>: {u.sentence}
              </div>
              <Button onClick={() => forget(u.key)} size="small">
                Understood
              </Button>
            </>
          )}
        </div>
      ))}
      {busy.map((d) => (
        <div className={frame.notice} data-test="notice" key={d.id}>
          <MarkShape mark="none" />
          <div className="grow">
            {d.state === 'queued' ? 'Waiting to be read:' : 'Reading'} <b>{d.fileName}</b> <span className="figure">({(d.bytes / 1e6).toFixed(2)} MB)</span>
            {d.state === 'reading' && d.doing !== '' && `: ${d.doing}`}
          </div>
          {d.state === 'reading' && d.progress > 0 && (
            <div
              className={frame.bar}
              role="progressbar"
              aria-label={`Reading of ${d.fileName}`}
              aria-valuenow={Math.round(d.progress * 100)}
              aria-valuemin={0}
              aria-valuemax={100}
            >
              <div style={{ width: `${d.progress * 100}%` }} />
            </div>
          )}
          <Button onClick={() => dismiss(d)} size="small">
            Cancel
          </Button>
        </div>
      ))}
      {failed.map((d) => (
        <div className={frame.notice} data-test="notice" key={d.id} role="alert">
          <MarkShape mark="stop" />
          <div className="grow">
            <b>{d.fileName}</b> was not brought in. {d.failure?.message} {d.failure?.remedy}
          </div>
          <Button onClick={() => dismiss(d)} size="small">
            Take it off the list
          </Button>
        </div>
      ))}
      <Oddities designs={designs} tools={tools} />
    </div>
  );
}

/** What was odd in the files that were read: folded to one line until it is opened. */
function Oddities({ designs, tools }: { designs: DesignView[]; tools: JobTools }) {
  const [open, setOpen] = useState(false);
  // What was odd in a revision that another took the place of matters no more.
  const replaced = new Set(designs.filter((d) => d.state === 'read').map((d) => d.replaces));
  const odd = designs
    .filter((d) => !replaced.has(d.id) || tools.job?.parts.some((p) => p.designId === d.id && p.change?.state !== 'gone'))
    .flatMap((d) => d.findings.filter((f) => f.severity !== 'clear').map((f) => ({ d, f })));
  if (odd.length === 0) return null;
  const empty = (d: DesignView) => d.state === 'read' && !tools.job?.parts.some((p) => p.designId === d.id);
  return (
    <div className={`${frame.notice} ${frame.high}`} data-test="notice">
      <MarkShape mark={odd.some((o) => o.f.severity === 'stop') ? 'stop' : 'look'} />
      <div className="grow">
        {odd.length === 1 ? '1 thing was odd' : `${odd.length} things were odd`} in the files brought in.
        {open && (
          <ul className={style.oddlist}>
            {odd.map(({ d, f }, i) => (
              <li key={i}>
                <b>{d.fileName}</b>: {f.message} <span className="context">{f.remedy}</span>{' '}
                {empty(d) && (
                  <Button onClick={() => void tools.guarded(() => ask(`/api/designs/${d.id}`, { method: 'DELETE' }))} size="small">
                    Take it off the list
                  </Button>
                )}
              </li>
            ))}
          </ul>
        )}
      </div>
      <Button aria-expanded={open} onClick={() => setOpen(!open)} size="small">
        {open ? 'Fold' : 'Show them'}
      </Button>
    </div>
  );
}
