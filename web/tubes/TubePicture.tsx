'use client';
import { useMemo, useRef, type KeyboardEvent, type PointerEvent } from 'react';
import type { Vec3 } from 'tall-kite/geometry/vector';
import { projected, usualLook, type Look } from './projection.ts';
import style from './tubes.module.css';

/** A tube as a line with a width (mm) in one of the inks. */
export interface Line {
  points: readonly Vec3[];
  ink: 'designed' | 'received' | 'stock';
  width: number;
}

interface Label {
  at: Vec3;
  words: string;
  chosen: boolean;
}

const fill = { designed: 'var(--designed)', received: 'var(--received)', stock: 'var(--none)' };
const [wide, high] = [720, 420];

/** A piece with a little more at its inner ends, so that no gap stands open on the outside of a bend. */
function stretched(a: [number, number], b: [number, number], by: number, [atA, atB]: [boolean, boolean]): { a: [number, number]; b: [number, number] } {
  const d = Math.hypot(b[0] - a[0], b[1] - a[1]) || 1;
  const [x, y] = [((b[0] - a[0]) / d) * by, ((b[1] - a[1]) / d) * by];
  return { a: atA ? [a[0] - x, a[1] - y] : a, b: atB ? [b[0] + x, b[1] + y] : b };
}

interface Props {
  lines: readonly Line[];
  labels: readonly Label[];
  /** Lines that the picture has room for, so that it keeps its scale while the shown ones change; absent: the shown ones. */
  room?: readonly Line[];
  look: Look;
  setLook: (look: Look) => void;
}

/** Points of lines as they are seen, each with the half of its width. */
const flatOf = (lines: readonly Line[], look: Look) => lines.flatMap((l) => projected(l.points, look).map((p) => ({ ...p, r: l.width / 2 })));

/** Tubes seen from a side that is turned with the pointer or the arrow keys; far ones first, each with its edge. */
export function TubePicture({ lines, labels, room = lines, look, setLook }: Props) {
  const dragging = useRef<{ x: number; y: number; look: Look } | null>(null);
  const seen = useMemo(() => {
    const all = lines.map((l) => ({ ...l, flat: projected(l.points, look) }));
    const flat = flatOf(room, look);
    const [x0, x1] = [Math.min(...flat.map((p) => p.x - p.r)), Math.max(...flat.map((p) => p.x + p.r))];
    const [y0, y1] = [Math.min(...flat.map((p) => p.y - p.r)), Math.max(...flat.map((p) => p.y + p.r))];
    const k = Math.min((wide - 90) / (x1 - x0 || 1), (high - 70) / (y1 - y0 || 1));
    const put = (p: { x: number; y: number }): [number, number] => [wide / 2 + (p.x - (x0 + x1) / 2) * k, high / 2 - (p.y - (y0 + y1) / 2) * k];
    const pieces = all.flatMap((l, i) => l.flat.slice(1).map((q, j) => ({ ...stretched(put(l.flat[j]), put(q), l.width * k * 0.05, [j > 0, j + 2 < l.flat.length]), near: (l.flat[j].near + q.near) / 2 + i * 1e-3 * l.width + (l.ink === 'received' && l.width < 10 ? 1e6 : 0), ink: l.ink, width: l.width * k }))); // prettier-ignore
    pieces.sort((a, b) => a.near - b.near);
    return { pieces, words: labels.map((l) => ({ ...l, p: put(projected([l.at], look)[0]) })) };
  }, [lines, labels, room, look]);
  const turn = (dx: number, dy: number, from: Look) => setLook({ turn: from.turn - dx, lean: Math.max(-Math.PI / 2, Math.min(Math.PI / 2, from.lean + dy)) });
  const down = (e: PointerEvent<SVGSVGElement>) => {
    e.currentTarget.setPointerCapture(e.pointerId);
    dragging.current = { x: e.clientX, y: e.clientY, look };
  };
  const move = (e: PointerEvent<SVGSVGElement>) => {
    const from = dragging.current;
    if (from) turn((e.clientX - from.x) / 160, (e.clientY - from.y) / 160, from.look);
  };
  const key = (e: KeyboardEvent<SVGSVGElement>) => {
    const steps: Record<string, [number, number]> = { ArrowLeft: [-0.1, 0], ArrowRight: [0.1, 0], ArrowUp: [0, -0.1], ArrowDown: [0, 0.1] };
    if (e.key in steps) turn(...steps[e.key], look);
    else if (e.key === 'Home') setLook(usualLook);
    else return;
    e.preventDefault();
  };
  return (
    <svg
      className={style.picture}
      viewBox={`0 0 ${wide} ${high}`}
      role="img"
      tabIndex={0}
      aria-label="The tube; arrow keys turn it, Home turns it back"
      onPointerDown={down}
      onPointerMove={move}
      onPointerUp={() => (dragging.current = null)}
      onKeyDown={key}
      data-test="tube-picture"
    >
      {seen.pieces.map(({ a, b, ink, width }, i) => (
        <g key={i}>
          <line x1={a[0]} y1={a[1]} x2={b[0]} y2={b[1]} stroke={fill[ink]} strokeWidth={Math.max(width, 1.5)} />
          {width > 6 && <line x1={a[0]} y1={a[1]} x2={b[0]} y2={b[1]} stroke="var(--sheet)" strokeWidth={width - 2.6} />}
          {width > 6 && <line x1={a[0]} y1={a[1]} x2={b[0]} y2={b[1]} stroke={fill[ink]} strokeOpacity={0.16} strokeWidth={width - 2.6} />}
        </g>
      ))}
      {seen.words.map(({ p, words, chosen }) => (
        <g key={words}>
          <circle cx={p[0]} cy={p[1] - 16} r={10} fill={chosen ? 'var(--designed)' : 'var(--sheet)'} stroke="var(--designed)" />
          <text x={p[0]} y={p[1] - 11.5} textAnchor="middle" fontSize={13} fill={chosen ? 'var(--sheet)' : 'var(--ink)'}>
            {words}
          </text>
        </g>
      ))}
    </svg>
  );
}
