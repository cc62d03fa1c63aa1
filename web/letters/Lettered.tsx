'use client';
import { Button } from 'antd';
import type { OperationView } from '@tall-kite/server/operations/operations';
import { MarkShape } from '@/marks/Mark.tsx';
import { AtWork, atWork, Failed } from '@/light-table/panels/Proposal.tsx';
import { Figures } from '@/light-table/panels/parts.tsx';
import type { JobTools } from '@/shell/useJob.ts';
import desk from '@/shell/desk.module.css';

/** What letters would make of a part: figures, what to know, and the two ways on. */
export function Lettered({ operation, tools, title = 'Letters in coral, nothing changed yet' }: { operation: OperationView; tools: JobTools; title?: string }) {
  if (atWork(operation)) return <AtWork operation={operation} tools={tools} />;
  if (operation.state !== 'ready') return <Failed operation={operation} tools={tools} />;
  const { figures = [], findings = [], said } = operation.report!;
  const told = said.filter((s) => !findings.some((f) => f.message === s));
  return (
    <section className={desk.proposal} aria-label="Proposal" data-test="lettered">
      <h2>{title}</h2>
      {figures.length > 0 && (
        <Figures
          rows={figures.map((f) => [
            f.name[0].toUpperCase() + f.name.slice(1),
            `${f.value.toLocaleString('en', { maximumFractionDigits: 2 })}${f.unit ? ` ${f.unit.replace('2', '²').replace('3', '³')}` : ''}`,
          ])}
        />
      )}
      {told.map((s) => (
        <p key={s}>{s}</p>
      ))}
      {findings.map((f) => (
        <p key={f.code + f.message}>
          <MarkShape mark={f.severity} size={11} /> {f.message} <span className="context">{f.remedy}</span>
        </p>
      ))}
      {operation.stale && <p className="c-look">The part changed after this was computed. Ask for it again.</p>}
      <div className={desk.buttons}>
        <Button type="primary" disabled={operation.stale} onClick={() => void tools.keep(operation.id)}>
          Keep it
        </Button>
        <Button onClick={() => void tools.drop(operation.id)}>Drop it</Button>
      </div>
    </section>
  );
}
