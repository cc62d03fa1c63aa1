'use client';
import { Button } from 'antd';
import type { StepName } from 'tall-kite/steps/registry';
import type { PartView } from '@tall-kite/server/jobs/part-views';
import { MarkShape } from '@/marks/Mark.tsx';
import { ClaimStrip } from '@/shell/ClaimStrip.tsx';
import { noEvidence } from './no-evidence.ts';
import style from './evidence.module.css';

/** The evidence across the foot: one column a claim. */
export function EvidenceStrip({ part, go }: { part: PartView; go: (step: StepName) => void }) {
  const { file } = part;
  const evidence = file?.state === 'written' ? file.evidence : null;
  if (!file || !evidence) {
    return (
      <section className={style.evidence} data-test="evidence" aria-label="Evidence">
        <b>Evidence</b> <span className="context">{noEvidence(file)}</span>
      </section>
    );
  }
  const agree = evidence.claims.filter((c) => c.verdict === 'clear').length;
  return (
    <section className={style.evidence} data-test="evidence" aria-label="Evidence">
      <div className={style.said}>
        <b>Evidence</b>
        <span className={`context oneline ${style.legend}`}>
          <span className="c-designed">designed</span> over <span className="c-received">received</span>, read back from the bytes of {file.fileName}
          {file.stale && <b className="c-look"> · written before the last change; write again</b>}
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
