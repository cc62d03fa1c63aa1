'use client';
import { Button } from 'antd';
import { lengthText } from 'tall-kite/base/figures';
import type { TubeView } from 'tall-kite/bender/view';
import { useLengths } from '@/shell/unit.tsx';
import frame from '@/shell/frame.module.css';
import style from './tubes.module.css';

const [wide, high] = [640, 84];

/** The tube before it is bent, to scale: where each bend begins and ends, and a dial for the turn before it. */
export function Stick({ tube, bend, choose }: { tube: TubeView; bend: number | null; choose: (bend: number | null) => void }) {
  const { len: length } = useLengths();
  const { rows, lastLength } = tube.table;
  const total = tube.developed || 1;
  const k = (wide - 40) / total;
  let at = 0;
  const zones = rows.map((r) => {
    const from = at + r.length;
    const to = from + (r.radius * r.angle * Math.PI) / 180;
    at = to;
    return { from: 20 + from * k, to: 20 + to * k, before: 20 + (from - r.length / 2) * k, ...r };
  });
  return (
    <div className={style.stick} data-test="stick">
      <svg viewBox={`0 0 ${wide} ${high}`} role="img" aria-label={`${tube.mark} before it is bent, ${lengthText(total)} mm`}>
        <rect x={20} y={40} width={wide - 40} height={16} fill="var(--faint)" stroke="var(--ink)" strokeWidth={1} />
        {zones.map((z, i) => (
          <g key={z.order} onClick={() => choose(i === bend ? null : i)} className={style.bendable}>
            <rect
              x={z.from}
              y={40}
              width={Math.max(z.to - z.from, 3)}
              height={16}
              fill={i === bend ? 'var(--designed)' : 'var(--none)'}
              fillOpacity={i === bend ? 1 : 0.55}
            />
            <text x={(z.from + z.to) / 2} y={36} textAnchor="middle" fontSize={12.5} fill="var(--ink)">
              {z.order}: {Number(z.angle.toFixed(2))}°
            </text>
            {i > 0 && <Dial x={z.from - 14} turn={z.rotation} />}
          </g>
        ))}
        {zones.map((z) => (
          <text key={z.order} x={z.before} y={74} textAnchor="middle" fontSize={12} fill="var(--muted)">
            {length(z.length)}
          </text>
        ))}
        <text x={20 + (total - lastLength / 2) * k} y={74} textAnchor="middle" fontSize={12} fill="var(--muted)">
          {length(lastLength)}
        </text>
      </svg>
      <div className={frame.inline}>
        <span className="context">Before it is bent: {length(total)}. Dials show the turn before each bend.</span>
        {rows.map((r, i) => (
          <Button
            key={r.order}
            size="small"
            type={i === bend ? 'primary' : 'default'}
            aria-pressed={i === bend}
            onClick={() => choose(i === bend ? null : i)}
            data-test={`bend-${r.order}`}
          >
            {r.order}
          </Button>
        ))}
      </div>
    </div>
  );
}

/** A small dial: the hand stands up at no turn, and goes to the right for a right-handed one. */
function Dial({ x, turn }: { x: number; turn: number }) {
  const a = (turn * Math.PI) / 180;
  return (
    <g>
      <circle cx={x} cy={12} r={9} fill="var(--sheet)" stroke="var(--none)" />
      <line x1={x} y1={12} x2={x} y2={4} stroke="var(--none)" strokeDasharray="2 2" />
      <line x1={x} y1={12} x2={x + 8 * Math.sin(a)} y2={12 - 8 * Math.cos(a)} stroke="var(--ink)" strokeWidth={2} />
      <title>{Number(turn.toFixed(2))}° turned</title>
    </g>
  );
}
