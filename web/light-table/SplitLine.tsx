'use client';
import { useRef } from 'react';
import style from './split.module.css';

/** How near the line comes to a rim of the picture, and how far a key moves it; shares of the width. */
const rim = 0.02;
const step = 0.02;

const within = (share: number) => Math.min(1 - rim, Math.max(rim, share));

/**
 * Where the line of a split picture goes by a key, or null for a key that says nothing.
 * @example moved(0.5, 'ArrowLeft') // 0.48
 */
export function moved(at: number, key: string): number | null {
  const to = { ArrowLeft: at - step, ArrowRight: at + step, Home: 0, End: 1 }[key];
  return to === undefined ? null : within(to);
}

/**
 * The line between the design and what was received: dragged, or moved by the arrow keys.
 * A focusable separator, by the window splitter pattern of the WAI-ARIA Authoring Practices.
 * @param at where it stands, a share of the width from the left
 */
export function SplitLine({ at, setAt }: { at: number; setAt: (share: number) => void }) {
  const line = useRef<HTMLDivElement>(null);
  const drag = (e: React.PointerEvent) => {
    if (!line.current?.hasPointerCapture(e.pointerId)) return;
    const { left, width } = line.current.parentElement!.getBoundingClientRect();
    if (width > 0) setAt(within((e.clientX - left) / width));
  };
  return (
    <div
      ref={line}
      className={style.line}
      style={{ left: `${at * 100}%` }}
      role="separator"
      aria-orientation="vertical"
      aria-label="Line between designed and received"
      aria-valuemin={Math.round(rim * 100)}
      aria-valuemax={Math.round((1 - rim) * 100)}
      aria-valuenow={Math.round(at * 100)}
      tabIndex={0}
      data-test="split"
      onPointerDown={(e) => line.current!.setPointerCapture(e.pointerId)}
      onPointerMove={drag}
      onKeyDown={(e) => {
        const to = moved(at, e.key);
        if (to === null) return;
        e.preventDefault();
        setAt(to);
      }}
    >
      <span className={style.designed}>designed</span>
      <span className={style.received}>received</span>
    </div>
  );
}
