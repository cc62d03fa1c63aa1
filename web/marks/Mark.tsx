import type { Severity } from 'tall-kite/base/finding';
import style from './marks.module.css';

/** The shape of a mark: disc, lozenge, square, ring. */
export function MarkShape({ mark, size = 13 }: { mark: Severity | 'none'; size?: number }) {
  return (
    <svg width={size} height={size} viewBox="0 0 14 14" className={`c-${mark}`} aria-hidden="true">
      {mark === 'clear' && <circle cx="7" cy="7" r="6" fill="currentColor" />}
      {mark === 'look' && <path d="M7 0 14 7 7 14 0 7Z" fill="currentColor" />}
      {mark === 'stop' && <rect x="1" y="1" width="12" height="12" fill="currentColor" />}
      {mark === 'none' && <circle cx="7" cy="7" r="5.5" fill="none" stroke="currentColor" strokeWidth="1.4" />}
    </svg>
  );
}

const words = { clear: 'clear', look: 'look', stop: 'stop', none: 'not reached' };

/** A mark with its word, or with another one that says it better here. */
export function Mark({ mark, size, word = words[mark] }: { mark: Severity | 'none'; size?: number; word?: string }) {
  return (
    <span className={`mark c-${mark}`}>
      <MarkShape mark={mark} size={size} />
      {word}
    </span>
  );
}

/** The thread from one knot on to the next: whole, dashed before a look, cut off before a stop, none where it was not reached. */
export function ThreadLine({ to }: { to: Severity | 'none' }) {
  return <span className={`${style.line} ${style[to] ?? ''}`} />;
}
