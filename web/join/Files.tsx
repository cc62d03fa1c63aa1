'use client';
import { Button } from 'antd';
import type { OperationView } from '@tall-kite/server/operations/operations';
import { AtWork, atWork, Failed } from '@/light-table/panels/Proposal.tsx';
import { Mark, MarkShape } from '@/marks/Mark.tsx';
import type { JobTools } from '@/shell/useJob.ts';
import desk from '@/shell/desk.module.css';
import frame from '@/shell/frame.module.css';

/** Files of several parts that were written here. */
export function Files({ operations, tools }: { operations: OperationView[]; tools: JobTools }) {
  return (
    <>
      {operations.map((o) => (
        <WrittenFile key={o.id} operation={o} tools={tools} />
      ))}
    </>
  );
}

/** One file of several parts, with its verdict, what was found, and the ways to get it. */
function WrittenFile({ operation, tools }: { operation: OperationView; tools: JobTools }) {
  if (atWork(operation)) return <AtWork operation={operation} tools={tools} />;
  if (operation.state !== 'ready') return <Failed operation={operation} tools={tools} />;
  const file = operation.report!.file!;
  const agree = file.evidence.claims.filter((c) => c.verdict === 'clear').length;
  return (
    <section className={desk.written} aria-label={file.fileName} data-test="written">
      <div className={desk.row}>
        <b>{file.fileName}</b>
        <Mark mark={file.evidence.verdict} size={11} />
      </div>
      <p className="context">
        <span className="figure">{(file.bytes / 1000).toFixed(1)} kB</span>, {agree} of {file.evidence.claims.length} claims agree
        {operation.stale && '; a part changed since'}
      </p>
      {file.evidence.claims
        .filter((c) => c.verdict !== 'clear')
        .map((c) => (
          <p key={c.quantity}>
            <MarkShape mark={c.verdict} size={11} /> {c.quantity}: designed {String(c.designed)}, received {String(c.received)} {c.unit}
          </p>
        ))}
      {file.evidence.findings.map((f, i) => (
        <p key={i}>
          <MarkShape mark={f.severity} size={11} /> {f.message} <span className="context">{f.remedy}</span>
        </p>
      ))}
      <div className={desk.buttons}>
        <a className={`${frame.plain} ${frame.small}`} href={`/api/operations/${operation.id}/file`} download data-test="download">
          Download
        </a>
        <a className={`${frame.plain} ${frame.small}`} href={`/api/operations/${operation.id}/file?what=evidence`} download>
          Evidence as JSON
        </a>
        <Button onClick={() => void tools.drop(operation.id)} size="small">
          Take off the list
        </Button>
      </div>
    </section>
  );
}
