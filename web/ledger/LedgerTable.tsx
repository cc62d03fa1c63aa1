'use client';
import { Checkbox } from 'antd';
import Link from 'next/link';
import { useRouter } from 'next/navigation';
import { memo, useCallback, useEffect, useRef, type RefObject } from 'react';
import { columns, type StepState } from 'tall-kite/steps/registry';
import type { PartView } from '@tall-kite/server/jobs/jobs';
import { lineTo, MarkShape } from '@/marks/Mark.tsx';
import { useShortcuts } from '@/shell/Keys.tsx';
import { useRows } from '@/shell/useRows.ts';
import type { JobTools } from '@/shell/useJob.ts';
import { thicknessText } from './filter.ts';
import { Thumb } from './Thumb.tsx';

const widths = ['3%', '20%', '8%', '15%', '12%', '11%', '10%', '12%', '9%'];
const stepPath = (job: string, part: string, step: string) => `/jobs/${job}/parts/${part}?step=${step.toLowerCase()}`;

/** Height of a row, px; rows out of sight are not drawn once there are many. */
const rowHeight = 61;
const drawnAll = 60;

interface Props {
  jobId: string;
  parts: PartView[];
  chosen: PartView | null;
  choose: (id: string) => void;
  marked: ReadonlySet<string>;
  mark: (ids: string[], on: boolean) => void;
  scroller: RefObject<HTMLDivElement | null>;
  tools: JobTools;
}

/** Parts as rows, steps as columns, each row strung on its thread. */
export function LedgerTable({ jobId, parts, chosen, choose, marked, mark, scroller, tools }: Props) {
  const router = useRouter();
  const last = useRef<number | null>(null);
  const { items, above, below, show } = useRows(parts.length, rowHeight, scroller, drawnAll, (i) => parts[i].id);
  const move = (by: number) => {
    const at = parts.findIndex((p) => p.id === chosen?.id);
    const next = parts[Math.min(parts.length - 1, Math.max(0, at + by))];
    if (next) choose(next.id);
  };
  const at = parts.findIndex((p) => p.id === chosen?.id);
  useEffect(() => {
    if (at >= 0) show(at);
    // Only when another part is chosen: a list that changes below it stays where it is.
  }, [chosen?.id]);
  const toggle = useCallback(
    (index: number, on: boolean, range: boolean) => {
      const from = range && last.current !== null ? last.current : index;
      const [a, b] = from < index ? [from, index] : [index, from];
      last.current = index;
      mark(
        parts.slice(a, b + 1).map((p) => p.id),
        on,
      );
    },
    [parts, mark],
  );
  useShortcuts({
    ArrowDown: () => move(1),
    ArrowUp: () => move(-1),
    Enter: () => chosen && router.push(stepPath(jobId, chosen.id, firstTrouble(chosen))),
    w: () => chosen && void tools.write(chosen),
    x: () => chosen && mark([chosen.id], !marked.has(chosen.id)),
    'Ctrl+a': () =>
      mark(
        parts.map((p) => p.id),
        true,
      ),
  });
  const many = parts.length > drawnAll;
  // Rows that leave the picture are filled anew for those that come, so that few elements are made while scrolling.
  const most = useRef(0);
  most.current = Math.max(most.current, items.length + 1);
  const shownMarked = parts.filter((p) => marked.has(p.id)).length;
  return (
    <table className="ledger" aria-label="Parts and their steps" aria-rowcount={parts.length + 1}>
      <colgroup>
        {widths.map((w, i) => (
          <col key={i} style={{ width: w }} />
        ))}
      </colgroup>
      <thead>
        <tr aria-rowindex={1}>
          <th scope="col">
            <Checkbox
              aria-label="Choose all that are shown"
              checked={parts.length > 0 && shownMarked === parts.length}
              indeterminate={shownMarked > 0 && shownMarked < parts.length}
              onChange={(e) =>
                mark(
                  parts.map((p) => p.id),
                  e.target.checked,
                )
              }
            />
          </th>
          <th scope="col">Part</th>
          {columns.map((name) => (
            <th scope="col" key={name}>
              {name}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {above > 0 && <tr aria-hidden="true" style={{ height: above }} />}
        {items.map(({ index }) => (
          <Row
            key={many ? index % most.current : parts[index].id}
            jobId={jobId}
            part={parts[index]}
            index={index}
            chosen={parts[index].id === chosen?.id}
            marked={marked.has(parts[index].id)}
            choose={choose}
            toggle={toggle}
          />
        ))}
        {below > 0 && <tr aria-hidden="true" style={{ height: below }} />}
      </tbody>
    </table>
  );
}

/** The step to open first: the worst one, or Facets. */
function firstTrouble(part: PartView): string {
  return (part.steps.find((s) => s.mark === 'stop') ?? part.steps.find((s) => s.mark === 'look'))?.step ?? 'facets';
}

/** Number, stock and variant of a part, as far as they are known. */
function propertiesText(part: PartView): string {
  const stock = [part.material, part.thickness === null ? '' : thicknessText(part.thickness)].filter(Boolean).join(' ');
  return [part.number, stock, part.variant].filter(Boolean).join(', ');
}

const revisionMarks = { same: 'clear', changed: 'look', new: 'look', gone: 'stop', old: 'look' } as const;
const revisionWords = { same: 'same', changed: 'changed', new: 'new', gone: 'gone', old: 'older shape' } as const;

interface RowProps {
  jobId: string;
  part: PartView;
  index: number;
  chosen: boolean;
  marked: boolean;
  choose: (id: string) => void;
  toggle: (index: number, on: boolean, range: boolean) => void;
}

const Row = memo(function Row({ jobId, part, index, chosen, marked, choose, toggle }: RowProps) {
  const { change } = part;
  const more = propertiesText(part);
  return (
    <tr aria-selected={chosen} aria-rowindex={index + 2} className={part.leftOut ? 'out' : ''} onClick={() => choose(part.id)} data-part={part.name}>
      <td>
        <Checkbox
          aria-label={`Choose ${part.name}`}
          checked={marked}
          onChange={(e) => toggle(index, e.target.checked, (e.nativeEvent as MouseEvent).shiftKey === true)}
        />
      </td>
      <th scope="row">
        <div className="partname">
          <Thumb part={part} />
          <div style={{ minWidth: 0 }}>
            <Link href={stepPath(jobId, part.id, firstTrouble(part))} prefetch={false} title={part.summary.path.join(' / ')}>
              {part.name}
            </Link>
            <span className="context oneline" title={more}>
              <span className="figure">{part.quantity}</span> off
              {part.leftOut ? ', left out' : more ? `, ${more}` : part.summary.path.length > 1 ? `, ${part.summary.path[0]}` : ''}
            </span>
            {change && change.state !== 'same' && (
              <span className={`context oneline mark c-${revisionMarks[change.state]}`} title={change.what.join('; ')}>
                <MarkShape mark={revisionMarks[change.state]} size={9} /> {revisionWords[change.state]}
                {change.what.length > 0 ? `: ${change.what[0]}` : ''}
              </span>
            )}
          </div>
        </div>
      </th>
      {columns.map((column, i) => {
        const [step, next] = [column, columns[i + 1]].map((c) => part.steps.find((s) => s.column === c));
        return <td key={column}>{step && <Cell step={step} next={next} last={i === columns.length - 1} />}</td>;
      })}
    </tr>
  );
});

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
