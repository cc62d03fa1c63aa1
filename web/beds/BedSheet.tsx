'use client';
import { useRef, useState } from 'react';
import { arrowSteps, placeIn } from '@/shell/placeIn.ts';
import { turnedOutline, type BedSize, type Laid, type LayItem } from 'tall-kite/beds/layout';
import desk from '@/shell/desk.module.css';
import style from './beds.module.css';

/** One bed from above: parts are dragged, or moved with the arrow keys; what clashes is drawn in the ink of stop. */
export function BedSheet({
  size,
  items,
  laid,
  bed,
  bad,
  chosen,
  choose,
  move,
}: {
  size: BedSize;
  items: LayItem[];
  laid: Laid[];
  bed: number;
  bad: Set<number>;
  chosen: number | null;
  choose: (i: number | null) => void;
  move: (laid: Laid[]) => void;
}) {
  const svg = useRef<SVGSVGElement>(null);
  const [drag, setDrag] = useState<{ index: number; from: [number, number]; by: [number, number] } | null>(null);
  const place = (e: React.PointerEvent): [number, number] => {
    const [x, y] = placeIn(svg, e);
    return [x, size.length - y];
  };
  const pad = 6;
  return (
    <svg
      ref={svg}
      className={desk.bedsheet}
      viewBox={`${-pad} ${-pad} ${size.width + 2 * pad} ${size.length + 2 * pad}`}
      role="group"
      aria-label={`Bed ${bed + 1} from above`}
      data-test="bed"
      onPointerDown={() => choose(null)}
      onPointerMove={(e) => {
        if (!drag) return;
        const [x, y] = place(e);
        setDrag({ ...drag, by: [x - drag.from[0], y - drag.from[1]] });
      }}
      onPointerUp={() => {
        if (drag && Math.hypot(...drag.by) > 0.2) {
          const round = (v: number) => Math.round(v * 10) / 10;
          move(laid.map((l, i) => (i === drag.index ? { ...l, x: round(l.x + drag.by[0]), y: round(l.y + drag.by[1]) } : l)));
        }
        setDrag(null);
      }}
    >
      <defs>
        <pattern id="tenths" width="10" height="10" patternUnits="userSpaceOnUse">
          <path d="M10 0H0V10" fill="none" stroke="var(--faint)" strokeWidth="0.5" />
        </pattern>
      </defs>
      <rect width={size.width} height={size.length} fill="url(#tenths)" stroke="var(--ink)" strokeWidth="0.6" />
      <rect
        x={size.margin}
        y={size.margin}
        width={size.width - 2 * size.margin}
        height={size.length - 2 * size.margin}
        fill="none"
        stroke="var(--none)"
        strokeWidth="0.4"
        strokeDasharray="2 2"
      />
      {laid.map((l, i) => {
        const item = l.bed === bed ? items.find((x) => x.id === l.id) : undefined;
        if (!item) return null;
        const [dx, dy] = drag?.index === i ? drag.by : [0, 0];
        const points = turnedOutline(item.outline, l.turn).map(([x, y]) => [x + l.x + dx, size.length - (y + l.y + dy)] as const);
        return (
          <g
            key={`${l.id} ${l.copy}`}
            tabIndex={0}
            role="button"
            aria-pressed={chosen === i}
            aria-label={`${item.name}, number ${l.copy + 1}${bad.has(i) ? ', too near or off the bed' : ''}`}
            className={style.moved}
            onFocus={() => choose(i)}
            onPointerDown={(e) => {
              e.stopPropagation();
              e.currentTarget.setPointerCapture?.(e.pointerId);
              choose(i);
              setDrag({ index: i, from: place(e), by: [0, 0] });
            }}
            onKeyDown={(e) => {
              const by = arrowSteps[e.key];
              if (!by) return;
              e.preventDefault();
              const far = e.shiftKey ? 10 : 1;
              move(laid.map((o, j) => (j === i ? { ...o, x: o.x + by[0] * far, y: o.y + by[1] * far } : o)));
            }}
          >
            <Drawn name={item.name} points={points} chosen={chosen === i} bad={bad.has(i)} />
          </g>
        );
      })}
    </svg>
  );
}

/** A part from above, with its name where there is room for it. */
function Drawn({ name, points, chosen, bad }: { name: string; points: (readonly [number, number])[]; chosen: boolean; bad: boolean }) {
  const [x0, x1] = [Math.min(...points.map((p) => p[0])), Math.max(...points.map((p) => p[0]))];
  const [y0, y1] = [Math.min(...points.map((p) => p[1])), Math.max(...points.map((p) => p[1]))];
  const [cx, cy] = [(x0 + x1) / 2, (y0 + y1) / 2];
  // Letters that would not fit are left out; the name is said on pointing and to screen readers.
  const letters = Math.min(6.5, ((x1 - x0) / name.length) * 1.7, (y1 - y0) * 0.7);
  return (
    <>
      <polygon
        points={points.map((p) => p.join(',')).join(' ')}
        fill={chosen ? 'var(--chosen)' : 'var(--faint)'}
        fillOpacity={0.9}
        stroke={bad ? 'var(--stop)' : 'var(--designed)'}
        strokeWidth={chosen ? 1.4 : 0.8}
      />
      <title>{name}</title>
      {letters >= 3.4 && (
        <text x={cx} y={cy} textAnchor="middle" dominantBaseline="middle" fontSize={letters} fill="var(--ink)">
          {name}
        </text>
      )}
      {bad && <rect x={cx - 2.5} y={cy + 5} width={5} height={5} fill="var(--stop)" />}
    </>
  );
}
