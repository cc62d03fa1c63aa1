'use client';
import { Button } from 'antd';
import { useCallback, useState, type RefCallback } from 'react';
import { counted } from 'tall-kite/base/figures';
import { worst } from 'tall-kite/base/finding';
import { claimFigure, unitText } from 'tall-kite/prove/page';
import type { StepName } from 'tall-kite/steps/registry';
import type { PartView } from '@tall-kite/server/jobs/part-views';
import { Mark, MarkShape } from '@/marks/Mark.tsx';
import { inRoom } from './in-room.ts';
import style from './evidence.module.css';

/** The evidence across the foot: one column a claim. */
export function EvidenceStrip({ part, go }: { part: PartView; go: (step: StepName) => void }) {
  const evidence = part.file?.state === 'written' ? part.file.evidence : null;
  const [strip, room] = useRoom();
  if (!evidence) {
    const busy = part.file?.state === 'queued' || part.file?.state === 'writing';
    return (
      <section className={style.evidence} data-test="evidence" aria-label="Evidence">
        <b>Evidence</b>{' '}
        <span className="context">
          {busy
            ? 'The file is being written and read back …'
            : part.file?.state === 'failed'
              ? `${part.file.failure?.message ?? ''} ${part.file.failure?.remedy ?? ''}`
              : 'None yet: write the file, and what its bytes say is held against the design here.'}
        </span>
      </section>
    );
  }
  const { shown, rest } = inRoom(evidence.claims, room);
  const agree = evidence.claims.filter((c) => c.verdict === 'clear').length;
  return (
    <section className={style.evidence} data-test="evidence" aria-label="Evidence">
      <div className={style.said}>
        <b>Evidence</b>
        <span className={`context oneline ${style.legend}`}>
          <span className="c-designed">designed</span> over <span className="c-received">received</span>, read back from the bytes of {part.file?.fileName}
          {part.file?.stale && <b className="c-look"> · written before the last change; write again</b>}
        </span>
        {evidence.reason && (
          <span className={`oneline c-${evidence.verdict} ${style.reason}`} title={evidence.reason} data-test="reason">
            <MarkShape mark={evidence.verdict} size={11} /> {evidence.reason}
          </span>
        )}
        <span className={`context ${style.agree}`}>
          {agree} of {evidence.claims.length} agree
        </span>
        <Button className={style.all} onClick={() => go('Received')} size="small">
          All of it
        </Button>
      </div>
      <div className={style.strip} ref={strip} role="group" aria-label="Claims">
        {shown.map((c) => (
          <div className={style.claim} data-test="claim" key={c.quantity}>
            <b>
              {c.quantity}
              {c.unit && ` (${unitText(c.unit)})`}
            </b>
            <div className="figure c-designed">{(c.tolerance !== null && c.difference === null ? 'at most ' : '') + claimFigure(c.designed, c.unit)}</div>
            <div className="figure c-received">{claimFigure(c.received, c.unit)}</div>
            <Mark mark={c.verdict} size={11} />
          </div>
        ))}
        {rest.length > 0 && (
          <div className={style.claim} data-test="claim">
            <b>and {counted(rest.length, 'more claim')}</b>
            <div>
              <Mark mark={worst(rest.map((c) => c.verdict))} size={11} />
            </div>
            <Button size="small" onClick={() => go('Received')}>
              Show them
            </Button>
          </div>
        )}
      </div>
    </section>
  );
}

/** Least width of a claim, px. */
const claimWidth = 104;

/** How many claims stand side by side in an element, as it is wide now. */
function useRoom(): [RefCallback<HTMLElement>, number] {
  const [room, setRoom] = useState(11);
  const ref = useCallback((element: HTMLElement | null) => {
    if (!element) return;
    const watch = new ResizeObserver(() => setRoom(Math.max(2, Math.floor(element.clientWidth / claimWidth))));
    watch.observe(element);
    return () => watch.disconnect();
  }, []);
  return [ref, room];
}
