'use client';
import { transfer, wrap, type Remote } from 'comlink';
import { useEffect, useRef, useState } from 'react';
import { orderedText } from 'tall-kite/base/ordered';
import { perMmHeader } from 'tall-kite/formats/picture/stated';
import type { TraceChoice } from 'tall-kite/trace/choice';
import type { PartView } from '@tall-kite/server/jobs/part-views';
import { fetched } from '@/light-table/usePart.ts';
import type { Foreseen, TraceWorker, Unforeseen } from '@/workers/trace.worker.ts';
import type { FlatPicture } from './FlatStage.ts';
import { linesOver } from './useFlat.ts';

let made: Remote<TraceWorker> | null = null;
const traceWorker = (): Remote<TraceWorker> => (made ??= wrap<TraceWorker>(new Worker('/kernel/trace-worker.js', { type: 'module' })));

/** Contours over their picture, with what is told of them; or why there are none. */
export type Seen = (Omit<Foreseen, 'drawing'> & { lines: NonNullable<FlatPicture['proposed']>; failed?: undefined }) | Unforeseen;

const opened = new Map<string, Promise<Unforeseen | null>>();

/** A file of pages may hold several pictures. */
const keyOf = ({ designId, summary }: PartView): string => `${designId} ${orderedText(summary.traced?.within ?? {})}`;

/** The picture of a part in the worker, which holds one at a time. */
function open(part: PartView): Promise<Unforeseen | null> {
  const key = keyOf(part);
  if (!opened.has(key)) {
    opened.clear();
    const opening = fetched(`/api/parts/${part.id}/picture?what=pixels`).then(async (response) => {
      const bytes = await response.arrayBuffer();
      return traceWorker().open(key, transfer(bytes, [bytes]), response.headers.get(perMmHeader));
    });
    opened.set(key, opening);
    opening.catch(() => opened.delete(key));
  }
  return opened.get(key)!;
}

async function look(part: PartView, choice: TraceChoice): Promise<Seen> {
  const closed = await open(part);
  if (closed) return closed;
  const found = await traceWorker().foresee(keyOf(part), choice);
  if ('failed' in found) return found;
  const { drawing, ...told } = found;
  return { ...told, lines: await linesOver(part, drawing) };
}

const outOfReach: Unforeseen = { failed: { message: 'The picture could not be fetched.', remedy: 'Let the server show the contours, or reload the page.' } };

/**
 * What a choice would make of a part's picture, computed in the page while it is chosen. One wish is looked at at a time, and the newest next: those between are passed over.
 * @param choice null: nothing is wanted
 */
export function useForeseen(part: PartView, choice: TraceChoice | null): { seen: Seen | null; busy: boolean } {
  const [shown, setShown] = useState<{ wish: string; seen: Seen } | null>(null);
  const wish = choice === null ? null : orderedText({ choice, part: part.id, version: part.version });
  const newest = useRef<{ wish: string; part: PartView; choice: TraceChoice } | null>(null);
  const running = useRef(false);
  useEffect(() => {
    newest.current = wish === null || choice === null ? null : { wish, part, choice };
    if (newest.current && !running.current) void run();
    async function run() {
      running.current = true;
      for (let done = ''; newest.current && newest.current.wish !== done;) {
        const now = newest.current;
        const seen = await look(now.part, now.choice).catch((): Seen => outOfReach);
        done = now.wish;
        setShown({ wish: done, seen });
      }
      running.current = false;
    }
    // The wish says all that matters of the part and the choice.
  }, [wish]);
  useEffect(() => () => void (newest.current = null), []);
  if (wish === null) return { seen: null, busy: false };
  return { seen: shown?.seen ?? null, busy: shown?.wish !== wish };
}
