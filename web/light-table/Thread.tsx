'use client';
import { Button } from 'antd';
import { isStopped, type StepName } from 'tall-kite/steps/registry';
import type { PartView } from '@tall-kite/server/jobs/jobs';
import { lineTo } from '@/marks/Mark.tsx';
import type { JobTools } from '@/shell/useJob.ts';

const words = { clear: 'clear', look: 'look', stop: 'stop', none: 'not reached' };

/** The thread at the head: a kite for each step, the line between them as far as the part is ready. */
export function Thread({ part, step, go, tools }: { part: PartView; step: StepName; go: (step: StepName) => void; tools: JobTools }) {
  const busy = part.file?.state === 'queued' || part.file?.state === 'writing';
  const stopped = isStopped(part.steps);
  return (
    <nav className="thread" aria-label="Steps">
      <h1 title={part.name}>{part.name}</h1>
      <ol>
        {part.steps.map((s, i) => {
          const next = part.steps[i + 1];
          // A way that need not be taken does not break the thread.
          const before = s.optional ? part.steps[i - 1] : s;
          const reached = before.mark !== 'none' && before.mark !== 'stop';
          return (
            <li key={s.step}>
              <button
                className="knot"
                aria-current={s.step === step ? 'step' : undefined}
                onClick={() => go(s.step)}
                title={s.finding?.message ?? `${s.figure} ${s.context}`}
              >
                <Kite mark={s.mark} filled={s.step === step} />
                {s.step}
                <span className="visually-hidden">, {s.optional ? 'another way' : words[s.mark]}</span>
              </button>
              {next && <span className={`line ${reached ? lineTo((next.optional ? (part.steps[i + 2] ?? next) : next).mark) : 'absent'}`} />}
            </li>
          );
        })}
      </ol>
      <span style={{ display: 'flex', gap: 8, marginLeft: 18 }}>
        <Button
          disabled={!tools.job?.undo}
          title={tools.job?.undo ? `Take back: ${tools.job.undo}` : 'Nothing to take back'}
          onClick={() => void tools.history('undo')}
        >
          Undo
        </Button>
        <Button disabled={!tools.job?.redo} onClick={() => void tools.history('redo')}>
          Redo
        </Button>
        <Button
          disabled={busy || stopped}
          onClick={() => void tools.write(part)}
          title={stopped ? 'A step is stopped; see its sentence first' : 'Write the file and read it back'}
          type="primary"
        >
          {busy ? 'Writing …' : 'Write'}
        </Button>
      </span>
    </nav>
  );
}

/** A kite whose cross and outline tell the mark: plain, with a look's bar, a stop's square, or only dotted. */
function Kite({ mark, filled }: { mark: keyof typeof words; filled: boolean }) {
  return (
    <svg width="17" height="22" viewBox="0 0 17 22" className={`c-${mark}`} aria-hidden="true">
      <path
        d="M8.5 1 16 9 8.5 21 1 9Z"
        fill={filled ? 'currentColor' : 'var(--sheet)'}
        stroke="currentColor"
        strokeWidth="1.7"
        strokeDasharray={mark === 'none' ? '2 2' : undefined}
      />
      {mark === 'look' && <path d="M8.5 6v6M8.5 14v2" stroke={filled ? 'var(--sheet)' : 'currentColor'} strokeWidth="2" />}
      {mark === 'stop' && <rect x="5.5" y="7" width="6" height="6" fill={filled ? 'var(--sheet)' : 'currentColor'} />}
    </svg>
  );
}
