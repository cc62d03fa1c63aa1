'use client';
import { useMemo, useRef, useState, type KeyboardEvent, type PointerEvent } from 'react';
import { mapOf, type NestedPart, type NestedSheet, type Remnant } from 'tall-kite/cutlist/nested';
import type { CutRow } from 'tall-kite/cutlist/row';
import { arrowSteps, placeIn } from '@/shell/placeIn.ts';
import { pathOf } from './RowThumb.tsx';
import desk from '@/shell/desk.module.css';

interface Props {
  sheet: NestedSheet;
  rows: CutRow[];
  remnants: Remnant[];
  bad: ReadonlySet<number>;
  chosen: number | null;
  choose: (i: number | null) => void;
  /** Moves a part by so much; null while it is only shown. */
  move: ((i: number, dx: number, dy: number) => void) | null;
  rim: number;
}

/** A sheet from above: parts as they lie, dragged or moved with the arrow keys; what clashes is drawn in the ink of stop. */
export function SheetPicture({ sheet, rows, remnants, bad, chosen, choose, move, rim }: Props) {
  const svg = useRef<SVGSVGElement>(null);
  const [drag, setDrag] = useState<{ index: number; from: [number, number]; by: [number, number] } | null>(null);
  const paths = useMemo(() => {
    const fine = Math.max(sheet.width, sheet.height) / 4000;
    return new Map(
      rows.map((r) => [r.key, { cut: pathOf(r, fine, (l) => l.meaning === 'cut'), rest: pathOf(r, fine, (l) => l.meaning !== 'cut' && !l.back), row: r }]),
    );
  }, [rows, sheet.width, sheet.height]);
  const place = (e: PointerEvent): [number, number] => {
    const [x, y] = placeIn(svg, e);
    return [x, -y];
  };
  const pad = Math.max(sheet.width, sheet.height) * 0.012;
  const edge = sheet.outline ?? [[0, 0], [sheet.width, 0], [sheet.width, sheet.height], [0, sheet.height]]; // prettier-ignore
  const letters = Math.max(sheet.width, sheet.height) / 70;
  const keyed = (i: number) => (e: KeyboardEvent) => {
    const by = arrowSteps[e.key];
    if (!by || !move) return;
    e.preventDefault();
    const far = e.shiftKey ? 10 : 1;
    move(i, by[0] * far, by[1] * far);
  };
  return (
    <svg
      ref={svg}
      className={desk.bedsheet}
      viewBox={`${-pad} ${-sheet.height - pad} ${sheet.width + 2 * pad} ${sheet.height + 2 * pad}`}
      role="group"
      aria-label={`${sheet.name} from above`}
      data-test="sheet"
      onPointerDown={() => choose(null)}
      onPointerMove={(e) => {
        if (!drag) return;
        const [x, y] = place(e);
        setDrag({ ...drag, by: [x - drag.from[0], y - drag.from[1]] });
      }}
      onPointerUp={() => {
        if (drag && move && Math.hypot(...drag.by) > 0.5) move(drag.index, Math.round(drag.by[0]), Math.round(drag.by[1]));
        setDrag(null);
      }}
    >
      <polygon
        points={edge.map(([x, y]) => `${x},${-y}`).join(' ')}
        fill="var(--sheet)"
        stroke="var(--ink)"
        strokeWidth={1.4}
        vectorEffect="non-scaling-stroke"
      />
      {!sheet.outline && rim > 0 && (
        <rect
          x={rim}
          y={rim - sheet.height}
          width={sheet.width - 2 * rim}
          height={sheet.height - 2 * rim}
          fill="none"
          stroke="var(--rule)"
          strokeDasharray="4 4"
          vectorEffect="non-scaling-stroke"
        />
      )}
      {remnants.map((r, i) => (
        <g key={i}>
          <rect x={r.x} y={-r.y - r.height} width={r.width} height={r.height} fill="var(--faint)" opacity={0.55} />
          {r.width > letters * 13 && r.height > letters * 1.6 && (
            <text x={r.x + r.width / 2} y={-r.y - r.height / 2} textAnchor="middle" dominantBaseline="middle" fontSize={letters} fill="var(--muted)">
              left over {Math.round(r.width)} × {Math.round(r.height)} mm
            </text>
          )}
        </g>
      ))}
      {sheet.parts.map((part, i) => {
        const found = paths.get(part.row);
        if (!found) return null;
        const by: [number, number] = drag?.index === i ? drag.by : [0, 0];
        return <PartOn key={`${part.row} ${part.copy}`} {...{ part, found, by, i, bad: bad.has(i), chosen: chosen === i, letters }} onKey={keyed(i)} onFocus={() => choose(i)} onDown={(e) => { e.stopPropagation(); choose(i); if (move && !part.locked) { e.currentTarget.setPointerCapture?.(e.pointerId); setDrag({ index: i, from: place(e), by: [0, 0] }); } }} />; // prettier-ignore
      })}
      {sheet.cuts.map((c) => {
        const [x1, y1, x2, y2] = c.along === 'x' ? [c.from, -c.at, c.to, -c.at] : [c.at, -c.from, c.at, -c.to];
        return (
          <g key={c.number} pointerEvents="none">
            <line
              {...{ x1, y1, x2, y2 }}
              stroke="var(--received)"
              strokeWidth={c.stage < 2 ? 1.4 : 0.8}
              vectorEffect="non-scaling-stroke"
              strokeDasharray={c.stage === 0 ? '6 3' : undefined}
            />
            <text x={(x1 + x2) / 2 + letters * 0.3} y={(y1 + y2) / 2 - letters * 0.3} fontSize={letters * 0.8} fill="var(--received)">
              {c.number}
            </text>
          </g>
        );
      })}
    </svg>
  );
}

