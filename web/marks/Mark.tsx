import type { Severity } from 'tall-kite/base/finding';

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

/** How the thread runs up to a knot with this mark. */
export function lineTo(mark: Severity | 'none'): string {
  return { clear: '', look: 'dashed', stop: 'cut', none: 'absent' }[mark];
}
