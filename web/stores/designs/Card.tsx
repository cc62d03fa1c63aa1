'use client';
import { Checkbox } from 'antd';
import type { KeptDesign } from '@tall-kite/server/stores/designs';
import { MarkShape } from '@/marks/Mark.tsx';
import { useLengths } from '@/shell/unit.tsx';
import { dragType } from './useKept.ts';
import style from './designs.module.css';

interface Props {
  design: KeptDesign;
  open: () => void;
  /** Absent where nothing is chosen. */
  chosen?: boolean;
  choose?: (on: boolean) => void;
}

/** A design in the stores: its picture, name and size. It can be dragged onto a shelf or into a job. */
export function Card({ design, open, chosen, choose }: Props) {
  const { figures, failure, state } = design;
  return (
    <li
      className={style.card}
      draggable
      onDragStart={(e) => {
        e.dataTransfer.setData(dragType, design.id);
        e.dataTransfer.effectAllowed = 'copyMove';
      }}
      data-test="kept"
    >
      {choose && <Checkbox className={style.tick} checked={chosen} onChange={(e) => choose(e.target.checked)} aria-label={`Choose ${design.fileName}`} />}
      {/* Native: picture, name and figures are one target; a button of the library holds one line. */}
      <button type="button" className={style.face} onClick={open} title={design.fileName}>
        <Picture design={design} />
        <span className={style.name}>{design.fileName}</span>
        {state === 'queued' && <span className="context">being read …</span>}
        {failure && (
          <span className="context">
            <MarkShape mark="stop" size={10} /> {failure.message}
          </span>
        )}
        {figures && <Line design={design} />}
      </button>
    </li>
  );
}

function Picture({ design }: { design: KeptDesign }) {
  if (!design.picture) return <span className={style.blank} aria-hidden />;
  return (
    <img src={`/api/stores/designs/${design.id}/thumb?of=${design.picture.slice(0, 12)}`} width={132} height={132} alt="" loading="lazy" draggable={false} />
  );
}

/** Size, and how much of what. */
export function Line({ design }: { design: KeptDesign }) {
  const { lens } = useLengths();
  const { size, kind, unit, parts, odd } = design.figures!;
  const flat = kind === 'drawing';
  return (
    <span className="context">
      <MarkShape mark={odd.worst} size={9} /> {lens(flat ? size.slice(0, 2) : size)}
      {unit === null && !flat ? ', read as mm' : ''}
      {parts > 1 ? `, ${parts} parts` : ''}
      {design.revision > 1 ? `, revision ${design.revision}` : ''}
    </span>
  );
}
