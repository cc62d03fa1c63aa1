'use client';
import { Button, Segmented } from 'antd';
import Link from 'next/link';
import { isStopped, trunk as inTrunk, type StepName, type StepState, type Strand } from 'tall-kite/steps/registry';
import type { WayId } from 'tall-kite/steps/way';
import type { PartView } from '@tall-kite/server/jobs/part-views';
import { ThreadLine } from '@/marks/Mark.tsx';
import { useAwaited } from '@/shell/focus.ts';
import type { JobTools } from '@/shell/useJob.ts';
import { WayMenu } from '@/shell/WayMenu.tsx';
import style from './thread.module.css';

const words = { clear: 'clear', look: 'look', stop: 'stop', none: 'not reached' };

interface Props {
  jobId: string;
  part: PartView;
  strand: Strand;
  step: StepName;
  go: (step: StepName, way?: WayId) => void;
  tools: JobTools;
}

/** The thread at the head: a kite for each step, the line between them as far as the part is ready; after the trunk the strand of one way, and the fork to the others. */
export function Thread({ jobId, part, strand, step, go, tools }: Props) {
  const trunk = part.steps.filter((s) => inTrunk.includes(s.step));
  const source = tools.job?.parts.find((p) => p.id === part.madeFrom);
  const known = part.strands.some((s) => s.way === strand.way);
  const strands = known ? part.strands : [...part.strands, strand];
  const title = useAwaited<HTMLHeadingElement>(`part ${part.id}`, part.id);
  return (
    <nav className={style.thread} aria-label="Steps">
      <h1 ref={title} tabIndex={-1} title={part.name}>
        {part.name}
        {source && (
          <Link className={`context ${style.from}`} href={`/jobs/${jobId}/parts/${source.id}`}>
            made of {source.name}
          </Link>
        )}
      </h1>
      <Knots list={trunk} step={step} go={go} next={strand.steps[0]} />
      <span className={style.fork}>
        {strands.length > 1 && (
          <Segmented<WayId>
            size="small"
            aria-label="Way"
            value={strand.way}
            onChange={(way) => go(strands.find((s) => s.way === way)!.form.step, way)}
            options={strands.map((s) => ({ value: s.way, label: s.name, title: s.why }))}
          />
        )}
        {strands.length === 1 && (
          <b title={strand.chosen ? undefined : `a guess: ${strand.why}`} data-test="way">
            {strand.name}
          </b>
        )}
        <WayMenu part={part} tools={tools} open={(way) => go('Source', way)} size="small" />
      </span>
      <Knots list={strand.steps} step={step} go={(s) => go(s, strand.way)} />
      <Ends part={part} strand={strand} jobId={jobId} go={go} tools={tools} />
    </nav>
  );
}

/** Undo, redo, and what ends the way: writing the file, or going to the part that was made of this one. */
function Ends({ part, strand, jobId, go, tools }: Omit<Props, 'step'>) {
  const busy = part.file?.state === 'queued' || part.file?.state === 'writing';
  const stopped = isStopped(part.steps);
  const { undo, redo } = tools.job ?? {};
  return (
    <span className={style.ends}>
      <Button disabled={!undo} title={undo ? `Take back: ${undo}` : 'Nothing to take back'} onClick={() => void tools.history('undo')}>
        Undo
      </Button>
      <Button disabled={!redo} title={redo ? `Again: ${redo}` : 'Nothing to do again'} onClick={() => void tools.history('redo')}>
        Redo
      </Button>
      {strand.steps.some((s) => s.step === 'File') ? (
        <Button
          disabled={busy || stopped}
          onClick={() => {
            void tools.write(part);
            // What came of it is shown where it is told.
            go('Received', strand.way);
          }}
          title={stopped ? 'A step is stopped; see its sentence first' : 'Write the file and read it back'}
          type="primary"
        >
          {busy ? 'Writing …' : 'Write'}
        </Button>
      ) : (
        strand.made && (
          <Button type="primary" href={`/jobs/${jobId}/parts/${strand.made.id}`} title={strand.made.name} data-test="onward">
            Go on: {strand.made.name}
          </Button>
        )
      )}
    </span>
  );
}

/** Steps as knots on one line. @param next what follows the last of them on the thread */
function Knots({ list, step, go, next }: { list: StepState[]; step: StepName; go: (step: StepName) => void; next?: StepState }) {
  return (
    <ol>
      {list.map((s, i) => {
        const after = list[i + 1] ?? next;
        const reached = s.mark !== 'none' && s.mark !== 'stop';
        return (
          <li key={s.step}>
            <Button
              type="text"
              size="small"
              className={style.knot}
              data-test="knot"
              aria-current={s.step === step ? 'step' : undefined}
              onClick={() => go(s.step)}
              title={s.finding?.message ?? `${s.figure} ${s.context}`}
            >
              <Kite mark={s.mark} filled={s.step === step} />
              {s.step}
              <span className="visually-hidden">, {words[s.mark]}</span>
            </Button>
            {after && <ThreadLine to={reached ? after.mark : 'none'} />}
          </li>
        );
      })}
    </ol>
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
