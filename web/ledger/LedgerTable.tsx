'use client';
import Link from 'next/link';
import { useRouter } from 'next/navigation';
import { useEffect, useRef } from 'react';
import { stepNames, type StepState } from 'tall-kite/ledger/steps';
import type { JobView, PartView } from '@tall-kite/server/jobs/jobs';
import { lineTo, MarkShape } from '@/marks/Mark.tsx';
import { useShortcuts } from '@/shell/Keys.tsx';
import type { JobTools } from '@/shell/useJob.ts';
import { Thumb } from './Thumb.tsx';

const widths = ['20%', '9%', '16%', '12%', '11%', '11%', '12%', '9%'];
const stepPath = (job: string, part: string, step: string) => `/jobs/${job}/parts/${part}?step=${step.toLowerCase()}`;

/** Parts as rows, steps as columns, each row strung on its thread. */
export function LedgerTable({ job, chosen, choose, tools }: { job: JobView; chosen: PartView | null; choose: (id: string) => void; tools: JobTools }) {
  const router = useRouter();
  const body = useRef<HTMLTableSectionElement>(null);
  const move = (by: number) => {
    const at = job.parts.findIndex((p) => p.id === chosen?.id);
    const next = job.parts[Math.min(job.parts.length - 1, Math.max(0, at + by))];
    if (next) choose(next.id);
  };
  useEffect(() => {
    body.current?.querySelector('[aria-selected=true]')?.scrollIntoView({ block: 'nearest' });
  }, [chosen?.id]);
  useShortcuts({
    ArrowDown: () => move(1),
    ArrowUp: () => move(-1),
    Enter: () => chosen && router.push(stepPath(job.id, chosen.id, firstTrouble(chosen))),
    w: () => chosen && void tools.write(chosen),
  });
  return (
    <table className="ledger" aria-label="Parts and their steps">
      <colgroup>
        {widths.map((w, i) => (
          <col key={i} style={{ width: w }} />
        ))}
      </colgroup>
      <thead>
        <tr>
          <th scope="col">Part</th>
          {stepNames.map((name) => (
            <th scope="col" key={name}>
              {name}
            </th>
          ))}
        </tr>
      </thead>
      <tbody ref={body}>
        {job.parts.map((part) => (
          <tr key={part.id} aria-selected={part.id === chosen?.id} className={part.leftOut ? 'out' : ''} onClick={() => choose(part.id)} data-part={part.name}>
            <th scope="row">
              <div className="partname">
                <Thumb part={part} />
                <div style={{ minWidth: 0 }}>
                  <Link href={stepPath(job.id, part.id, firstTrouble(part))} title={part.summary.path.join(' / ')}>
                    {part.name}
                  </Link>
                  <span className="context">
                    <span className="figure">{part.quantity}</span> off
                    {part.leftOut ? ', left out' : part.summary.path.length > 1 ? `, ${part.summary.path[0]}` : ''}
                  </span>
                </div>
              </div>
            </th>
            {part.steps.map((step, i) => (
              <td key={step.step}>
                <Cell step={step} last={i === part.steps.length - 1} next={part.steps[i + 1]} />
              </td>
            ))}
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** The step to open first: the worst one, or Facets. */
export function firstTrouble(part: PartView): string {
  return (part.steps.find((s) => s.mark === 'stop') ?? part.steps.find((s) => s.mark === 'look'))?.step ?? 'Facets';
}

function Cell({ step, next, last }: { step: StepState; next?: StepState; last: boolean }) {
  const words = { clear: 'clear', look: 'look', stop: 'stop', none: 'not reached' };
  const reached = step.mark !== 'none' && step.mark !== 'stop';
  return (
    <div className="cell" title={step.finding ? `${step.finding.message} ${step.finding.remedy}` : `${step.figure} ${step.context}`}>
      <span className="figure">{step.figure}</span>
      <span className="context">{step.context}</span>
      <span className="strand">
        <MarkShape mark={step.mark} />
        <span className="visually-hidden">{words[step.mark]}</span>
        {!last && <span className={`line ${reached && next ? lineTo(next.mark) : 'absent'}`} />}
      </span>
    </div>
  );
}
