'use client';
import { Button } from 'antd';
import type { StepName } from 'tall-kite/steps/registry';
import type { PartView } from '@tall-kite/server/jobs/part-views';
import { MarkShape } from '@/marks/Mark.tsx';
import { ClaimStrip } from '@/shell/ClaimStrip.tsx';
import style from './evidence.module.css';

/** The evidence across the foot: one column a claim. */
export function EvidenceStrip({ part, go }: { part: PartView; go: (step: StepName) => void }) {
  const evidence = part.file?.state === 'written' ? part.file.evidence : null;
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
      <ClaimStrip claims={evidence.claims} showAll={() => go('Received')} />
    </section>
  );
}