interface PartProps {
  part: NestedPart;
  found: { cut: string; rest: string; row: CutRow };
  by: [number, number];
  i: number;
  bad: boolean;
  chosen: boolean;
  letters: number;
  onKey: (e: KeyboardEvent) => void;
  onFocus: () => void;
  onDown: (e: PointerEvent<SVGGElement>) => void;
}

/** One part where it lies; its number is written upright in its middle. */
function PartOn({ part, found, by, bad, chosen, letters, onKey, onFocus, onDown }: PartProps) {
  const { row } = found;
  const [a, b, c, d, x, y] = mapOf(part);
  // The map with both y axes turned round, since a screen counts downwards.
  const matrix = `matrix(${a} ${-b} ${-c} ${d} ${x + by[0]} ${-(y + by[1])})`;
  const middle = [a * (row.length / 2) + c * (row.width / 2) + x + by[0], -(b * (row.length / 2) + d * (row.width / 2) + y + by[1])];
  const name = row.number || row.name;
  const room = Math.abs(a) > 0.5 ? row.length : row.width;
  const size = Math.min(letters, (room * 1.5) / Math.max(3, name.length));
  return (
    <g tabIndex={0} role="button" aria-pressed={chosen} aria-label={`${row.name}, number ${part.copy + 1}${part.locked ? ', locked' : ''}${bad ? ', too near or off the sheet' : ''}`} style={{ cursor: part.locked ? 'default' : 'move' }} onFocus={onFocus} onPointerDown={onDown} onKeyDown={onKey}>
      <g transform={matrix}>
        <path d={found.cut} fill={chosen ? 'var(--chosen)' : 'var(--faint)'} fillRule="evenodd" stroke={bad ? 'var(--stop)' : 'var(--designed)'} strokeWidth={chosen || bad ? 2.2 : 1.1} vectorEffect="non-scaling-stroke" />
        <path d={found.rest} fill="none" stroke="var(--muted)" strokeWidth={0.7} vectorEffect="non-scaling-stroke" />
      </g>
      <title>{row.name}</title>
      {size > letters * 0.35 && (
        <text x={middle[0]} y={middle[1]} textAnchor="middle" dominantBaseline="middle" fontSize={size} fill="var(--ink)" pointerEvents="none">
          {part.locked ? `${name} ·` : name}
        </text>
      )}
      {bad && <rect x={middle[0] - letters / 3} y={middle[1] + letters} width={letters * 0.7} height={letters * 0.7} fill="var(--stop)" />}
    </g>
  ); // prettier-ignore
}
