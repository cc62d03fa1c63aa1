'use client';
import { Button } from 'antd';
import { claimFigure, unitText } from 'tall-kite/prove/page';
import type { StepName } from 'tall-kite/steps/registry';
import type { PartView } from '@tall-kite/server/jobs/jobs';
import { Mark, MarkShape } from '@/marks/Mark.tsx';

/** The evidence across the foot: one column a claim. */
export function EvidenceStrip({ part, go }: { part: PartView; go: (step: StepName) => void }) {
  const evidence = part.file?.state === 'written' ? part.file.evidence : null;
  if (!evidence) {
    const busy = part.file?.state === 'queued' || part.file?.state === 'writing';
    return (
      <section className="evidence" aria-label="Evidence">
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
    <section className="evidence" aria-label="Evidence">
      <div style={{ display: 'flex', gap: 16, alignItems: 'baseline' }}>
        <b>Evidence</b>
        <span className="context oneline" style={{ minWidth: 180 }}>
          <span className="d">designed</span> over <span className="r">received</span>, read back from the bytes of {part.file?.fileName}
          {part.file?.stale && <b className="c-look"> · written before the last change; write again</b>}
        </span>
        {evidence.reason && (
          <span className={`oneline c-${evidence.verdict}`} style={{ flexShrink: 2 }} title={evidence.reason} data-test="reason">
            <MarkShape mark={evidence.verdict} size={11} /> {evidence.reason}
          </span>
        )}
        <span className="context" style={{ marginLeft: 'auto', whiteSpace: 'nowrap' }}>
          {agree} of {evidence.claims.length} agree
        </span>
        <Button style={{ whiteSpace: 'nowrap', flexShrink: 0 }} onClick={() => go('Received')} size="small">
          All of it
        </Button>
      </div>
      <div className="strip" tabIndex={0} role="group" aria-label="Claims">
        {evidence.claims.map((c) => (
          <div className="claim" key={c.quantity}>
            <b>
              {c.quantity}
              {c.unit && ` (${unitText(c.unit)})`}
            </b>
            <div className="figure d">{(c.tolerance !== null && c.difference === null ? '≤ ' : '') + claimFigure(c.designed, c.unit)}</div>
            <div className="figure r">{claimFigure(c.received, c.unit)}</div>
            <Mark mark={c.verdict} size={11} />
          </div>
        ))}
      </div>
    </section>
  );
}
