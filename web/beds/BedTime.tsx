'use client';
import { Button, Spin } from 'antd';
import { useQueries } from '@tanstack/react-query';
import { useState } from 'react';
import { counted, durationText } from 'tall-kite/base/figures';
import { printedTogether } from 'tall-kite/processes/print';
import { scaleOf } from 'tall-kite/recipe/recipe';
import type { Receiver } from 'tall-kite/receivers/receivers';
import type { PartView } from '@tall-kite/server/jobs/part-views';
import { partWorker } from '@/light-table/worker.ts';

interface Props {
  /** What stands on the bed that is shown, and how often. */
  parts: { part: PartView; copies: number }[];
  receiver: Receiver;
}

/** How long the bed that is shown takes to print, when somebody asks: each part is sliced once, in the page's worker. */
export function BedTime({ parts, receiver }: Props) {
  const [asked, setAsked] = useState(false);
  const reports = useQueries({
    queries: parts.map(({ part: p }) => ({
      queryKey: ['printed', p.id, p.view, p.recipe.stance, scaleOf(p.summary, p.recipe), receiver.layer, receiver.bead, receiver.overhang],
      enabled: asked,
      staleTime: Infinity,
      retry: false,
      queryFn: () => partWorker().printed(`/api/parts/${p.id}/geometry?what=view`, p.recipe.stance, scaleOf(p.summary, p.recipe), receiver),
    })),
  });
  if (parts.length === 0) return null;
  if (!asked)
    return (
      <Button onClick={() => setAsked(true)} data-test="how-long">
        How long does this bed take?
      </Button>
    );
  const failed = parts.filter((_, i) => reports[i].isError).map(({ part }) => part.name);
  const waiting = reports.filter((r) => r.isPending && !r.isError).length;
  if (failed.length > 0)
    return (
      <p role="alert" className="c-stop">
        {failed.join(', ')} could not be sliced: look at {failed.length === 1 ? 'its' : 'their'} Soundness.
      </p>
    );
  if (waiting > 0)
    return (
      <p role="status">
        <Spin size="small" /> Slicing; {counted(waiting, 'part')} to go.
      </p>
    );
  const whole = printedTogether(parts.map(({ copies }, i) => ({ report: reports[i].data!, copies })));
  return (
    <p role="status" data-test="bed-time">
      About <b className="figure">{durationText(whole.minutes)}</b>, <span className="figure">{whole.grams.toFixed(0)} g</span> of filament.{' '}
      <span className="context">Two walls, a fifth full, layers of {receiver.layer} mm; as the light table takes it.</span>
    </p>
  );
}
