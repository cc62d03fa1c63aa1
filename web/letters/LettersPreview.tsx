'use client';
import { counted } from 'tall-kite/base/figures';
import { MarkShape } from '@/marks/Mark.tsx';
import { useLengths } from '@/shell/unit.tsx';
import type { LettersView } from '@/workers/letters.worker.ts';
import style from './letters.module.css';

/** Letters drawn as they will be, with their size and what is to know of them. */
export function LettersPreview({ shown }: { shown: LettersView | { failed: { message: string; remedy: string } } | null }) {
  const { lens, len } = useLengths();
  if (!shown) return <p className="context">The letters show here while you type.</p>;
  if ('failed' in shown)
    return (
      <p role="alert">
        <MarkShape mark="stop" size={12} /> {shown.failed.message} <span className="context">{shown.failed.remedy}</span>
      </p>
    );
  const [x, y, w, h] = shown.viewBox;
  const room = Math.max(w, h) * 0.03;
  return (
    <div aria-live="polite" data-test="lettersshown">
      <svg
        className={style.shown}
        viewBox={`${x - room} ${y - room} ${w + 2 * room} ${h + 2 * room}`}
        role="img"
        aria-label={`${counted(shown.count, 'letter')} as they will be`}
      >
        <path d={shown.path} />
      </svg>
      <p>
        <span className="figure">{lens(shown.size)}</span>, H <span className="figure">{len(shown.cap)}</span>, {counted(shown.count, 'letter')},{' '}
        {counted(shown.contours, 'contour')}
      </p>
      {shown.findings.map((f) => (
        <p key={f.code}>
          <MarkShape mark={f.severity} size={11} /> {f.message} <span className="context">{f.remedy}</span>
        </p>
      ))}
    </div>
  );
}
