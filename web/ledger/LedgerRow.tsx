'use client';
import { Checkbox } from 'antd';
import Link from 'next/link';
import { memo } from 'react';
import { shownLength } from 'tall-kite/base/lengths';
import { scaleOf } from 'tall-kite/recipe/recipe';
import type { Strand } from 'tall-kite/steps/registry';
import { worstOf, type Cell } from 'tall-kite/steps/step';
import type { PartView } from '@tall-kite/server/jobs/part-views';
import { MarkShape, ThreadLine } from '@/marks/Mark.tsx';
import { useLengths } from '@/shell/unit.tsx';
import { thicknessText } from './filter.ts';
import list from '@/shell/list.module.css';
import style from './ledger.module.css';
import { Thumb } from './Thumb.tsx';

/** The light table with a part on it, at the step that is worst, or at the one that decides the form of its first way. */
export function stepPath(job: string, part: PartView): string {
  const worst = part.steps.find((s) => s.mark === 'stop') ?? part.steps.find((s) => s.mark === 'look');
  return `/jobs/${job}/parts/${part.id}?step=${(worst?.step ?? part.strands[0].form.step).toLowerCase()}`;
}

/** Number, stock and variant of a part, as far as they are known. */
function propertiesText(part: PartView): string {
  const stock = [part.material, part.thickness === null ? '' : thicknessText(part.thickness)].filter(Boolean).join(' ');
  return [part.number, stock, part.variant].filter(Boolean).join(', ');
}

const revisionMarks = { same: 'clear', changed: 'look', new: 'look', gone: 'stop', old: 'look' } as const;
const revisionWords = { same: 'same', changed: 'changed', new: 'new', gone: 'gone', old: 'older shape' } as const;

interface Props {
  jobId: string;
  part: PartView;
  index: number;
  chosen: boolean;
  marked: boolean;
  choose: (id: string) => void;
  toggle: (id: string, on: boolean, range: boolean) => void;
}

/** Height of one line of a row, px, and of the knot's middle in it. */
const line = 52;
const knot = 43.5;

/** A part as a row: trunk, fork, and a line for each way. */
export const LedgerRow = memo(function LedgerRow({ jobId, part, index, chosen, marked, choose, toggle }: Props) {
  const { strands } = part;
  const [source, sized, soundness] = (['Source', 'Size', 'Soundness'] as const).map((column) =>
    worstOf(part.steps.filter((s) => s.column === column).reverse()),
  );
  const size = useInUnit(part, sized);
  const top = ((strands.length - 1) * line) / 2;
  const trunk = { paddingTop: top + 4 };
  return (
    <tr
      aria-selected={chosen}
      aria-rowindex={index + 2}
      className={part.leftOut ? list.out : ''}
      onClick={() => choose(part.id)}
      data-part={part.name}
      data-id={part.id}
    >
      <td style={trunk}>
        <Checkbox
          aria-label={`Choose ${part.name}`}
          checked={marked}
          onChange={(e) => toggle(part.id, e.target.checked, (e.nativeEvent as MouseEvent).shiftKey === true)}
        />
      </td>
      <th scope="row" style={trunk}>
        <PartName jobId={jobId} part={part} />
      </th>
      <td style={trunk}>
        <StepCell cell={source} next={size} />
      </td>
      <td style={trunk}>
        <StepCell cell={size} next={soundness} />
      </td>
      <td style={trunk}>
        <StepCell cell={soundness} next={strands.length > 1 ? undefined : wayCell(strands[0], soundness)} />
      </td>
      <td>
        <div className={style.strands}>
          <Forks strands={strands} height={strands.length * line} reached={soundness.mark !== 'stop' && soundness.mark !== 'none'} />
          {strands.map((s) => (
            <StepCell key={s.way} cell={wayCell(s, soundness)} next={s.form} way />
          ))}
        </div>
      </td>
      <td>
        {strands.map((s) => (
          <StepCell key={s.way} cell={s.form} next={s.file} />
        ))}
      </td>
      <td>
        {strands.map((s) => (
          <StepCell key={s.way} cell={s.file} next={s.received} />
        ))}
      </td>
      <td>
        {strands.map((s) => (
          <StepCell key={s.way} cell={s.received} />
        ))}
      </td>
    </tr>
  );
});

/** The size of a part in the person's unit. */
function useInUnit({ summary, recipe }: PartView, cell: Cell): Cell {
  const { unit } = useLengths();
  if (unit === 'mm' || cell.mark === 'none') return cell;
  const scale = scaleOf(summary, recipe);
  const sides = [0, 1, 2].slice(0, summary.kind === 'drawing' ? 2 : 3).map((k) => shownLength((summary.box.max[k] - summary.box.min[k]) * scale, unit));
  return { ...cell, figure: sides.join(' × '), context: cell.context.replace(/^mm/, unit) };
}

/** A way as a cell: by name, and why when nobody chose it. */
const wayCell = (strand: Strand, before: Cell): Cell => ({
  mark: before.mark === 'stop' || before.mark === 'none' ? 'none' : 'clear',
  figure: strand.name,
  context: strand.chosen ? 'chosen' : strand.why,
  finding: null,
});

function PartName({ jobId, part }: { jobId: string; part: PartView }) {
  const { change } = part;
  const more = propertiesText(part);
  return (
    <div className={style.partname} data-test="partname">
      <Thumb part={part} />
      <div>
        <Link href={stepPath(jobId, part)} prefetch={false} title={part.summary.path.join(' / ')}>
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
  );
}

/** The thread going on, or parting into its strands. */
function Forks({ strands, height, reached }: { strands: Strand[]; height: number; reached: boolean }) {
  const from = (height - line) / 2 + knot;
  return (
    <svg className={style.forks} width="36" height={height} aria-hidden="true">
      {strands.map((s, i) => {
        const to = i * line + knot;
        return <path key={s.way} d={`M0 ${from}C22 ${from} 16 ${to} 35 ${to}`} className={reached ? undefined : style.absent} />;
      })}
    </svg>
  );
}

const words = { clear: 'clear', look: 'look', stop: 'stop', none: 'not reached' };

function StepCell({ cell, next, way = false }: { cell: Cell; next?: Cell; way?: boolean }) {
  const reached = cell.mark !== 'none' && cell.mark !== 'stop';
  return (
    <div className={style.cell} title={cell.finding ? `${cell.finding.message} ${cell.finding.remedy}` : `${cell.figure} ${cell.context}`}>
      {way ? <b className={style.way}>{cell.figure}</b> : <span className="figure">{cell.figure}</span>}
      <span className="context">{cell.context}</span>
      <span className={style.strand} data-test="strand">
        <MarkShape mark={cell.mark} />
        <span className="visually-hidden">{words[cell.mark]}</span>
        {next && <ThreadLine to={reached ? next.mark : 'none'} />}
      </span>
    </div>
  );
}
